// Package tool makes tools of connections and calls them.
//
// A [Catalogue] holds every operation of every connection with its schema,
// its annotations and how a call may be sent again. One file a protocol.
package tool

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"slices"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/server/egress"
	"woolsignal/server/vault"
)

// Operation is a tool that can be called.
type Operation struct {
	flow.Tool
	Call func(ctx context.Context, args map[string]any, s Sending) (any, error)
}

// Sending tells one sending of a call from another.
type Sending struct {
	Key   string // the same each time one call is sent, and no other call's
	Again bool   // it was, or may have been, sent before
}

// UncertainError says that a call left and no answer came back: it may or may
// not have happened.
type UncertainError struct{ Err error }

func (e *UncertainError) Error() string {
	return "no answer came back, so it may or may not have happened: " + e.Err.Error()
}

func (e *UncertainError) Unwrap() error { return e.Err }

// RefusedError is a peer's plain no: sending the same again would not help.
type RefusedError struct{ Message string }

func (e *RefusedError) Error() string { return e.Message }

// BusyError is a peer's request to come back later; it did nothing.
type BusyError struct{ Message string }

func (e *BusyError) Error() string { return e.Message }

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

// Build makes the tools of every connection. peers answers their calls inside
// this process where it is not nil.
func Build(w *flow.Workspace, secrets *vault.Vault, peers http.RoundTripper) (Catalogue, []flow.Problem) {
	all := Catalogue{}
	var problems []flow.Problem
	for _, id := range slices.Sorted(maps.Keys(w.Connections)) {
		c := w.Connections[id]
		if c.CalDAV == nil && c.OpenAPI == nil {
			continue
		}
		var operations []*Operation
		client, err := egress.Client(c, func() (string, error) { return secrets.Get(id) }, peers)
		switch {
		case err != nil:
		case c.CalDAV != nil:
			operations, err = calendarOperations(c, client, w)
		case c.OpenAPI != nil:
			operations, err = apiOperations(c, client, w.Files[c.OpenAPI.Description])
		}
		if err != nil {
			problems = append(problems, flow.Problem{File: "connections/" + id + ".yaml", Line: c.At.Line, Column: c.At.Column,
				Severity: flow.Wrong, What: err.Error()})
		}
		for _, op := range operations {
			op.Connection = id
			all[op.Name] = op
		}
	}
	return all, problems
}

// Call uses a tool. Results are masked and in the form expressions use.
func (c Catalogue) Call(ctx context.Context, secrets *vault.Vault, name string, args map[string]any, s Sending) (any, error) {
	op, ok := c[name]
	if !ok {
		return nil, &RefusedError{"there is no tool " + name + " any more"}
	}
	result, err := op.Call(ctx, args, s)
	if err == nil {
		return secrets.MaskValue(expr.Canonical(result)), nil
	}
	var refused *RefusedError
	var busy *BusyError
	if !errors.As(err, &refused) && !errors.As(err, &busy) && op.Resend == flow.ResendNever && !egress.NeverSent(err) {
		err = &UncertainError{err}
	}
	return nil, &masked{err, secrets.Mask(err.Error())}
}

// masked hides secrets in an error's text without losing what it is.
type masked struct {
	error
	text string
}

func (m *masked) Error() string { return m.text }
func (m *masked) Unwrap() error { return m.error }

// object builds the schema of a map of arguments.
func object(required []any, properties map[string]any) map[string]any {
	return map[string]any{"type": "object", "properties": properties, "required": required, "additionalProperties": false}
}

func prop(kind, description string, more ...any) map[string]any {
	p := map[string]any{"type": kind, "description": description}
	for i := 0; i+1 < len(more); i += 2 {
		p[fmt.Sprint(more[i])] = more[i+1]
	}
	return p
}
