package trigger

import (
	"time"

	"woolsignal/core/flow"
)

// missedField says what becomes of times while nothing ran.
func missedField(into *string, usual, help string) flow.Field {
	return flow.Field{Name: "missed", Into: into, Choices: []string{"skip", "once", "all"}, Default: usual, Help: help,
		Example: "once"}
}

// tellMissed says so where it is not as usual.
func tellMissed(p *flow.Sentence, missed, usual string) {
	if missed == usual {
		return
	}
	p.Say("; ").Field("missed").Word(map[string]string{"skip": "missed times are left out",
		"once": "missed times count once", "all": "missed times are made up for"}[missed])
}

// timeOfDay reads at:; said is false where it is missing.
func timeOfDay(m flow.Reading, text string) (at time.Duration, said bool) {
	if !m.Has("at") {
		return 0, false
	}
	clock, err := time.Parse("15:04", text)
	if err != nil {
		m.Wrong("at", `at: "08:00"`, "%q is not a time of day", text)
	}
	return time.Duration(clock.Hour())*time.Hour + time.Duration(clock.Minute())*time.Minute, true
}
