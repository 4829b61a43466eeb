package caldav

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/teambition/rrule-go"

	"woolsignal/server/confined"
)

// repeatsWork counts how often an event takes place. A rule may be written so
// that next to nothing fits it, and then is gone through for millennia.
const repeatsWork = "calendar repeats"

// longestCount is how long one event may be counted.
const longestCount = 3 * time.Second

func init() {
	confined.Register(repeatsWork, func(_ time.Duration, in json.RawMessage) (any, error) {
		var r rule
		if err := json.Unmarshal(in, &r); err != nil {
			return nil, err
		}
		return r.starts()
	})
}

// rule is how an event repeats (RFC 5545, 3.8.5), as lines, and up to when it
// is asked for.
type rule struct {
	Lines []string  `json:"lines"`
	Zone  string    `json:"zone"`
	Until time.Time `json:"until"`
}

// starts are the times the event begins, at most one more than is counted.
func (r rule) starts() ([]time.Time, error) {
	zone, err := time.LoadLocation(r.Zone)
	if err != nil {
		return nil, err
	}
	set, err := rrule.StrSliceToRRuleSetInLoc(r.Lines, zone)
	if err != nil {
		return nil, err
	}
	out := []time.Time{}
	next := set.Iterator()
	for len(out) <= mostOccurrences {
		at, more := next()
		if !more || at.After(r.Until) {
			break
		}
		out = append(out, at)
	}
	return out, nil
}

// repeats counts when an event takes place up to a time, in a confined process.
func (c *calendars) repeats(ctx context.Context, set *rrule.Set, until time.Time) ([]time.Time, error) {
	if c.confined == nil {
		return nil, errors.New("no confined process counts repeats here")
	}
	zone := set.GetDTStart().Location().String()
	var out []time.Time
	err := c.confined.Do(ctx, repeatsWork, longestCount, rule{set.Recurrence(), zone, until}, &out)
	switch {
	case errors.Is(err, confined.ErrBroke):
		return nil, errors.New("its rule cannot be gone through in time: too little fits it")
	case err != nil:
		return nil, err
	case len(out) > mostOccurrences:
		return nil, fmt.Errorf("it takes place more than %d times before %s, too often to be counted", mostOccurrences,
			until.Format(time.DateOnly))
	}
	return out, nil
}
