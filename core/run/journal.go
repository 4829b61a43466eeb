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
		if r.Origin != nil {
			expr.Canonical(r.Origin.Given)
		}
		if r.Answer != nil {
			r.Answer.Body = expr.Canonical(r.Answer.Body)
		}
		if r.Call != nil {
			expr.Canonical(r.Call.Args)
			r.Call.Result = expr.Canonical(r.Call.Result)
		}
		if r.Review != nil {
			canonicalReview(r.Review)
		}
		CanonicalMessages(r.Said)
		if r.Agent != nil {
			CanonicalMessages(r.Agent.Messages)
		}
	}
	return e, nil
}

// EncodeState writes a state as a snapshot.
func EncodeState(s *State) ([]byte, error) {
	out, err := json.Marshal(s)
	if err != nil {
		return nil, fmt.Errorf("run %s: %w", s.ID, err)
	}
	return out, nil
}

// DecodeState reads a snapshot. It equals the state that was written.
func DecodeState(data []byte) (*State, error) {
	s := NewState("")
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	if err := d.Decode(s); err != nil {
		return nil, fmt.Errorf("run: this is not a snapshot: %w", err)
	}
	if s.Root == nil || s.Signal == nil {
		return nil, fmt.Errorf("run: this snapshot is not whole")
	}
	if s.Reviews == nil {
		s.Reviews = map[string]*Review{}
	}
	s.Signal.Body, s.Result = expr.Canonical(s.Signal.Body), expr.Canonical(s.Result)
	if s.Origin != nil {
		expr.Canonical(s.Origin.Given)
	}
	if s.Response != nil {
		s.Response.Body = expr.Canonical(s.Response.Body)
	}
	for _, r := range s.Reviews {
		canonicalReview(r)
	}
	s.Root.canonical()
	return s, nil
}

func (f *Frame) canonical() {
	f.Gives = expr.Canonical(f.Gives)
	for _, step := range f.Steps {
		step.Input, step.Output = expr.Canonical(step.Input), expr.Canonical(step.Output)
		if step.Agent != nil {
			CanonicalMessages(step.Agent.Messages)
			for _, c := range step.Agent.Calls {
				expr.Canonical(c.Args)
				c.Result = expr.Canonical(c.Result)
			}
		}
		for _, inner := range step.Inside {
			inner.canonical()
		}
	}
}

func canonicalReview(r *Review) {
	r.Show = expr.Canonical(r.Show)
	expr.Canonical(r.Edit)
	expr.Canonical(r.Edited)
}

// CanonicalMessages gives decoded messages the one form of numbers, in place.
func CanonicalMessages(messages []agent.Message) {
	for _, m := range messages {
		for i := range m.Asks {
			m.Asks[i].Args = expr.Canonical(m.Asks[i].Args)
		}
	}
}
