package engine

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/egress"
	"woolsignal/server/model"
	"woolsignal/server/tool"
)

// split parts the errands that change nothing outside, and so need not wait
// for their entry to be durable, from those that must.
func (e *Engine) split(errands []run.Errand) (early, after []run.Errand) {
	for _, errand := range errands {
		if errand.Ask != nil || errand.Script != nil || errand.Call != nil && e.readsOnly(errand.Call.Tool) {
			early = append(early, errand)
		} else {
			after = append(after, errand)
		}
	}
	return early, after
}

func (e *Engine) readsOnly(tool string) bool {
	t, ok := e.workspace.Now().Tools.Find(tool)
	return ok && t.ReadOnly
}

// do sends one errand and takes its answer back to the run.
func (e *Engine) do(errand run.Errand) {
	event := run.Event{Step: errand.Step, Try: errand.Try, Turn: errand.Turn, CallID: errand.CallID}
	switch {
	case errand.Ask != nil:
		if event.Answered = e.ask(errand); e.ctx.Err() != nil {
			return // the engine stops; the journal knows what is open
		}
	case errand.Call != nil:
		if e.useTool(errand, &event); event.Returned == nil && !event.Lost && event.Missing == nil {
			return
		}
	case errand.Script != nil:
		if event.Returned = e.runScript(errand.Script); e.ctx.Err() != nil {
			return
		}
	case errand.Start != nil:
		event = e.startChild(errand)
		if e.hard.Err() != nil {
			return
		}
	case errand.Listen != nil:
		e.listen(errand)
		return
	case errand.Cancel != nil:
		e.take(errand.Cancel.Run, run.Event{Stopped: &run.Stop{By: errand.Cancel.By, Note: "the run that called it goes on without it"}})
		return
	case errand.Recall != nil:
		e.recallLate(errand)
		return
	}
	e.take(errand.Run, event)
}

// runScript runs a script in a process of its own.
func (e *Engine) runScript(s *run.Script) *run.Returned {
	result, err := e.scripts.Run(e.ctx, s.Code, s.Inputs, s.Within)
	if err != nil {
		return &run.Returned{Error: e.secrets.Mask(err.Error())}
	}
	return &run.Returned{Result: expr.Canonical(result)}
}

// take brings an event to its run where no caller waits to be told of trouble.
func (e *Engine) take(id string, event run.Event) {
	if err := e.handle(e.hard, id, event); err != nil && !errors.Is(err, run.ErrStale) && !errors.Is(err, ErrNoRun) && e.hard.Err() == nil {
		e.log.Error("an event could not be taken in", "run", id, "step", event.Step, "error", err)
	}
}

func (e *Engine) ask(errand run.Errand) *run.Answered {
	connection, m, ok := e.workspace.Now().FindModel(errand.Ask.Model)
	if !ok {
		return &run.Answered{Error: "no connection offers the model " + errand.Ask.Model + " any more"}
	}
	server, err := e.server(connection)
	if err != nil {
		return &run.Answered{Error: err.Error()}
	}
	thread := e.threadOf(errand.Run)
	reply, err := server.Ask(e.ctx, m, errand.Ask, func(piece string) {
		e.Hub.tell(News{Kind: "piece", Run: errand.Run, Thread: thread, Step: errand.Step, Text: piece})
	})
	if err != nil {
		return &run.Answered{Error: e.secrets.Mask(err.Error())}
	}
	reply.Message.Text = e.secrets.Mask(reply.Message.Text)
	return &run.Answered{Message: reply.Message, Turn: reply.Turn}
}

// threadOf gives the conversation of a moving run; "" where it has none.
func (e *Engine) threadOf(id string) string {
	e.mu.Lock()
	defer e.mu.Unlock()
	if l, ok := e.live[id]; ok {
		return l.thread
	}
	return ""
}

// server keeps one client a connection, made anew when its file changes.
func (e *Engine) server(c *flow.Connection) (*model.Server, error) {
	if kept, ok := e.models.Load(c.ID); ok && kept.(*model.Server).Connection == c {
		return kept.(*model.Server), nil
	}
	client, err := egress.Client(c, e.kit.Key(c), nil)
	if err != nil {
		return nil, err
	}
	s := &model.Server{Connection: c, Client: client}
	e.models.Store(c.ID, s)
	return s, nil
}

// pauses are how long a call that may be sent again waits between tries.
var pauses = []time.Duration{200 * time.Millisecond, time.Second}

// useTool uses a tool and puts the outcome into the event; neither outcome is
// set where the engine stops meanwhile.
func (e *Engine) useTool(errand run.Errand, event *run.Event) {
	for try := 0; ; try++ {
		result, err := e.workspace.Now().Tools.Call(e.hard, e.kit, errand.Call.Tool, errand.Call.Args,
			tool.Sending{Key: errand.Key(), Again: errand.Again || try > 0, For: errand.Call.For})
		if e.hard.Err() != nil {
			return
		}
		var uncertain *tool.UncertainError
		var refused *tool.RefusedError
		var missing *tool.MissingError
		switch {
		case err == nil:
			event.Returned = &run.Returned{Result: result}
			return
		case errors.As(err, &uncertain):
			event.Lost = true
			return
		case errors.As(err, &missing):
			event.Missing = &run.Missing{Connection: missing.Connection, Of: missing.Of, Why: err.Error()}
			return
		case errors.As(err, &refused), try == len(pauses):
			event.Returned = &run.Returned{Error: err.Error(), NotFound: refused != nil && refused.NotFound}
			return
		}
		pause, ok := pauseFor(err, try)
		if !ok {
			event.Returned = &run.Returned{Error: err.Error()}
			return
		}
		select {
		case <-time.After(pause):
		case <-e.ctx.Done():
			return
		}
	}
}

// longestPause bounds how long a call waits for a peer that asks for it; a
// step's retry may wait longer.
const longestPause = time.Minute

// pauseFor is how long to wait before a call is tried again: what the peer
// asks for, else a little longer each time. ok is false where it asks for
// more than a call waits.
func pauseFor(err error, try int) (pause time.Duration, ok bool) {
	var busy *tool.BusyError
	if errors.As(err, &busy) && busy.After > 0 {
		return busy.After, busy.After <= longestPause
	}
	return pauses[try], true
}

// recall answers, on the spot, the errands that only read our own memory, so
// that they share the entry they came from.
func (e *Engine) recall(ctx context.Context, m *run.Machine) error {
	for {
		again := false
		for _, errand := range m.TakeErrands() {
			if errand.Recall == nil {
				m.Return(errand)
				continue
			}
			remembered, err := e.remembered(ctx, errand.Recall)
			if err != nil {
				return err
			}
			facts, err := e.facts(ctx, errand.Recall.About)
			if err != nil {
				return err
			}
			if err := m.Handle(run.Event{Step: errand.Step, Try: errand.Try, Recalled: &run.Recalled{Messages: remembered, Facts: facts}}); err != nil {
				return err
			}
			again = true
		}
		if !again {
			return nil
		}
	}
}

// remembered reads the newest exchanges of a thread, oldest first.
func (e *Engine) remembered(ctx context.Context, r *run.Recall) ([]agent.Message, error) {
	rows, err := e.store.Read().QueryContext(ctx, "SELECT messages FROM (SELECT n, messages FROM memory WHERE memory = ? ORDER BY n DESC LIMIT ?) ORDER BY n", r.Memory, r.Turns)
	if err != nil {
		return nil, fmt.Errorf("engine: memory: %w", err)
	}
	defer rows.Close()
	var all []agent.Message
	for rows.Next() {
		var text []byte
		if err := rows.Scan(&text); err != nil {
			return nil, fmt.Errorf("engine: memory: %w", err)
		}
		var some []agent.Message
		if err := json.Unmarshal(text, &some); err != nil {
			return nil, fmt.Errorf("engine: memory: %w", err)
		}
		run.CanonicalMessages(some)
		all = append(all, some...)
	}
	return all, rows.Err()
}

// mostFacts is how many facts about one person or thing an agent is told.
const mostFacts = 100

// facts reads what is known of somebody or something, oldest first.
func (e *Engine) facts(ctx context.Context, about []string) ([]string, error) {
	var all []string
	for _, who := range about {
		some, err := e.column(ctx, "SELECT fact FROM (SELECT n, fact FROM facts WHERE about = ? ORDER BY n DESC LIMIT ?) ORDER BY n", who, mostFacts)
		if err != nil {
			return nil, fmt.Errorf("engine: facts: %w", err)
		}
		all = append(all, some...)
	}
	return all, nil
}

// StopRun ends a run because a person says so. It gives [run.ErrStale] where
// the run has ended already.
func (e *Engine) StopRun(ctx context.Context, id string, s run.Stop) error {
	return e.handle(ctx, id, run.Event{Stopped: &s})
}

// Decide takes a person's decision about a review to its run. Errors:
// [run.ErrStale], a *[run.Refused], [ErrNoRun].
func (e *Engine) Decide(ctx context.Context, id string, d run.Decided) error {
	return e.handle(ctx, id, run.Event{Decided: &d})
}
