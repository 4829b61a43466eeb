package workspace

import (
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"
)

// renamedText names a workflow anew where a file names it, and leaves every
// other byte as it is.
func renamedText(path, text, from, to string) string {
	agent := strings.HasPrefix(path, "agents/")
	if !strings.HasPrefix(path, "workflows/") && !agent {
		return text
	}
	var doc yaml.Node
	if yaml.Unmarshal([]byte(text), &doc) != nil || len(doc.Content) == 0 {
		return text // what cannot be read stays as it is
	}
	n := &naming{from: from}
	if agent {
		for _, t := range items(value(doc.Content[0], "tools")) {
			n.names(value(t, "workflow"))
		}
	} else {
		n.file(doc.Content[0], path == "workflows/"+from+".yaml")
	}
	lines := strings.SplitAfter(text, "\n")
	slices.SortFunc(n.found, func(a, b *yaml.Node) int { return b.Column - a.Column }) // from the end of a line on
	for _, at := range n.found {
		lines[at.Line-1] = named(lines[at.Line-1], at, from, to)
	}
	return strings.Join(lines, "")
}

// named writes a name anew in a line of a file, at a node's place there.
func named(line string, at *yaml.Node, from, to string) string {
	runes := []rune(line)
	before, rest := string(runes[:at.Column-1]), string(runes[at.Column-1:])
	if at.Style&(yaml.DoubleQuotedStyle|yaml.SingleQuotedStyle) != 0 {
		before, rest = before+rest[:1], rest[1:]
	}
	if after, found := strings.CutPrefix(rest, from); found {
		return before + to + after
	}
	return line
}

// naming finds the places where a file names a workflow.
type naming struct {
	from  string
	found []*yaml.Node
}

// file looks at a whole workflow; own tells whether it is the one that is
// named.
func (n *naming) file(root *yaml.Node, own bool) {
	if own {
		n.names(value(root, "workflow"))
	}
	for _, t := range items(value(root, "triggers")) {
		for _, one := range items(value(value(t, "failure"), "workflows")) {
			n.names(one)
		}
	}
	n.steps(root)
}

// steps looks at what stands below: a step is an item of steps or do.
func (n *naming) steps(in *yaml.Node) {
	for i := 0; i < len(in.Content); i++ {
		inner := in.Content[i]
		if in.Kind == yaml.MappingNode && i%2 == 1 {
			if key := in.Content[i-1].Value; key == "steps" || key == "do" {
				for _, step := range items(inner) {
					n.names(value(step, "call"))
				}
			}
		}
		n.steps(inner)
	}
}

func (n *naming) names(at *yaml.Node) {
	if at != nil && at.Kind == yaml.ScalarNode && at.Value == n.from {
		n.found = append(n.found, at)
	}
}

// value is what a map has under a key; nil where it has none.
func value(n *yaml.Node, key string) *yaml.Node {
	if n == nil || n.Kind != yaml.MappingNode {
		return nil
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == key {
			return n.Content[i+1]
		}
	}
	return nil
}

// items are those of a list.
func items(n *yaml.Node) []*yaml.Node {
	if n == nil || n.Kind != yaml.SequenceNode {
		return nil
	}
	return n.Content
}
