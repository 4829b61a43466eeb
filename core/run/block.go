package run

import (
	"fmt"
	"maps"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// Entered tells whether the step went into a block, and gives how far it is.
func (at *At) Entered(name BlockName) *Frame {
	if at.Did == nil {
		return nil
	}
	return at.Did.block(name)
}

// Enter goes into a block; nil where that could not be noted.
func (at *At) Enter(name BlockName) *Frame { return at.Choose(name, nil) }

// Choose goes into a block that was decided for.
func (at *At) Choose(name BlockName, why *Choice) *Frame {
	at.Emit(&BlockEntered{Step: at.Path, Block: name, Choice: why})
	if at.Did == nil || at.Broken() {
		return nil
	}
	return at.Did.block(name)
}

// Leave notes that a block came to its end well.
func (at *At) Leave(f *Frame, gives any) {
	at.Emit(&BlockLeft{Step: at.Path, Block: f.Name, Status: Done, Gives: gives})
}

// Through goes through a block that was entered and gives what leaves it.
func (at *At) Through(def *flow.Block, f *Frame, names map[string]any) (map[string]any, Outcome) {
	return at.m.through(def, f, at.Path, names)
}

// Names gives the names a block of the step sees: those around it, and others.
func (at *At) Names(more map[string]any) map[string]any {
	out := maps.Clone(at.Scope.Names)
	maps.Copy(out, more)
	return out
}

// Eval gives the scope of some names at the time of the event.
func (at *At) Eval(names map[string]any) expr.Scope { return at.m.scope(names) }

// Outwards fails the step because of one inside it.
func (at *At) Outwards() Outcome {
	return at.m.fail(at.Step, at.Path, at.m.failure.step+": "+at.m.failure.message)
}

// Way goes on with one of several ways and closes it where it ends, well or
// not. enough tells whether what it gives ends the others.
func (at *At) Way(def *flow.Block, f *Frame, names map[string]any, enough *flow.Expression) (bool, Outcome) {
	gives, out := at.Through(def, f, names)
	if out == Finished && enough != nil {
		names["value"] = gives
		holds, err := enough.Holds(at.m.scope(names))
		if err == nil {
			at.Leave(f, gives)
			return holds, Finished
		}
		at.m.failure = blockFailure(def, "enough: "+err.Error())
		out = FailedInside
	}
	switch out {
	case Finished:
		at.Leave(f, gives)
	case FailedInside:
		at.m.cancelFrame(f, "a step beside it failed")
		at.Emit(&BlockLeft{Step: at.Path, Block: f.Name, Status: Failed, Error: at.m.failure.step + ": " +
			at.m.failure.message})
	}
	return false, out
}

// CloseInside closes what is open inside the step.
func (at *At) CloseInside(because string) { at.m.cancelInside(at.Did, because) }

// blockFailure is the failure of a block rather than of a step in it.
func blockFailure(def *flow.Block, message string) *failure {
	return &failure{message: message, step: fmt.Sprintf("the block on line %d", def.At.Line), kind: "block", tries: 1}
}
