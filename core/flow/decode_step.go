package flow

import (
	"go.yaml.in/yaml/v3"
)

// block reads the steps of a block.
func (r *reader) block(nodes []*yaml.Node) []*Step {
	r.deep++
	defer func() { r.deep-- }()
	var out []*Step
	for _, n := range nodes {
		if !r.room(n) {
			break
		}
		if s := r.step(n); s != nil {
			out = append(out, s)
		}
	}
	return out
}

// step reads one step: what any may have, and beside or below its kind's name
// what that kind has.
func (r *reader) step(n *yaml.Node) *Step {
	s := &Step{At: posOf(n)}
	common := Described(s.Fields())
	allowed := append(names(common), stepNames()...)
	for _, k := range stepKinds {
		if k.Beside && n.Kind == yaml.MappingNode && hasKey(n, k.Name) {
			allowed = append(allowed, names(k.Fields)...)
		}
	}
	f, ok := r.mapping(n, "a step", allowed...)
	if !ok {
		return nil
	}
	m := Reading{r, f, "step"}
	r.table(m, common)
	s.Agree(m)
	if s.Kind = r.kind(f, "this step", stepNames()); s.Kind == "" {
		return nil
	}
	kind, _ := stepKind(s.Kind)
	s.Does = kind.new()
	if !kind.Beside {
		r.part(f.nodes[s.Kind], s.Kind, s.Does)
		return s
	}
	r.table(m, Described(s.Does.Fields()))
	if a, is := s.Does.(Agreeing); is {
		a.Agree(m)
	}
	return s
}

func hasKey(n *yaml.Node, key string) bool {
	for i := 0; i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == key {
			return true
		}
	}
	return false
}
