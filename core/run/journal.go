package run

import (
	"bytes"
	"encoding/json"
	"fmt"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
)

// DecodeEntry reads one entry of a journal. Numbers come back in the form
// they had, so that a folded state equals the one that was never written.
func DecodeEntry(data []byte) (Entry, error) {
	var e Entry
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	if err := d.Decode(&e); err != nil {
		return e, fmt.Errorf("run: this is not a journal entry: %w", err)
	}
	for i := range e.Records {
		r := &e.Records[i]
		r.Input, r.Output = expr.Canonical(r.Input), expr.Canonical(r.Output)
		if r.Signal != nil {
			r.Signal.Body = expr.Canonical(r.Signal.Body)
		}
		if r.Answer != nil {
			r.Answer.Body = expr.Canonical(r.Answer.Body)
		}
		if r.Call != nil {
			expr.Canonical(r.Call.Args)
			r.Call.Result = expr.Canonical(r.Call.Result)
		}
		if r.Review != nil {
			r.Review.Show = expr.Canonical(r.Review.Show)
			expr.Canonical(r.Review.Edit)
			expr.Canonical(r.Review.Edited)
		}
		CanonicalMessages(r.Said)
	}
	return e, nil
}

// CanonicalMessages gives decoded messages the one form of numbers, in place.
func CanonicalMessages(messages []agent.Message) {
	for _, m := range messages {
		for i := range m.Asks {
			m.Asks[i].Args = expr.Canonical(m.Asks[i].Args)
		}
	}
}
