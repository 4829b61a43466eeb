package client

import (
	"context"
	"errors"
	"net/http"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/run"
	"woolsignal/wire"
)

// soon is how long a run may sleep and still be waited for.
const soon = 10 * time.Second

// Settled waits until a run has ended or waits for a person, a signal or a later hour;
// a run that waits for runs it called is as far as they are. A service that is starting
// again meanwhile is waited for.
func (c *Client) Settled(ctx context.Context, id string) (wire.Detail, error) {
	for pause := 20 * time.Millisecond; ; pause = min(pause*2, time.Second) {
		d, done, err := c.settled(ctx, id)
		if err == nil && done || err != nil && !errors.Is(err, ErrUnreachable) {
			return d, err
		}
		select {
		case <-time.After(pause):
		case <-ctx.Done():
			return d, ctx.Err()
		}
	}
}

// settled gives a run, and tells whether it has ended or waits for what may take long.
func (c *Client) settled(ctx context.Context, id string) (wire.Detail, bool, error) {
	d, err := c.Run(ctx, id)
	if err != nil || d.Status.Ended() {
		return d, true, err
	}
	if d.Status != run.Waiting || d.Wake != nil && time.Until(*d.Wake) <= soon {
		return d, false, nil
	}
	for _, child := range awaited(d) {
		below, resting, err := c.settled(ctx, child)
		if problem := (*Problem)(nil); errors.As(err, &problem) && problem.Status == http.StatusNotFound {
			continue
		}
		if err != nil || !resting || below.Status.Ended() { // its end is about to be told
			return d, false, err
		}
	}
	return d, true, nil
}

// awaited are the runs that a run called and waits for.
func awaited(d wire.Detail) []string {
	var out []string
	for _, step := range d.Steps {
		if step.Status != run.Running && step.Status != run.Waiting {
			continue
		}
		if step.Child != "" {
			out = append(out, step.Child)
		}
		if step.Agent == nil {
			continue
		}
		for _, call := range step.Agent.Calls {
			if call.State == agent.Running && call.Child != "" {
				out = append(out, call.Child)
			}
		}
	}
	return out
}
