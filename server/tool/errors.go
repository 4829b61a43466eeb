package tool

import (
	"errors"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/egress"
)

// UncertainError says that a call left, and that what came back, if anything,
// leaves it open whether it happened. Err is the reason, safe to be shown.
type UncertainError struct{ Err error }

func (e *UncertainError) Error() string {
	return e.Err.Error() + " (it may or may not have happened)"
}

func (e *UncertainError) Unwrap() error { return e.Err }

// RefusedError is a peer's plain no: sending the same again would not help.
type RefusedError struct {
	Message  string
	NotFound bool // there is no such thing
}

func (e *RefusedError) Error() string { return e.Message }

// BusyError is a peer's request to come back later; it did nothing.
type BusyError struct {
	Message string
	After   time.Duration // how long it asks us to wait; 0 is not said
}

func (e *BusyError) Error() string { return e.Message }

// AwayError is a peer, or somebody on the way to it, who says that it is not
// there at the moment. Whether it did something all the same is not known.
type AwayError struct {
	Message string
	After   time.Duration // how long it asks us to wait; 0 is not said
}

func (e *AwayError) Error() string { return e.Message }

// NotSentError says that a call failed before it could have any effect.
type NotSentError struct{ Err error }

func (e *NotSentError) Error() string { return e.Err.Error() }
func (e *NotSentError) Unwrap() error { return e.Err }

// MissingError says that a connection lacks what it needs to be used at all.
type MissingError struct {
	Connection string
	Of         string // who can give it: a person's e-mail, or a role
	Why        string
}

func (e *MissingError) Error() string { return e.Why }

// HappenedError says that a call took effect, and that what it gave cannot be
// used: it must not be sent again.
type HappenedError struct{ Message string }

func (e *HappenedError) Error() string { return e.Message }

// EffectOf tells what is known of the effect of a call that failed.
func EffectOf(err error) run.Effect {
	var happened *HappenedError
	switch {
	case errors.As(err, &happened):
		return run.TookPlace
	case Settled(err) || egress.NeverSent(err):
		return ""
	}
	return run.Unsure
}

// Settled tells whether an error leaves no doubt about what happened.
func Settled(err error) bool {
	var refused *RefusedError
	var busy *BusyError
	var unsent *NotSentError
	var missing *MissingError
	var happened *HappenedError
	return errors.As(err, &happened) || errors.As(err, &refused) || errors.As(err, &busy) || errors.As(err, &unsent) ||
		errors.As(err, &missing)
}

// masked hides secrets in an error's text without losing what it is.
type masked struct {
	error
	text string
}

func (m *masked) Error() string { return m.text }
func (m *masked) Unwrap() error { return m.error }

// PendingError says that the other side works on a call, and is to be asked again after
// a while with what it knows the call by.
type PendingError struct {
	Ref   string
	After time.Duration
}

func (p *PendingError) Error() string { return "the other side works on it" }
