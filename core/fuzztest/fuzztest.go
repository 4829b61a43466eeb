// Package fuzztest feeds a fuzz target, where it runs as an ordinary test, what
// somebody wrote and copies of that which are cut, doubled, joined and spoilt: the
// same ones at every run. go test -fuzz finds more, with a build of its own that
// takes half a minute a target; this takes what the target takes.
package fuzztest

import (
	"hash/fnv"
	"math/rand/v2"
	"testing"
)

// copies is how many spoilt copies a target is fed beside its seeds.
const copies = 500

// longest bounds what a copy grows to beyond the seed it is made of, in bytes.
const longest = 4096

// Target is a fuzz target and what it is fed.
type Target struct {
	*testing.F
	seeds [][]any
}

// New is the target of f.
func New(f *testing.F) *Target { return &Target{F: f} }

// Add adds a seed: texts and bytes, as many as the function of [Target.Fuzz] takes.
func (t *Target) Add(args ...any) {
	t.seeds = append(t.seeds, args)
	t.F.Add(args...)
}

// Fuzz runs a function, as [testing.F.Fuzz] takes it, on the seeds and their copies.
func (t *Target) Fuzz(function any) {
	t.Helper()
	name := fnv.New64()
	_, _ = name.Write([]byte(t.Name()))
	random := rand.New(rand.NewPCG(name.Sum64(), 1))
	for range copies {
		t.F.Add(t.copy(random)...)
	}
	t.F.Fuzz(function)
}

// copy is a seed of which one argument is spoilt.
func (t *Target) copy(random *rand.Rand) []any {
	seed := t.seeds[random.IntN(len(t.seeds))]
	other := t.seeds[random.IntN(len(t.seeds))]
	out := append([]any(nil), seed...)
	at := random.IntN(len(out))
	switch arg := out[at].(type) {
	case string:
		out[at] = string(spoilt(random, []byte(arg), []byte(other[at].(string))))
	case []byte:
		out[at] = spoilt(random, arg, other[at].([]byte))
	}
	return out
}

// spoilt is a copy of a text that up to four things were done to.
func spoilt(random *rand.Rand, text, other []byte) []byte {
	most := len(text) + longest
	out := append([]byte(nil), text...)
	for range 1 + random.IntN(4) {
		out = ways[random.IntN(len(ways))](random, out, other)
	}
	return out[:min(len(out), most)]
}

// ways are what is done to a text.
var ways = []func(random *rand.Rand, text, other []byte) []byte{
	func(random *rand.Rand, text, _ []byte) []byte { // cut short
		return text[:random.IntN(len(text)+1)]
	},
	func(random *rand.Rand, text, _ []byte) []byte { // a part is gone
		from, to := part(random, text)
		return joined(text[:from], text[to:])
	},
	func(random *rand.Rand, text, _ []byte) []byte { // a part comes twice
		from, to := part(random, text)
		return joined(text[:to], text[from:])
	},
	func(random *rand.Rand, text, _ []byte) []byte { // a part comes again and again
		from, to := part(random, text)
		out := text[:to:to]
		for range random.IntN(200) {
			if len(out) < len(text)+longest {
				out = append(out, text[from:min(to, from+64)]...)
			}
		}
		return joined(out, text[to:])
	},
	func(random *rand.Rand, text, _ []byte) []byte { // a byte is another
		if len(text) == 0 {
			return text
		}
		text[random.IntN(len(text))] = byte(random.IntN(256))
		return text
	},
	func(random *rand.Rand, text, _ []byte) []byte { // something stands in it that bears watching
		at := random.IntN(len(text) + 1)
		return joined(text[:at], []byte(awkward[random.IntN(len(awkward))]), text[at:])
	},
	func(random *rand.Rand, text, other []byte) []byte { // it goes on as another does
		from, _ := part(random, other)
		return joined(text[:random.IntN(len(text)+1)], other[from:])
	},
}

// awkward are pieces that readers trip over.
var awkward = []string{"\x00", "\xff\xfe", "\xed\xa0\x80", "\u202e", "\u2028", "é", "\r\n", "\n\n", "\t", " ",
	"\"", "'", "`", "\\", "\\u0000", "${", "}", "{", "[", "]", "(", "<", "<!--", "]]>", "&amp;", "&#0;", "%00", "%zz",
	"--", "/*", "..", "/", "://", ";", ":", ",", "=", "-", "-1", "0", "1e999", "NaN", "9223372036854775808",
	"-9223372036854775809", "18446744073709551616", "null", "true", "*a", "&a", "!!binary", "? ", "- - - "}

// part is a stretch of a text, empty in an empty one.
func part(random *rand.Rand, text []byte) (from, to int) {
	from = random.IntN(len(text) + 1)
	return from, from + random.IntN(len(text)-from+1)
}

func joined(parts ...[]byte) []byte {
	var out []byte
	for _, p := range parts {
		out = append(out, p...)
	}
	return out
}
