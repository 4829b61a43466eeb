package fuzztest

import (
	"math/rand/v2"
	"reflect"
	"testing"
)

// TestCopiesAreSpoiltTheSameWayEachTime makes copies of seeds twice.
func TestCopiesAreSpoiltTheSameWayEachTime(t *testing.T) {
	made := func() (out [][]any) {
		target := &Target{seeds: [][]any{{"forty fleeces", []byte(`{"kg": 40}`)}, {"", []byte{}}}}
		random := rand.New(rand.NewPCG(1, 1))
		for range copies {
			out = append(out, target.copy(random))
		}
		return out
	}
	first := made()
	if !reflect.DeepEqual(first, made()) {
		t.Error("the copies differ from one run to the next")
	}
	unlike := map[string]bool{}
	for _, c := range first {
		text, data := c[0].(string), c[1].([]byte)
		unlike[text+"\n"+string(data)] = true
		if most := len("forty fleeces") + longest; len(text) > most || len(data) > most {
			t.Errorf("a copy has %d and %d bytes, more than %d", len(text), len(data), most)
		}
	}
	if len(unlike) < copies/3 {
		t.Errorf("of %d copies only %d differ", copies, len(unlike))
	}
}
