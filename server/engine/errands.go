package engine

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/money"
	"woolsignal/core/run"
	"woolsignal/core/step"
	"woolsignal/server/fault"
	"woolsignal/server/model"
	"woolsignal/server/table"
	"woolsignal/server/tool"
)

// sendEarly sends what of an advance need not wait for it to be durable, and leaves the
// rest in it. A run whose delivery may have come before sends nothing early: nobody would
// pay for what it asks.
func (e *Engine) sendEarly(l *live, a *advance) {
	if !l.unsure.Load() {
		var early []run.Errand
		early, a.errands = e.split(a.errands)
		e.send(l, early)
	}
	if a.caller != nil {
		e.sendEarly(l.caller, a.caller)
	}
}

// split parts the errands that change nothing outside, and so need not wait
// for their entry to be durable, from those that must.
func (e *Engine) split(errands []run.Errand) (early, after []run.Errand) {
	for _, errand := range errands {
		if e.changesNothing(errand.Task) {
			early = append(early, errand)
		} else {
			after = append(after, errand)
		}
	}
	return early, after
}

func (e *Engine) changesNothing(task run.Task) bool {
	switch task := task.(type) {
	case *run.Ask, *run.Script, *run.Look:
		return true
	case *run.Call:
		return e.readsOnly(task.Tool)
	}
	return false
}

func (e *Engine) readsOnly(tool string) bool {
	t, ok := e.workspace.Now().Tools.Find(tool)
	return ok && t.ReadOnly
}

// try does one errand, where its run still wants it, and tells whether it is
// to be tried again later. A fault of ours, or work that ended the process
// before, makes the errand fail with that reason.
func (e *Engine) try(errand run.Errand) (again bool) {
	if !e.awaits(errand) {
		return false
	}
	work := "errand " + errand.Key()
	if why := e.PutAside(work); why != "" {
		e.fail(errand, why)
		return false
	}
	fault.Labelled(work, func() {
		err := fault.Catch(e.log, work, func() (err error) {
			again, err = e.do(errand)
			return err
		})
		if err != nil {
			e.fail(errand, err.Error())
		}
	})
	return again
}

// awaits tells whether an errand's run still wants it done.
func (e *Engine) awaits(errand run.Errand) bool {
	switch errand.Task.(type) {
	case *run.Cancel, *run.Listen, *run.Abandon:
		return true
	}
	l := e.runs.hold(errand.Run)
	defer e.runs.release(l)
	wanted := false
	err := e.locked(e.hard, l, func() error {
		wanted = l.state.Awaits(errand)
		return nil
	})
	if err != nil {
		return !errors.Is(err, ErrNoRun) // where that cannot be known, its answer is taken in or not
	}
	return wanted
}

// fail answers an errand that could not be done for a reason of our own. What
// may have left by then is in doubt.
func (e *Engine) fail(errand run.Errand, why string) {
	switch task := errand.Task.(type) {
	case *run.Ask:
		e.deliver(errand.Run, errand.Answer(&run.Answered{Error: why}))
	case *run.Call:
		if task.Resend == flow.ResendNever {
			e.deliver(errand.Run, errand.Answer(&run.Lost{Why: sentence(why)}))
		} else {
			e.deliver(errand.Run, errand.Answer(&run.Returned{Error: why, Effect: run.Unsure}))
		}
	case *run.Look:
		e.deliver(errand.Run, errand.Answer(&run.Looked{Error: why}))
	case *run.Script, *run.Start:
		e.deliver(errand.Run, errand.Answer(&run.Returned{Error: why}))
	case *run.Recall:
		e.deliver(errand.Run, &run.Break{Why: why})
	}
}

// do sends one errand and takes its answer back to the run.
func (e *Engine) do(errand run.Errand) (again bool, err error) {
	switch task := errand.Task.(type) {
	case *run.Ask:
		answered, aside := e.ask(errand, task)
		defer aside.over()      // once it stands in the journal
		if e.ctx.Err() == nil { // else the engine stops; the journal knows what is open
			e.deliver(errand.Run, errand.Answer(answered))
		}
	case *run.Call:
		reply, aside := e.useTool(errand, task)
		defer aside.over()
		if reply != nil {
			e.deliver(errand.Run, errand.Answer(reply))
		}
	case *run.Abandon:
		e.callOff(errand, task)
	case *run.Look:
		e.deliver(errand.Run, errand.Answer(e.look(errand, task)))
	case *run.Script:
		returned := e.runScript(task)
		if e.ctx.Err() == nil {
			e.deliver(errand.Run, errand.Answer(returned))
		}
	case *run.Start:
		return e.startChild(errand, task)
	case *run.Listen:
		if err := e.listen(errand, task); err != nil {
			e.log.Error("a signal could not be brought to the run that waits for it; it is tried again",
				"run", errand.Run, "step", errand.Step, "error", err)
			return e.hard.Err() == nil, nil
		}
	case *run.Cancel:
		return e.cancelChild(errand, task)
	case *run.Recall:
		return e.recallLate(errand, task)
	}
	return false, nil
}

// look finds out what a call is about.
func (e *Engine) look(errand run.Errand, look *run.Look) *run.Looked {
	shown, err := e.workspace.Now().Tools.Show(e.hard, e.kit, look.Tool, look.Args,
		tool.Sending{Key: errand.Key(), For: look.For, Run: errand.Run})
	if err != nil {
		var refused *tool.RefusedError
		return &run.Looked{Error: err.Error(), Refused: errors.As(err, &refused)}
	}
	return &run.Looked{Before: shown.Before, After: shown.After}
}

// runScript runs a script in a process of its own.
func (e *Engine) runScript(s *run.Script) *run.Returned {
	result, err := e.scripts.Run(e.ctx, s.Code, s.Inputs, s.Within)
	if err != nil {
		return &run.Returned{Error: err.Error()}
	}
	return &run.Returned{Result: expr.Canonical(result)}
}

// ask asks a model, and gives what was put aside for that, nil for nothing.
func (e *Engine) ask(errand run.Errand, ask *run.Ask) (*run.Answered, *expense) {
	connection, m, ok := e.workspace.Now().FindModel(ask.Model)
	if !ok {
		return &run.Answered{Error: "no connection offers the model " + ask.Model + " any more"}, nil
	}
	server, err := e.server(connection)
	if err != nil {
		return &run.Answered{Error: err.Error()}, nil
	}
	aside, err := e.affordTurn(errand.Run, m, ask)
	if err != nil {
		return &run.Answered{Error: err.Error()}, nil
	}
	thread, aloud, said := e.conversation(errand)
	voice := e.speaks(errand, thread, aloud && !ask.Whole, said)
	reply, err := server.Ask(e.ctx, m, ask, voice.says)
	heard := voice.ends()
	aside.came(reply.Turn.Cost)
	if err != nil {
		return &run.Answered{Error: err.Error(), Turn: reply.Turn, Heard: heard}, aside
	}
	return &run.Answered{Message: reply.Message, Turn: reply.Turn, Heard: heard}, aside
}

// conversation gives the thread of an errand's run, "" where it has none, whether what its
// step answers is said there as it is, and the secrets a stranger said there themselves.
func (e *Engine) conversation(errand run.Errand) (thread string, aloud bool, said []string) {
	l := e.runs.hold(errand.Run)
	defer e.runs.release(l)
	_ = e.locked(e.hard, l, func() error { // what cannot be read has none to tell
		thread, aloud = l.thread(), errand.CallID == "" && step.Aloud(l.def.Workflow, errand.Step)
		said = slices.Clone(l.spoken)
		return nil
	})
	return thread, aloud, said
}

// server keeps one client a connection, made anew when its file changes.
func (e *Engine) server(c *flow.Connection) (*model.Server, error) {
	if kept, ok := e.models.Load(c.ID); ok && kept.(*model.Server).Connection == c {
		return kept.(*model.Server), nil
	}
	client, err := e.kit.Client(c)
	if err != nil {
		return nil, err
	}
	s := &model.Server{Connection: c, Client: client, Files: e.kit}
	e.models.Store(c.ID, s)
	return s, nil
}

// pauses are how long a call that may be sent again waits between tries.
var pauses = []time.Duration{200 * time.Millisecond, time.Second}

// useTool uses a tool and gives the outcome; nil where there is none, since
// the engine stops or the run wants it no longer. A plain no to a sending says
// nothing of the ones before it, which may have happened. It gives what was put
// aside for it, too, nil for nothing.
func (e *Engine) useTool(errand run.Errand, call *run.Call) (run.Reply, *expense) {
	spec, _ := e.workspace.Now().Tools.Find(call.Tool)
	var aside *expense
	if spec.Priced() {
		var err error
		if aside, err = e.affordCall(errand.Run, spec); err != nil {
			refused := &run.Returned{Error: err.Error()}
			if errand.Again { // it may have happened when it was sent before
				refused.Effect = run.Unsure
			}
			return refused, nil
		}
	}
	var cost money.Micros
	reply := e.callTool(errand, call, func(more money.Micros) { cost += more })
	if returned, is := reply.(*run.Returned); is {
		if returned.Error == "" {
			cost += spec.Cost(returned.Result)
		}
		returned.Cost = cost
	}
	if aside == nil && cost > 0 { // known only now, as of embeddings: the book is read anew
		aside = &expense{engine: e}
	}
	aside.came(cost)
	return reply, aside
}

// callTool makes the call.
func (e *Engine) callTool(errand run.Errand, call *run.Call, costs func(money.Micros)) run.Reply {
	unsure := errand.Again
	for try := 0; ; try++ {
		result, err := e.workspace.Now().Tools.Call(e.hard, e.kit, call.Tool, call.Args,
			tool.Sending{Key: errand.Key(), Again: errand.Again || try > 0, For: call.For, Run: errand.Run,
				Ref: call.Ref, Cost: costs})
		if e.hard.Err() != nil {
			return nil
		}
		if reply := outcome(result, err); reply != nil {
			if r, ended := reply.(*run.Returned); ended && r.Error != "" && r.Effect == "" && unsure {
				r.Effect = run.Unsure
			}
			return reply
		}
		unsure = unsure || tool.EffectOf(err) == run.Unsure
		pause, ok := pauseFor(err, try)
		if !ok || try == len(pauses) {
			given := &run.Returned{Error: err.Error()}
			if unsure {
				given.Effect = run.Unsure
			}
			return given
		}
		select {
		case <-time.After(pause):
		case <-e.ctx.Done():
			return nil
		}
		if !e.awaits(errand) {
			return nil
		}
	}
}

// outcome is what a call came to; nil where trying again may help.
func outcome(result any, err error) run.Reply {
	var uncertain *tool.UncertainError
	var refused *tool.RefusedError
	var missing *tool.MissingError
	var pending *tool.PendingError
	var happened *tool.HappenedError
	switch {
	case err == nil:
		return &run.Returned{Result: expr.Canonical(result)}
	case errors.As(err, &pending):
		return &run.Pending{Ref: pending.Ref, After: pending.After}
	case errors.As(err, &uncertain):
		return &run.Lost{Why: sentence(uncertain.Err.Error())}
	case errors.As(err, &missing):
		return &run.Missing{Connection: missing.Connection, Of: missing.Of, Why: err.Error()}
	case errors.As(err, &happened):
		return &run.Returned{Error: err.Error(), Effect: run.TookPlace}
	case errors.As(err, &refused):
		return &run.Returned{Error: err.Error(), NotFound: refused.NotFound}
	}
	return nil
}

// sentence ends a reason as sentences do, for others to follow.
func sentence(why string) string {
	if strings.HasSuffix(why, ".") {
		return why
	}
	return why + "."
}

// longestPause bounds how long a call waits for a peer that asks for it; a
// step's retry may wait longer.
const longestPause = time.Minute

// pauseFor is how long to wait before a call is tried again: what the peer
// asks for, else a little longer each time. ok is false where it asks for
// more than a call waits.
func pauseFor(err error, try int) (pause time.Duration, ok bool) {
	var busy *tool.BusyError
	var away *tool.AwayError
	after := time.Duration(0)
	if errors.As(err, &busy) {
		after = busy.After
	} else if errors.As(err, &away) {
		after = away.After
	}
	if after > 0 {
		return after, after <= longestPause
	}
	return pauses[min(try, len(pauses)-1)], true
}

// host is what the engine gives a run that moves: errands that only read our
// own memory are answered on the spot, so that they share the entry they came
// from.
func (e *Engine) host(ctx context.Context, l *live, mask func(string) string) run.Host {
	open := func() (int, error) { return e.openFollowUps(ctx, l) }
	return run.Host{Mask: mask, FollowUps: open, OnTheSpot: func(errand run.Errand) (run.Reply, error) {
		if recall, ours := errand.Task.(*run.Recall); ours {
			return e.recall(ctx, recall)
		}
		return nil, nil
	}}
}

// recall reads a memory: its newest exchanges, what is known, and what there is to
// choose from.
func (e *Engine) recall(ctx context.Context, wanted *run.Recall) (run.Reply, error) {
	choices, err := e.choices(ctx, wanted.Choices)
	var invalid *table.InvalidError
	if errors.As(err, &invalid) {
		return &run.Recalled{Error: invalid.Message}, nil
	}
	if err != nil {
		return nil, err
	}
	remembered, holder, err := e.remembered(ctx, wanted)
	if err != nil {
		return nil, err
	}
	facts, err := e.facts(ctx, wanted.About)
	if err != nil {
		return nil, err
	}
	return &run.Recalled{Messages: remembered, Facts: facts, Choices: choices, Holder: holder}, nil
}

// choices reads what the values of an answer are chosen from.
func (e *Engine) choices(ctx context.Context, from []flow.ChosenFrom) ([][]flow.Choice, error) {
	w := e.workspace.Now()
	var out [][]flow.Choice
	for _, one := range from {
		of := w.Tables[one.Table]
		if of == nil {
			return nil, &table.InvalidError{Message: "there is no table " + one.Table + " to choose from"}
		}
		choices, err := (&table.Table{Of: of, Store: e.store, Zone: w.Zone}).Choices(ctx, one)
		if err != nil {
			return nil, err
		}
		out = append(out, choices)
	}
	return out, nil
}

// remembered reads the newest exchanges of a thread, oldest first, and which agent had
// the last one.
func (e *Engine) remembered(ctx context.Context, r *run.Recall) ([]agent.Message, string, error) {
	if r.Memory == "" {
		return nil, "", nil
	}
	rows, err := e.store.Read().QueryContext(ctx,
		"SELECT messages, agent FROM memory WHERE memory = ? ORDER BY n DESC LIMIT ?", r.Memory, max(1, r.Turns))
	if err != nil {
		return nil, "", fmt.Errorf("engine: memory: %w", err)
	}
	defer rows.Close()
	var holders []string
	var exchanges [][]agent.Message
	for rows.Next() {
		var text []byte
		var by string
		if err := rows.Scan(&text, &by); err != nil {
			return nil, "", fmt.Errorf("engine: memory: %w", err)
		}
		var exchange []agent.Message
		if err := json.Unmarshal(text, &exchange); err != nil {
			return nil, "", fmt.Errorf("engine: memory: %w", err)
		}
		run.CanonicalMessages(exchange)
		holders, exchanges = append(holders, by), append(exchanges, exchange)
	}
	if len(holders) == 0 || rows.Err() != nil {
		return nil, "", rows.Err()
	}
	exchanges = exchanges[:min(r.Turns, len(exchanges))]
	slices.Reverse(exchanges)
	return slices.Concat(exchanges...), holders[0], nil
}

// StopRun ends a run because a person says so. It gives [run.ErrStale] where
// the run has ended already.
func (e *Engine) StopRun(ctx context.Context, id string, s run.Stop) error {
	return e.handle(ctx, id, &s)
}

// Decide takes a person's decision about a review to its run. Errors:
// [run.ErrStale], a *[run.Refused], [ErrNoRun].
func (e *Engine) Decide(ctx context.Context, id string, d run.Decided) error {
	return e.handle(ctx, id, &d)
}
