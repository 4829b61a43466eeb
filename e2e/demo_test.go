package e2e_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"woolsignal/e2e/harness"
)

// TestDemoStartsAgainWhereItWas stops a demo and starts it on the same folder:
// people, tokens, runs and edited files are as they were, wherever the
// stand-ins are now.
func TestDemoStartsAgainWhereItWas(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	book(t, s, "t1")
	file := filepath.Join(s.Data, "workspace", "workflows", "depot-slots.yaml")
	text, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, append([]byte("# our own words\n"), text...), 0o644); err != nil {
		t.Fatal(err)
	}
	s.Stop()
	again := harness.Start(t, s.Data, "demo", "-free-ports", "-pace=0")
	for i, p := range again.People {
		if p != s.People[i] {
			t.Errorf("%+v was %+v", p, s.People[i])
		}
	}
	runs, err := again.As("Ines").Runs(harness.Context(t), filterWorkflow(""))
	if err != nil || len(runs.Runs) != 2 {
		t.Errorf("%d runs, want the 2 there were and no new history (%v)", len(runs.Runs), err)
	}
	files, err := again.As("Ines").Files(harness.Context(t))
	if err != nil || !strings.HasPrefix(files["workflows/depot-slots.yaml"], "# our own words\n") {
		t.Errorf("the edited file was lost (%v)", err)
	}
	if !strings.Contains(files["connections/models.yaml"], again.Standins["bellwether"]) {
		t.Errorf("the models' connection does not know that Bellwether moved to %s", again.Standins["bellwether"])
	}
	book(t, again, "t2")
}

func TestTroubleAtTheStartIsToldInOneLine(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	for name, c := range map[string]struct {
		args []string
		want string
	}{
		"same folder": {[]string{"serve", "-data", s.Data, "-addr", "127.0.0.1:0"}, "already using"},
		"same address": {[]string{"serve", "-data", t.TempDir(), "-addr", strings.TrimPrefix(s.URL, "http://")},
			"choose another address with -addr"},
		"no folder": {[]string{"serve", "-data", "/proc/nowhere"}, "/proc/nowhere"},
	} {
		_, errs, code := s.Command("", "", c.args...)
		if code != 1 || !strings.Contains(errs, c.want) || strings.Count(errs, "\n") != 1 {
			t.Errorf("%s: exit %d, %q", name, code, errs)
		}
	}
}
