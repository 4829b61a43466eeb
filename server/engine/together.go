package engine

import (
	"context"
	"errors"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/store"
)

// errTogether says that a run could not be written with the one that waits for it. It is
// then written alone, and its caller told as of anything else.
var errTogether = errors.New("it could not be written with what its caller makes of it")

// spoil takes back what could not be written.
func spoil(l *live, a advance) {
	l.spoil(a.caller != nil)
	if a.caller != nil {
		l.caller.spoil(false)
	}
}

// queue hands what a run's advance writes over to the writer; where that is news to the
// run that waits for it, with what that one makes of the news: a run's beginning and end
// are in no record without being in its caller's. Where the caller cannot be moved, it is
// told afterwards, as of anything else. l is locked. Locks are taken upwards only, from a
// run to the one that waits for it.
func (e *Engine) queue(ctx context.Context, l *live, at time.Time, out *advance, b store.Batch) {
	if news := l.news(); news != nil && e.locked(ctx, l.caller, func() error {
		return e.queueBoth(ctx, l, at, out, b, news)
	}) == nil {
		return
	}
	out.durable = e.store.Queue(b)
}

// queueBoth is queue where there is news. Both runs are locked. With an error nothing is
// queued.
func (e *Engine) queueBoth(ctx context.Context, l *live, at time.Time, out *advance, b store.Batch,
	news run.Reply) error {
	if l.caller.unreadable != nil {
		return l.caller.unreadable
	}
	noted, also, err := e.prepare(ctx, l.caller, at, nextBatch, replyTo(l.state.Origin, news))
	if err != nil {
		return err
	}
	l.caller.writing++
	out.caller = &noted
	b.Savepoint()
	b.Add(also)
	if l.state.Status.Ended() {
		toldIn(&b, l)
	}
	out.durable = e.store.Queue(b)
	return nil
}

// news is what an advance is to who waits for the run; nil for nothing.
func (l *live) news() run.Reply {
	switch {
	case l.caller == nil || l.alone:
		return nil
	case l.state.Status.Ended():
		return returned(l)
	case l.state.Seq == 1:
		return &run.ChildBegan{Run: l.id}
	}
	return nil
}

// replyTo is what a called run says to the step or the agent that called it.
func replyTo(o *run.Origin, reply run.Reply) *run.Answer {
	return &run.Answer{Ticket: run.Ticket{Step: o.Step, Sending: o.Call, CallID: o.Ask}, Reply: reply}
}
