package wire

import (
	"woolsignal/core/expr"
	"woolsignal/core/shape"
)

// WorkOut asks what an expression means and gives where it stands.
type WorkOut struct {
	Text   string     `json:"text"`             // the workflow as it is edited
	At     string     `json:"at"`               // where the expression stands, as a JSON Pointer (RFC 6901)
	Code   string     `json:"code,omitempty"`   // the expression
	Form   *expr.Form `json:"form,omitempty"`   // … or it taken apart
	Run    string     `json:"run,omitempty"`    // the run whose values it is worked out for
	Sample string     `json:"sample,omitempty"` // or the kept signal
	Holds  bool       `json:"holds,omitempty"`  // it is a condition: how often did it hold lately?
}

// Worked is an expression in all its forms, and what it gives.
type Worked struct {
	Code     string                `json:"code"`
	Form     expr.Form             `json:"form"`
	Words    []expr.Word           `json:"words"`
	Problems []string              `json:"problems"`
	Parts    map[string]WorkedPart `json:"parts"` // of the form, by their JSON Pointers in it
	Held     *HeldOften            `json:"held,omitempty"`
}

// WorkedPart is what a part of an expression gives.
type WorkedPart struct {
	Kind  string      `json:"kind,omitempty"`
	Shape shape.Shape `json:"shape,omitempty"`
	There bool        `json:"there"` // it could be worked out
	Gives any         `json:"gives,omitempty"`
}

// HeldOften tells how often a condition held lately.
type HeldOften struct {
	Held int `json:"held"`
	Of   int `json:"of"` // the runs for which it could be worked out
}
