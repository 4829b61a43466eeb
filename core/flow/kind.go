package flow

import (
	"slices"

	"woolsignal/core/expr"
	"woolsignal/core/shape"
)

// Doing is what a step of one kind does, as files say it: a value that is read
// from its fields. Kinds implement it, and register themselves with
// [RegisterStep].
type Doing interface {
	Fielded
	// Check checks what the fields mean and gives the shape of what the step
	// gives. That what they name exists was checked before.
	Check(c *Checker, s *Step, names expr.Names) shape.Shape
	// Tell says in words what the step does.
	Tell(p *Sentence, s *Step)
}

// Holding is a kind whose steps hold other steps.
type Holding interface {
	// Blocks lists them in file order.
	Blocks() []NamedBlock
	// Opening says when a block is entered: the line above it.
	Opening(p *Sentence, block BlockName)
}

// Ending is a kind behind which, in some cases, nothing can come.
type Ending interface{ Ends() bool }

// Hearing is a kind whose steps may wait for a signal.
type Hearing interface {
	Hears() *Trigger // nil where it waits for none
}

// StepKind is a kind of step that is registered.
type StepKind struct {
	Name   string  `json:"name"`
	Help   string  `json:"help"`
	Beside bool    `json:"beside,omitempty"` // its fields stand beside its name, the first of them, not below it
	Fields []Field `json:"fields"`
	new    func() Doing
}

var stepKinds []StepKind

// RegisterStep makes a kind of step known by the key that names it. It is
// called while packages are initialised, as drivers are registered with
// package database/sql.
func RegisterStep(name, help string, new func() Doing) {
	if slices.ContainsFunc(stepKinds, func(k StepKind) bool { return k.Name == name }) {
		panic("flow: the kind of step " + name + " is registered twice")
	}
	fields := Described(new().Fields())
	stepKinds = append(stepKinds, StepKind{Name: name, Help: help, Beside: len(fields) > 0 && fields[0].Name == name,
		Fields: fields, new: new})
}

// StepKinds lists the kinds of step, in the order they were registered.
func StepKinds() []StepKind { return slices.Clone(stepKinds) }

// stepKind finds a kind by name.
func stepKind(name string) (StepKind, bool) {
	for _, k := range stepKinds {
		if k.Name == name {
			return k, true
		}
	}
	return StepKind{}, false
}

func stepNames() []string {
	out := make([]string, len(stepKinds))
	for i, k := range stepKinds {
		out[i] = k.Name
	}
	return out
}
