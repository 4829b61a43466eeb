package e2e_test

import (
	"net/http"
	"os"
	"strings"
	"testing"

	"go.yaml.in/yaml/v3"

	"woolsignal/e2e/harness"
)

// block is a fenced part of a document, with its kind.
type block struct{ kind, text string }

// fenced lists the fenced parts of a document.
func fenced(t *testing.T, path string) []block {
	t.Helper()
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	var out []block
	parts := strings.Split(string(data), "\n```")
	for i := 1; i < len(parts); i += 2 {
		kind, text, _ := strings.Cut(parts[i], "\n")
		out = append(out, block{kind, text})
	}
	return out
}

// TestTheAgentsPageRuns does what docs/agents.md says, as somebody would who reads it.
func TestTheAgentsPageRuns(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	files := map[string]string{}
	blocks := fenced(t, "../docs/agents.md")
	for _, b := range blocks {
		if path, is := strings.CutPrefix(b.text, "# "); is && b.kind == "yaml" {
			path, text, _ := strings.Cut(path, "\n")
			files[path] = text
		}
	}
	withFiles(t, s, files)
	typed := 0
	for _, b := range blocks {
		switch b.kind {
		case "rules":
			var rules any
			if err := yaml.Unmarshal([]byte(b.text), &rules); err != nil {
				t.Fatal(err)
			}
			s.Outside(http.MethodPut, "bellwether", "/_rules", rules, nil)
		case "shell":
			typed++
			types(t, s, b.text)
		}
	}
	if len(files) < 3 || typed < 5 {
		t.Errorf("the page has %d files and %d commands", len(files), typed)
	}
}

// types types a command and looks for what it is said to print.
func types(t *testing.T, s *harness.Service, text string) {
	t.Helper()
	line, wanted, _ := strings.Cut(text, "\n")
	out, errs, code := s.Command("Ines", "", words(line)[1:]...)
	if code != 0 {
		t.Errorf("%s: exit %d %s", line, code, errs)
	}
	for want := range strings.Lines(wanted) {
		if want = strings.TrimPrefix(strings.TrimRight(want, "\n"), "# prints "); !strings.Contains(out, want) {
			t.Errorf("%s: %q is not in\n%s", line, want, out)
		}
	}
}

// words takes a line apart as a shell does that knows quotes.
func words(line string) []string {
	var out []string
	var now strings.Builder
	quote := rune(0)
	for _, r := range line + " " {
		switch {
		case quote != 0 && r == quote:
			quote = 0
		case quote == 0 && (r == '\'' || r == '"'):
			quote = r
		case quote == 0 && r == ' ':
			if now.Len() > 0 {
				out = append(out, now.String())
			}
			now.Reset()
		default:
			now.WriteRune(r)
		}
	}
	return out
}
