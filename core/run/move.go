package run

import (
	"errors"
	"time"
)

// Host is what a run needs of the process that moves it. Each of it may be nil.
type Host struct {
	// OnTheSpot answers errands that can be answered at once, and gives nil for
	// others; what follows belongs to the same entry.
	OnTheSpot func(Errand) (Reply, error)

	// Mask hides secrets in a text. No record has a text or a value that has not
	// passed it, whatever brought it.
	Mask func(string) string

	// FollowUps counts the follow-ups that are open in the run's conversation, beside
	// its own. Nil is a conversation that has none.
	FollowUps func() (int, error)
}

// Move moves a run by events that happen at one time, and gives the entry for
// its journal and what is then asked of the outside. An entry without records
// is not to be written. The state is changed in place; after an error other
// than [ErrStale] and *[Refused], which say it was not, it must be folded
// anew.
//
// host is whoever moves it.
func Move(def *Definition, state *State, now time.Time, host Host, events ...Event) (Entry, []Errand, error) {
	m := newMachine(def, state, now)
	m.mask, m.followUps = host.Mask, host.FollowUps
	for _, e := range events {
		if err := m.handle(e); err != nil {
			return Entry{}, nil, err
		}
	}
	if host.OnTheSpot != nil {
		if err := m.answerOnTheSpot(host.OnTheSpot); err != nil {
			return Entry{}, nil, err
		}
	}
	entry := Entry{Form: Form, Seq: state.Seq + 1, At: now, Records: m.records}
	if len(m.records) > 0 {
		state.Seq = entry.Seq
	}
	state.rest()
	return entry, m.errands, nil
}

// answerOnTheSpot answers errands until none is left that can be. Another way
// may have been enough meanwhile, which makes an answer stale.
func (m *machine) answerOnTheSpot(answer func(Errand) (Reply, error)) error {
	for again := true; again; {
		again = false
		open := m.errands
		m.errands = nil
		for _, e := range open {
			reply, err := answer(e)
			if err != nil {
				return err
			}
			if reply == nil {
				m.errands = append(m.errands, e)
				continue
			}
			if err := m.handle(e.Answer(reply)); err != nil && !errors.Is(err, ErrStale) {
				return err
			}
			again = true
		}
	}
	return nil
}
