package engine

import (
	"crypto/rand"
	"encoding/base32"
	"encoding/binary"
	"time"
)

// crockford is the base32 alphabet without letters that look like digits.
var crockford = base32.NewEncoding("0123456789abcdefghjkmnpqrstvwxyz").WithPadding(base32.NoPadding)

// newID makes the id of a run: 48 bits of time in milliseconds and 32 random
// bits, so that ids sort by age and can be read aloud.
func newID(now time.Time) string {
	var b [12]byte
	binary.BigEndian.PutUint64(b[:8], uint64(now.UnixMilli())<<16)
	if _, err := rand.Read(b[6:10]); err != nil {
		panic(err) // crypto/rand never fails on a working system
	}
	return crockford.EncodeToString(b[:10])
}
