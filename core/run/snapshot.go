package run

import (
	"bytes"
	"encoding/json"
	"fmt"
)

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
	s.gate(&gate{})
	return s, nil
}
