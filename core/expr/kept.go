package expr

import (
	lru "github.com/hashicorp/golang-lru/v2"
)

// mostKept bounds how many compiled expressions are kept. An expression takes
// some 20 KB.
const mostKept = 4096

// kept are the expressions compiled last, by their text: a file that is edited
// has nearly all of its expressions as they were.
var kept = newKept()

func newKept() *lru.Cache[string, *Program] {
	c, err := lru.New[string, *Program](mostKept)
	if err != nil {
		panic(err) // only for a size that is none
	}
	return c
}
