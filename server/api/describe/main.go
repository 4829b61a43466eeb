// Describe prints the OpenAPI description of the service, from which the
// console's types are made.
package main

import (
	"encoding/json"
	"log"
	"os"

	"woolsignal/server/api"
)

func main() {
	doc, err := (&api.API{}).Description()
	if err != nil {
		log.Fatal(err)
	}
	e := json.NewEncoder(os.Stdout)
	e.SetIndent("", "  ")
	if err := e.Encode(doc); err != nil {
		log.Fatal(err)
	}
}
