package run

import (
	"bytes"
	"encoding/json"
	"fmt"
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
	if e.Form != Form {
		return e, &FormError{fmt.Sprintf("entry %d is of form %d", e.Seq, e.Form)}
	}
	for i := range e.Records {
		if !e.Records[i].known() {
			return e, &FormError{fmt.Sprintf("entry %d says %q", e.Seq, e.Records[i].Do)}
		}
		e.Records[i].canonical()
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
	s.Form = 0
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	if err := d.Decode(s); err != nil {
		return nil, fmt.Errorf("run: this is not a snapshot: %w", err)
	}
	if s.Form != Form {
		return nil, &FormError{fmt.Sprintf("its snapshot is of form %d", s.Form)}
	}
	if s.Root == nil || s.Signal == nil {
		return nil, fmt.Errorf("run: this snapshot is not whole")
	}
	if s.Reviews == nil {
		s.Reviews = map[string]*Review{}
	}
	s.canonical()
	return s, nil
}
