package mailbox

import (
	"crypto/sha256"
	"fmt"
)

// messageID is the first half of a mail's Message-ID, the same for the same
// key: whoever gets it twice can tell.
func messageID(key string) string {
	sum := sha256.Sum256([]byte(key))
	return fmt.Sprintf("ws-%x", sum[:12])
}
