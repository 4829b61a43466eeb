package engine

import (
	"slices"
	"time"
)

// minute counts what happened within the last minute, for limits that are
// given by the minute, and wakes whoever is held back by one: once, however
// many are.
type minute struct {
	recent []time.Time
	waking bool // somebody looks again when the oldest is a minute ago
}

// room tells whether there is room for one more. Where there is none, again
// is called when there may be; it begins with [minute.woken]. The methods are
// called under one lock of their owner's.
func (m *minute) room(at time.Time, most int, again func()) bool {
	for i, t := range m.recent {
		if t.After(at) { // the clock was put back since
			m.recent[i] = at
		}
	}
	m.recent = slices.DeleteFunc(m.recent, func(t time.Time) bool { return at.Sub(t) >= time.Minute })
	if len(m.recent) < most {
		return true
	}
	if !m.waking {
		m.waking = true
		time.AfterFunc(m.recent[0].Add(time.Minute).Sub(at)+time.Millisecond, again)
	}
	return false
}

// took counts one more.
func (m *minute) took(at time.Time) { m.recent = append(m.recent, at) }

// woken tells that whoever was to look again does.
func (m *minute) woken() { m.waking = false }
