package engine

import (
	"crypto/rand"
	"time"

	"woolsignal/server/store"
)

// newID makes the id of a run.
func newID(now time.Time) string {
	var chance [4]byte
	if _, err := rand.Read(chance[:]); err != nil {
		panic(err) // crypto/rand never fails on a working system
	}
	return store.ID(now, chance)
}
