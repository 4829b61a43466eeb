package run

import "testing"

// TestWhoDecidesReadsTheAddressBesideTheName has somebody give a name that is another's: a
// review tells the address, and whether anybody stands for it.
func TestWhoDecidesReadsTheAddressBesideTheName(t *testing.T) {
	for want, s := range map[string]*Signal{
		"Ines Faro (ines@larkrigg.example, signed in)": {For: "ines@larkrigg.example",
			From: map[string]string{"name": "Ines Faro", "email": "ines@larkrigg.example"}},
		"Ines Faro (mallow@fells.example, not checked)": {
			From: map[string]string{"name": "Ines\nFaro", "email": "mallow@fells.example"}},
		"Rowan (rowan@hollin.example, the mailbox checked the sender)": {From: map[string]string{"name": "Rowan",
			"email": "rowan@hollin.example", Verified: "true"}},
		"Ines Faro (not known here)": {Stranger: true, From: map[string]string{"name": "Ines Faro"}},
		"somebody (not known here)":  {Stranger: true},
	} {
		if got := s.sender(); got != want {
			t.Errorf("%+v is told as %q, not %q", s.From, got, want)
		}
	}
}
