package client

import (
	"context"
	"errors"
	"time"

	"woolsignal/core/run"
	"woolsignal/wire"
)

// soon is how long a run may sleep and still be waited for.
const soon = 10 * time.Second

// settled tells whether a run has ended, or waits for something that may take
// long.
func settled(d wire.Detail) bool {
	return d.Status.Ended() || d.Status == run.Waiting && (d.Wake == nil || time.Until(*d.Wake) > soon)
}

// Settled waits until a run has ended or waits for a person, a signal or a later hour; a
// run that waits for one it called is as far as that one. A service that is starting again
// meanwhile is waited for.
func (c *Client) Settled(ctx context.Context, id string) (wire.Detail, error) {
	for pause := 20 * time.Millisecond; ; pause = min(pause*2, time.Second) {
		d, err := c.Run(ctx, id)
		if err == nil && settled(d) || err != nil && !errors.Is(err, ErrUnreachable) {
			return d, err
		}
		select {
		case <-time.After(pause):
		case <-ctx.Done():
			return d, ctx.Err()
		}
	}
}
