// Package console holds the built web console, so that the service is one
// file. `make build` builds it first; without that there is nothing to serve.
package console

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Files gives the built console: index.html and its assets.
func Files() fs.FS {
	sub, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the folder is part of the program
	}
	return sub
}
