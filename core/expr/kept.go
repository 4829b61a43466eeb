package expr

import (
	lru "github.com/hashicorp/golang-lru/v2"
)

// An expression is bounded far above honest ones.
const (
	longest    = 10_000 // characters
	mostParts  = 1000   // names, numbers and what is done with them
	mostFilled = 500    // expressions in one text
)

// Compiled expressions are kept by their text: a file that is edited has nearly all of them
// as they were. One of those that are short enough to be kept takes some 20 KB, so that all
// take some 100 MB at most.
const (
	mostKept    = 4096
	longestKept = 300 // characters
)

// kept are the expressions compiled last.
var kept = newCache[*Program](mostKept)

func newCache[V any](most int) *lru.Cache[string, V] {
	c, err := lru.New[string, V](most)
	if err != nil {
		panic(err) // only for a size that is none
	}
	return c
}
