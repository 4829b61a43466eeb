package flow

import (
	"maps"
	"slices"
)

// Differing are the names of the files that two workspaces do not share, or not with the
// same text, in order.
func Differing(now, next map[string]string) []string {
	names := map[string]bool{}
	for _, pair := range [][2]map[string]string{{now, next}, {next, now}} {
		for name, text := range pair[0] {
			if other, there := pair[1][name]; !there || other != text {
				names[name] = true
			}
		}
	}
	return slices.Sorted(maps.Keys(names))
}
