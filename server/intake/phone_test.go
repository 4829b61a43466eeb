package intake

import "testing"

// TestWhatWasHeardIsNotSaidAgain holds what a caller has heard against what is said
// next: the answer that was begun, another one, one that is shorter.
func TestWhatWasHeardIsNotSaidAgain(t *testing.T) {
	heard := partOf("The dock is free. ")
	for answer, want := range map[string]string{"The dock is free. Come at nine.": "Come at nine.",
		"The dock is full. Come at nine.": "The dock is full. Come at nine.", "The dock": "The dock", "": "",
		"The dock is free. ": ""} {
		if got := behind(answer, heard); got != want {
			t.Errorf("of %q is said %q, want %q", answer, got, want)
		}
	}
	for _, wild := range []part{{}, {-1, 3}, {1 << 40, 3}, {3, 3}} {
		if got := behind("Hello.", wild); got != "Hello." {
			t.Errorf("after %+v is said %q", wild, got)
		}
	}
	for text, want := range map[string]string{"One. Two. Thr": "One. Two. ", "3.5 kg": "", "One.": "", "": "",
		"Ja! Nein? Doch": "Ja! Nein? "} {
		if got := sentences(text); got != want {
			t.Errorf("of %q there are %q whole", text, got)
		}
	}
}
