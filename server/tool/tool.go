// Package tool makes tools of connections and tables, and calls them.
//
// A [Catalogue] holds every operation of every connection with its schema,
// its annotations and how a call may be sent again. How each protocol is spoken
// is registered by the packages below server/protocol; here is what they are
// made with, and the tools of tables and documents.
package tool

import (
	"context"
	"errors"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/money"
	"woolsignal/server/egress"
)

// Operation is a tool that can be called.
type Operation struct {
	flow.Tool
	Call func(ctx context.Context, args map[string]any, s Sending) (any, error)

	// Lacks says of arguments its service takes that they cannot be sent, and why.
	Lacks []string

	// Show reads what a call with these arguments is about, and what it will be; nil where
	// that cannot be said.
	Show func(ctx context.Context, args map[string]any, s Sending) (Shown, error)

	// Abandon tells the other side that a call it works on is no longer wanted; nil where
	// none takes long.
	Abandon func(ctx context.Context, ref string) error

	// Choices gives the values an argument can be fixed to, from the service
	// itself, such as the rooms there are; nil where none can be listed.
	Choices map[string]func(ctx context.Context) ([]Choice, error)
}

// Shown is what a call is about, as it is, and as it will be. After is nil where it will
// be gone, or only itself says.
type Shown struct{ Before, After any }

// Choice is one value an argument can be fixed to.
type Choice struct {
	Value string `json:"value"`
	Words string `json:"words"`
}

// Sending tells one sending of a call from another.
type Sending struct {
	Key   string // the same each time one call is sent, and no other call's
	Again bool   // it was, or may have been, sent before
	For   string // e-mail of the person the run serves; "" is nobody known
	Run   string // id of the run whose call it is; "" is none's
	Ref   string // by which the other side knows a call it works on; "" is a new one
	Cost  func(money.Micros)
}

// Costs tells what a call cost beside what its file says, such as a model's turn.
func (s Sending) Costs(cost money.Micros) {
	if s.Cost != nil {
		s.Cost(cost)
	}
}

// Catalogue is every tool of a workspace, by full name.
type Catalogue map[string]*Operation

// Find is the catalogue as the checker and the interpreter ask it.
func (c Catalogue) Find(name string) (flow.Tool, bool) {
	op, ok := c[name]
	if !ok {
		return flow.Tool{}, false
	}
	return op.Tool, true
}

// Call uses a tool. Results are masked and in the form expressions use.
func (c Catalogue) Call(ctx context.Context, kit *Kit, name string, args map[string]any, s Sending) (any, error) {
	op, ok := c[name]
	if !ok {
		return nil, &RefusedError{Message: "there is no tool " + name + " any more"}
	}
	result, err := op.Call(egress.For(ctx, s.For), args, s)
	var pending *PendingError
	if errors.As(err, &pending) {
		kit.Used(ctx, op.Connection, nil)
		return nil, pending
	}
	kit.Used(ctx, op.Connection, err)
	if err == nil {
		return kit.secrets.MaskValue(expr.Canonical(result)), nil
	}
	err = op.sorted(kit.Lacks(op.Connection, err))
	shown := &masked{err, kit.secrets.Mask(err.Error())}
	if !Settled(err) && op.Resend == flow.ResendNever && !egress.NeverSent(err) {
		return nil, &UncertainError{shown}
	}
	return nil, shown
}

// Abandon tells the other side that a call it works on is no longer wanted.
func (c Catalogue) Abandon(ctx context.Context, name, ref, person string) error {
	op, ok := c[name]
	if !ok || op.Abandon == nil {
		return nil
	}
	return op.Abandon(egress.For(ctx, person), ref)
}

// Show finds out what a call is about before it is made. Values are masked and in the
// form expressions use.
func (c Catalogue) Show(ctx context.Context, kit *Kit, name string, args map[string]any, s Sending) (Shown, error) {
	op, ok := c[name]
	if !ok || op.Show == nil {
		return Shown{}, &RefusedError{Message: name + " does not say what it is about"}
	}
	shown, err := op.Show(egress.For(ctx, s.For), args, s)
	if err != nil {
		return Shown{}, &masked{err, kit.secrets.Mask(err.Error())}
	}
	value := func(v any) any { return kit.secrets.MaskValue(expr.Canonical(v)) }
	return Shown{value(shown.Before), value(shown.After)}, nil
}

// sorted says of an operation that only reads no more than that it failed:
// nothing happened that could happen twice.
func (o *Operation) sorted(err error) error {
	var happened *HappenedError
	if o.ReadOnly && errors.As(err, &happened) {
		return &RefusedError{Message: happened.Message}
	}
	return err
}
