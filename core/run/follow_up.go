package run

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"woolsignal/core/agent"
)

// FollowUpType is the type of a signal by which a conversation goes on by itself.
const FollowUpType = "agent.follow_up"

// MostFollowUps is how many a conversation has open at once.
const MostFollowUps = 20

// soonest and farthest are how far off a follow-up may be. What goes on by itself is
// no link of a chain of runs, so that this alone keeps it from going on all the time.
const (
	soonest  = time.Minute
	farthest = 366 * 24 * time.Hour
)

// FollowUp is a time at which a conversation goes on by itself, as an agent of a run
// asked.
type FollowUp struct {
	N    int       `json:"n"` // of those the run set
	Step string    `json:"step"`
	At   time.Time `json:"at"`
	What string    `json:"what"`
	// Cancelled is who took it back, or what did; "" where nothing has.
	Cancelled string `json:"cancelled,omitempty"`
}

// CancelFollowUp is a person's wish that a conversation does not go on by itself.
type CancelFollowUp struct {
	N  int
	By string
}

func (*CancelFollowUp) event() {}

// FollowUpSet says that a conversation goes on by itself at a time.
type FollowUpSet struct {
	Step string    `json:"step"`
	Call string    `json:"call"`
	N    int       `json:"n"` // counts those the run set, from 1
	At   time.Time `json:"at"`
	What string    `json:"what"` // what the agent is reminded of
}

// FollowUpCancelled says that it does not.
type FollowUpCancelled struct {
	N  int    `json:"n"`
	By string `json:"by"`
}

func (*FollowUpSet) word() string       { return "follow_up_set" }
func (*FollowUpCancelled) word() string { return "follow_up_cancelled" }

func (r *FollowUpSet) gate(g *gate)       { g.text(&r.What) }
func (r *FollowUpCancelled) gate(g *gate) { g.text(&r.By) }

// followUp lets the conversation go on by itself at a time.
func (at *At) followUp(call *agent.Call, when, what string) (any, error) {
	due, err := at.Calendar().Parse(when)
	ahead := due.Sub(at.Moment())
	switch {
	case at.Signal().Conversation().IsZero():
		return nil, fmt.Errorf("there is no conversation that could go on")
	case err != nil:
		return nil, fmt.Errorf("%q is no time; write it as 2026-11-26T09:00", when)
	case ahead <= 0:
		return nil, fmt.Errorf("%s is over", when)
	case ahead < soonest:
		return nil, fmt.Errorf("%s is less than a minute away; say a later time", when)
	case ahead > farthest:
		return nil, fmt.Errorf("%s is more than a year away", when)
	}
	open, err := at.m.openFollowUps()
	if err != nil {
		return nil, err
	} else if open >= MostFollowUps {
		return nil, fmt.Errorf("this conversation has %d follow-ups open, as many as it may have", open)
	}
	at.Emit(&FollowUpSet{Step: at.Path, Call: call.ID, N: at.m.state.Set + 1, At: due.UTC(), What: what})
	return map[string]any{"at": due.In(at.Zone()).Format(time.RFC3339)}, nil
}

// openFollowUps counts those of the run's conversation.
func (m *machine) openFollowUps() (n int, err error) {
	if m.followUps != nil {
		if n, err = m.followUps(); err != nil {
			return 0, fmt.Errorf("the follow-ups of this conversation could not be counted: %w", err)
		}
	}
	for _, f := range m.state.FollowUps {
		if f.open(m.moment()) {
			n++
		}
	}
	return n, nil
}

// open tells whether it is still to come.
func (f FollowUp) open(at time.Time) bool { return f.Cancelled == "" && f.At.After(at) }

// cancelFollowUp takes one back, whether or not the run goes on.
func (m *machine) cancelFollowUp(c *CancelFollowUp) error {
	i := slices.IndexFunc(m.state.FollowUps, func(f FollowUp) bool { return f.N == c.N && f.Cancelled == "" })
	if i < 0 {
		return ErrStale
	}
	m.emit(&FollowUpCancelled{N: c.N, By: c.By})
	return m.broken
}

// mostToldOf is how many follow-ups a run tells of: those that are open and the last
// of the others.
const mostToldOf = 2 * MostFollowUps

func (s *State) followUpSet(r *FollowUpSet, at time.Time) {
	s.Set = r.N
	s.FollowUps = append(slices.Clone(s.FollowUps), FollowUp{N: r.N, Step: r.Step, At: r.At, What: r.What})
	for i := 0; i < len(s.FollowUps) && len(s.FollowUps) > mostToldOf; {
		if s.FollowUps[i].open(at) {
			i++
			continue
		}
		s.FollowUps = slices.Delete(s.FollowUps, i, i+1)
	}
}

// cancelFollowUps notes that those that are open are taken back which fit.
func (s *State) cancelFollowUps(by string, at time.Time, fit func(FollowUp) bool) {
	s.FollowUps = slices.Clone(s.FollowUps)
	for i, f := range s.FollowUps {
		if f.open(at) && fit(f) {
			s.FollowUps[i].Cancelled = by
		}
	}
}

// Within tells whether a follow-up was set in a step, or inside it.
func (f FollowUp) Within(step string) bool {
	return f.Step == step || strings.HasPrefix(f.Step, step+"/")
}
