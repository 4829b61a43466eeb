package tool

import (
	"context"
	"strings"

	"woolsignal/core/flow"
)

// Nature is what an operation does to the world.
type Nature int

const (
	Reads   Nature = iota // changes nothing
	Sets                  // the same thing again changes nothing more
	Removes               // sets, and something is gone
	Adds                  // makes a thing whose id we choose
	Keyed                 // the peer honours an idempotency key
	Sends                 // cannot be told apart from being sent once before
)

// About lets an operation tell what a call of it is about before it is made.
func (o *Operation) About(show func(context.Context, map[string]any, Sending) (Shown, error)) *Operation {
	o.Show = show
	return o
}

// NewOperation makes a tool of a connection.
func NewOperation(id, title, name, description string, in, out map[string]any, n Nature,
	call func(context.Context, map[string]any, Sending) (any, error)) *Operation {
	resend := map[Nature]flow.Resend{Reads: flow.ResendSafe, Sets: flow.ResendSafe, Removes: flow.ResendSafe,
		Adds: flow.ResendOwnID, Keyed: flow.ResendKey, Sends: flow.ResendNever}[n]
	return &Operation{Call: call, Tool: flow.Tool{Name: id + "/" + name, Title: title + ": " +
		strings.ReplaceAll(name, "_", " "), Description: description, Input: in, Output: out,
		ReadOnly: n == Reads, Destructive: n == Removes, Idempotent: n != Sends && n != Keyed, Resend: resend}}
}
