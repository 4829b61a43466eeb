package e2e_test

import (
	"strings"
	"testing"

	"woolsignal/e2e/harness"
)

// TestListsAreMadeAnew rebuilds what is made of the journals, of a service
// that stands still; one that runs is left alone.
func TestListsAreMadeAnew(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	s.Talk("t1", "Can I bring 30 fleeces on Thursday morning?")
	if _, errs, code := s.Command("Ines", "", "rebuild", "-data", s.Data); code == 0 ||
		!strings.Contains(errs, "another") {
		t.Errorf("while the service runs: exit %d, %s", code, errs)
	}
	s.Stop()
	out, errs, code := s.Command("Ines", "", "rebuild", "-data", s.Data)
	if code != 0 || !strings.Contains(out, "were made anew from") {
		t.Errorf("exit %d, %s%s", code, out, errs)
	}
	if _, errs, code := s.Command("Ines", "", "rebuild", "-data", s.Data+"/nowhere"); code == 0 ||
		!strings.Contains(errs, "there is no data folder") {
		t.Errorf("no folder: exit %d, %s", code, errs)
	}
}
