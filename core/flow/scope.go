package flow

import (
	"reflect"
	"slices"
	"strings"

	"woolsignal/core/expr"
	"woolsignal/core/shape"
)

// Sight is a name that expressions may read from some place on.
type Sight struct {
	Name     string      `json:"name"`
	Shape    shape.Shape `json:"shape,omitempty"` // a JSON Schema (2020-12); nothing where it is not known
	Optional bool        `json:"optional,omitempty"`
}

// scope is what each part of a workflow adds to what expressions may read: a
// step behind it, a block inside it.
type scope struct {
	all    []Sight // seen everywhere
	steps  map[*Step]Sight
	blocks map[*Block][]Sight
	names  expr.Names // around the step that is checked
	seen   int        // parts of what is told so far
}

func newScope() *scope { return &scope{steps: map[*Step]Sight{}, blocks: map[*Block][]Sight{}} }

// sees notes what is seen everywhere.
func (c *Checker) sees(names expr.Names) {
	if c.scope != nil {
		c.scope.all, c.scope.names = sights(names, expr.Names{}), names
	}
}

// adds notes what a step adds for those behind it.
func (c *Checker) adds(s *Step, t expr.Type) {
	if c.scope != nil {
		c.scope.steps[s] = c.scope.told(Sight{s.ID, t.Shape, t.Optional})
	}
}

// around notes what is seen around what a step holds, until done is called.
func (c *Checker) around(names expr.Names) (done func()) {
	if c.scope == nil {
		return func() {}
	}
	before := c.scope.names
	c.scope.names = names
	return func() { c.scope.names = before }
}

// enters notes what a block adds for its steps, beside what is seen around its
// step.
func (c *Checker) enters(b *Block, names expr.Names) {
	if c.scope != nil {
		for _, one := range sights(names, c.scope.names) {
			c.scope.blocks[b] = append(c.scope.blocks[b], c.scope.told(one))
		}
	}
}

// sights are the names that are not among others, or mean something else there,
// in their order.
func sights(names, others expr.Names) []Sight {
	var out []Sight
	for name, t := range names.Beyond(others) {
		if other, there := others.Type(name); !there || other.Optional != t.Optional || !same(other.Shape, t.Shape) {
			out = append(out, Sight{name, t.Shape, t.Optional})
		}
	}
	slices.SortFunc(out, func(a, b Sight) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// same tells whether two shapes are one map, which is enough: a name that is
// handed on keeps its own.
func same(a, b shape.Shape) bool { return reflect.ValueOf(a).Pointer() == reflect.ValueOf(b).Pointer() }
