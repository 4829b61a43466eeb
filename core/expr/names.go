package expr

import "woolsignal/core/shape"

// Type is what is known of a value before there is one.
type Type struct {
	Shape    shape.Shape
	Optional bool // it may be missing
}

// Names are the values an expression may see. Names inside others share what those see,
// rather than copying it: a workflow has thousands of places. The zero value sees nothing.
type Names struct{ in *names }

// names are what is added at one place to what is seen around it.
type names struct {
	own   map[string]Type
	outer *names
}

// NamesOf sees just these.
func NamesOf(all map[string]Type) Names { return Names{&names{own: all}} }

// Inside sees what n does, and what is put into it.
func (n Names) Inside() Names { return Names{&names{own: map[string]Type{}, outer: n.in}} }

// Put adds a name to what [Names.Inside], [Names.With] or [NamesOf] gave. Those that are inside
// n see it too.
func (n Names) Put(name string, t Type) { n.in.own[name] = t }

// With sees what n does, and one name more.
func (n Names) With(name string, t Type) Names {
	out := n.Inside()
	out.Put(name, t)
	return out
}

// Type is what is known of a name, and whether it is seen.
func (n Names) Type(name string) (t Type, seen bool) {
	for in := n.in; in != nil; in = in.outer {
		if t, seen := in.own[name]; seen {
			return t, true
		}
	}
	return Type{}, false
}

// All are all that are seen.
func (n Names) All() map[string]Type { return n.Beyond(Names{}) }

// Beyond are those that n adds to what is seen around it, as far as others go; all where it
// is not inside of others.
func (n Names) Beyond(others Names) map[string]Type {
	out := map[string]Type{}
	for in := n.in; in != nil && in != others.in; in = in.outer {
		for name, t := range in.own {
			if _, nearer := out[name]; !nearer {
				out[name] = t
			}
		}
	}
	return out
}
