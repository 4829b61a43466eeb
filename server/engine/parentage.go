package engine

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"woolsignal/core/expr"
	"woolsignal/core/money"
	"woolsignal/core/run"
	"woolsignal/server/workspace"
)

// calling is a run that calls another, as that one is to know it.
type calling struct {
	origin     *run.Origin // of the run that is called
	definition string      // what the one that calls follows
	links      int         // runs before the one that is called that started one another
}

// parentage is what a run that is called is to the one that calls it. Error: *[InputError]
// where an agent asks somebody who waits for its answer.
func (e *Engine) parentage(errand run.Errand, start *run.Start) (*calling, error) {
	origin := &run.Origin{Kind: run.OfCall, Run: errand.Run, Step: errand.Step, Call: errand.Sending,
		Ask: errand.CallID}
	c := &calling{origin: origin}
	l := e.runs.hold(errand.Run)
	defer e.runs.release(l)
	err := e.locked(e.hard, l, func() error {
		c.definition, c.links = l.definition, l.state.Begun.Links+1
		if above := l.state.Origin; above != nil {
			if start.Await {
				origin.Line = slices.Clone(above.Line)
			}
			origin.Held, origin.Trial = above.Held, above.Trial
			origin.Trial.Until = ""
			origin.Under = slices.Clone(above.Under)
			for _, one := range above.Budgets {
				if one.Run == "" {
					one.Run = l.id
				}
				origin.Budgets = append(origin.Budgets, one)
			}
		}
		if start.Await {
			origin.Line = append(origin.Line, l.workflow())
		}
		if !slices.Contains(origin.Under, l.workflow()) {
			origin.Under = append(origin.Under, l.workflow())
		}
		if start.Most > 0 {
			origin.Budgets = append(origin.Budgets, run.Allowance{What: "what is left of the limit of " + asker(l,
				errand),
				Most: start.Most})
		}
		if most := l.def.Workflow.Budget.Run; most > 0 {
			origin.Budgets = append(origin.Budgets, run.Allowance{Run: l.id, What: "a run of " + l.def.Workflow.Title,
				Most: money.FromUnits(most)})
		}
		return nil
	})
	if err == nil && errand.CallID != "" {
		err = notInACircle(origin.Line, start)
	}
	return c, err
}

// asker is what the agent is called whose call an errand is.
func asker(l *live, errand run.Errand) string {
	step := l.state.Step(errand.Step)
	if step == nil || step.Agent == nil {
		return "its caller"
	}
	if def := l.def.Agents[step.Agent.Agent]; def != nil {
		return def.Title
	}
	return step.Agent.Agent
}

// notInACircle refuses a call of an agent to one that waits, directly or by others, for
// its answer.
func notInACircle(callers []string, start *run.Start) error {
	called := start.Workflow
	if start.Agent != "" {
		called = workspace.TaskOf(start.Agent)
	}
	if !slices.Contains(callers, called) {
		return nil
	}
	return &InputError{fmt.Sprintf("%s waits for this answer itself, so it cannot be asked: %s", called,
		strings.Join(append(callers, called), " → "))}
}

// consult starts a run of an agent that another asks. It begins with a clean memory and
// knows what it is given, as it stood when whoever asks was published.
func (e *Engine) consult(ctx context.Context, start run.Start, id string, c *calling) (*Ticket, error) {
	signal := &run.Signal{ID: id, Source: calls.String(), Type: run.ConsultedType, Time: e.now(), Kind: "called",
		Trigger: "task", Text: start.Task, Body: expr.Canonical(any(start.Inputs)), Draft: start.Draft,
		Stranger: start.Stranger, For: start.For}
	hash, err := e.workspace.Consulted(ctx, c.definition, start.Agent, signal)
	if err != nil {
		return nil, err
	}
	return e.begun(ctx, Admission{Workflow: workspace.TaskOf(start.Agent), Definition: hash, Signal: signal}, c)
}

// begun takes a called run in.
func (e *Engine) begun(ctx context.Context, a Admission, by *calling) (*Ticket, error) {
	a.Origin, a.by = by.origin, by
	ticket, err := e.Accept(ctx, a)
	if err == nil && ticket.Run == "" {
		return nil, errGivenUp
	}
	return ticket, err
}
