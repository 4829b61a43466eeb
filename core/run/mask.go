package run

import (
	"maps"
	"slices"
)

// hide hides the secrets in the texts and names of a value and tells whether
// there were any. The value itself stays as it is.
func (g *gate) hide(given any) (out any, changed bool) {
	switch v := given.(type) {
	case string:
		if hidden := g.mask(v); hidden != v {
			return hidden, true
		}
	case map[string]any:
		return g.hideInMap(v)
	case []any:
		if out, changed := g.hideInList(v); changed {
			return out, true
		}
	}
	return given, false
}

func (g *gate) hideInList(list []any) (out []any, changed bool) {
	out = list
	for i, item := range list {
		item, differs := g.hide(item)
		if !differs {
			continue
		}
		if !changed {
			out, changed = slices.Clone(list), true
		}
		out[i] = item
	}
	return out, changed
}

func (g *gate) hideInMap(m map[string]any) (out map[string]any, changed bool) {
	out = m
	for key, item := range m {
		item, differs := g.hide(item)
		name := g.mask(key)
		if !differs && name == key {
			continue
		}
		if !changed {
			out, changed = maps.Clone(m), true
		}
		delete(out, key)
		out[name] = item
	}
	return out, changed
}
