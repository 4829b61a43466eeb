package flow

import (
	"strconv"

	"go.yaml.in/yaml/v3"
)

// Rewritten is a text of a file that is to be another.
type Rewritten struct {
	Field string `json:"field"` // where it stands, as a JSON Pointer (RFC 6901)
	Text  string `json:"text"`
}

// RenamedStep gives what changes in a workflow's text when a step gets another
// id: every expression that reads what it gave. The id itself is not among them.
func (w *Workspace) RenamedStep(id, text, from, to string, tool Catalogue) []Rewritten {
	file := "workflows/" + id + ".yaml"
	one, _ := DecodeWorkflow(file, text)
	found := map[Pos]string{}
	c := &Checker{Workspace: w, Tool: tool, file: file, written: one.written, kinds: map[string]string{},
		met: func(at Pos, p renamable, source string) {
			if now := p.Renamed(from, to); now != source {
				found[at] = now
			}
		}}
	c.workflow(one)
	var root yaml.Node
	if yaml.Unmarshal([]byte(text), &root) != nil || len(root.Content) == 0 {
		return nil
	}
	return rewrittenIn(root.Content[0], "", found)
}

// rewrittenIn lists the texts of a document that stand where something was found.
func rewrittenIn(n *yaml.Node, place string, found map[Pos]string) []Rewritten {
	var out []Rewritten
	switch n.Kind {
	case yaml.MappingNode:
		for i := 0; i+1 < len(n.Content); i += 2 {
			out = append(out, rewrittenIn(n.Content[i+1], place+"/"+pointerToken(n.Content[i].Value), found)...)
		}
	case yaml.SequenceNode:
		for i, item := range n.Content {
			out = append(out, rewrittenIn(item, place+"/"+strconv.Itoa(i), found)...)
		}
	case yaml.ScalarNode:
		if now, is := found[posOf(n)]; is {
			out = append(out, Rewritten{place, now})
		}
	}
	return out
}
