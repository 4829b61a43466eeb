package run

import (
	"fmt"
)

// largestValue is how large one value may be, as JSON, in bytes.
const largestValue = 4 << 20

// mostHeld is how much a run may take in altogether, in bytes of its values as
// JSON: all of it is in memory while the run moves.
const mostHeld = 64 << 20

// heldTooMuch says that a run took in more than it may.
var heldTooMuch = fmt.Sprintf("its steps gave more than %d MB altogether, the most one run may hold; pass files on "+
	"as files, keep rows in a table, or have a called workflow do a part of it", mostHeld>>20)

// TooLarge tells when a value is larger than a run can carry.
func TooLarge(what string, v any) error {
	if room := largestValue - size(v, largestValue); room < 0 {
		return fmt.Errorf("%s is larger than %d MB, the most one value may be; keep it in a file or a table and "+
			"pass on what is needed", what, largestValue>>20)
	}
	return nil
}

// size estimates how long a value's JSON is, and stops counting past a limit.
func size(v any, limit int) int {
	switch v := v.(type) {
	case string:
		return len(v) + 2
	case []any:
		n := 2
		for _, item := range v {
			if n += size(item, limit-n) + 1; n > limit {
				return n
			}
		}
		return n
	case map[string]any:
		n := 2
		for key, item := range v {
			if n += len(key) + 4 + size(item, limit-n); n > limit {
				return n
			}
		}
		return n
	}
	return 8
}
