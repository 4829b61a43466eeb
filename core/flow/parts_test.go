package flow_test

import (
	"io/fs"
	"os"
	"path"
	"strconv"
	"strings"
	"testing"

	"go.yaml.in/yaml/v3"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// demoFiles reads the workspace of the demo as it is shipped.
func demoFiles(t *testing.T) map[string]string {
	t.Helper()
	out := map[string]string{}
	root := os.DirFS("../../demo/workspace")
	err := fs.WalkDir(root, ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		text, err := fs.ReadFile(root, path)
		out[path] = string(text)
		return err
	})
	if err != nil || len(out) < 20 {
		t.Fatalf("%d files of the demo: %v", len(out), err)
	}
	return out
}

// TestPartsNameTheFieldsTheyShow follows the pointer of every part of the
// demo's sentences into its file: what a builder wrote stands there, and what
// is as usual would stand there.
func TestPartsNameTheFieldsTheyShow(t *testing.T) {
	files := demoFiles(t)
	w, problems := flow.Decode(files)
	if len(problems) > 0 {
		t.Fatal(problems)
	}
	shown := 0
	for id, one := range w.Workflows {
		var root yaml.Node
		if err := yaml.Unmarshal([]byte(files["workflows/"+id+".yaml"]), &root); err != nil {
			t.Fatal(err)
		}
		for _, l := range w.Explain(one, noTools) {
			if pointed(root.Content[0], l.Field) == nil && l.Field != "" {
				t.Errorf("%s: the line %q is said to stand at %s, where nothing is", id, l.Text(), l.Field)
			}
			for _, p := range l.Parts {
				if p.How == "" {
					continue
				}
				shown++
				checkPart(t, id+": "+l.Text(), root.Content[0], p)
			}
		}
	}
	if shown < 200 {
		t.Errorf("only %d parts were followed", shown)
	}
}

func noTools(string) (flow.Tool, bool) { return flow.Tool{}, false }

// checkPart follows one part's pointer.
func checkPart(t *testing.T, where string, root *yaml.Node, p flow.Part) {
	t.Helper()
	n := pointed(root, p.Field)
	if n == nil {
		if p.How == "value" {
			t.Errorf("%s: %q is said to stand at %q, where nothing is", where, p.Text, p.Field)
		}
		if above := pointed(root, path.Dir(p.Field)); above == nil || above.Kind != yaml.MappingNode {
			t.Errorf("%s: %q is said to stand at %q, and nothing could stand there", where, p.Text, p.Field)
		}
		return
	}
	if p.Code != "" && !strings.Contains(n.Value, p.Code) {
		t.Errorf("%s: %s is said to stand at %s, where %q is", where, p.Code, p.Field, n.Value)
	}
}

// pointed follows a JSON Pointer (RFC 6901) through a document.
func pointed(n *yaml.Node, pointer string) *yaml.Node {
	if pointer == "" {
		return n
	}
	for _, token := range strings.Split(pointer[1:], "/") {
		token = strings.NewReplacer("~1", "/", "~0", "~").Replace(token)
		var inner *yaml.Node
		switch n.Kind {
		case yaml.MappingNode:
			for i := 0; i+1 < len(n.Content); i += 2 {
				if n.Content[i].Value == token {
					inner = n.Content[i+1]
				}
			}
		case yaml.SequenceNode:
			if i, err := strconv.Atoi(token); err == nil && i < len(n.Content) {
				inner = n.Content[i]
			}
		}
		if inner == nil {
			return nil
		}
		n = inner
	}
	return n
}

// TestTheDemoReadsWithoutCode looks for expressions of the demo that have no
// words.
func TestTheDemoReadsWithoutCode(t *testing.T) {
	w, _ := flow.Decode(demoFiles(t))
	for id, one := range w.Workflows {
		for _, l := range w.Explain(one, noTools) {
			for _, p := range l.Parts {
				for _, word := range p.Words {
					if word.How == expr.CodeWord {
						t.Errorf("%s: %s has no words in %q", id, word.Text, l.Text())
					}
				}
			}
		}
	}
}

// TestLinesNameWhatTheyRead looks at the values a line reads and their kinds.
func TestLinesNameWhatTheyRead(t *testing.T) {
	w, _ := flow.Decode(withSteps("  - id: net\n    compute: {half: signal.body.kg / 2}\n" +
		"  - label: {as: ['${net.half}', '${signal.body.grower} of ${net.half}']}\n"))
	lines := w.Explain(w.Workflows["intake"], catalogue)
	got := lines[len(lines)-1].Reads
	want := []flow.Read{{Name: "net.half", Kind: "number"}, {Name: "signal.body.grower", Kind: "text"}}
	if len(got) != len(want) || got[0] != want[0] || got[1] != want[1] {
		t.Errorf("the line reads %v, want %v", got, want)
	}
}

// TestTwoValuesOfOneNameAreToldApart gives two values one last name.
func TestTwoValuesOfOneNameAreToldApart(t *testing.T) {
	w, _ := flow.Decode(withSteps("  - label: {as: ['${signal.body.seller.name}', '${signal.body.buyer.name}', " +
		"'${signal.body.grower}']}\n"))
	lines := w.Explain(w.Workflows["intake"], catalogue)
	const want = "Label the run name of seller, name of buyer, grower"
	if got := lines[len(lines)-1].Text(); got != want {
		t.Errorf("reads %q, want %q", got, want)
	}
}
