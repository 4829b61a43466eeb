package callers

import (
	"fmt"
	"testing"

	"golang.org/x/time/rate"
)

// TestAFloodForgetsTheOldestAlone has so many callers come that one more than
// are remembered does: who was busy meanwhile is still known.
func TestAFloodForgetsTheOldestAlone(t *testing.T) {
	l := NewLimit(rate.Every(1e9 * 3600))
	spend := func(caller string) bool { return l.Of(caller, 1).Allow() }
	if !spend("oldest") || !spend("busy") || spend("busy") {
		t.Fatal("each may do one thing at once")
	}
	for i := range mostKnown - 1 {
		spend(fmt.Sprint(i))
		if i%1000 == 0 && spend("busy") {
			t.Fatalf("after %d callers the busy one begins anew", i)
		}
	}
	if spend("busy") {
		t.Error("a flood made the busy one begin anew")
	}
	if !spend("oldest") {
		t.Error("more are remembered than are meant to be")
	}
}

// TestAHouseholdIsOneCaller has one that changes its address within what it has.
func TestAHouseholdIsOneCaller(t *testing.T) {
	for address, want := range map[string]string{
		"192.0.2.7": "192.0.2.7", "::ffff:192.0.2.7": "::ffff:192.0.2.7", "2001:db8:1:2:3:4:5:6": "2001:db8:1:2::/64",
		"2001:db8:1:2::9": "2001:db8:1:2::/64", "2001:db8:1:3::9": "2001:db8:1:3::/64", "fe80::1%eth0": "fe80::/64",
		"a pipe": "a pipe", "": "",
	} {
		if got := Network(address); got != want {
			t.Errorf("%q counts as %q, want %q", address, got, want)
		}
	}
}
