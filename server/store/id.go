package store

import (
	"encoding/base32"
	"encoding/binary"
	"time"
)

// ids is the base32 alphabet without letters that look like digits.
var ids = base32.NewEncoding("0123456789abcdefghjkmnpqrstvwxyz").WithPadding(base32.NoPadding)

// ID makes the id of a run: 48 bits of time in milliseconds and 32 bits of
// chance, so that ids sort by age and can be read aloud.
func ID(at time.Time, chance [4]byte) string {
	var b [12]byte
	binary.BigEndian.PutUint64(b[:8], uint64(at.UnixMilli())<<16)
	copy(b[6:10], chance[:])
	return ids.EncodeToString(b[:10])
}

// FirstID is the least id a run accepted at a time could have.
func FirstID(at time.Time) string { return ID(at, [4]byte{}) }

// OrNull is a text for a column that holds none where there is nothing to say.
func OrNull(text string) any {
	if text == "" {
		return nil
	}
	return text
}
