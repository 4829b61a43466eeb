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

// parentage is what a run that is called is to the one that calls it, and what that one
// follows. Error: *[InputError] where an agent asks somebody who waits for its answer.
func (e *Engine) parentage(errand run.Errand, start *run.Start) (*run.Origin, string, error) {
	origin := &run.Origin{Kind: run.OfCall, Run: errand.Run, Step: errand.Step, Call: errand.Sending,
		Ask: errand.CallID}
	var hash string
	l := e.runs.hold(errand.Run)
	defer e.runs.release(l)
	err := e.locked(e.hard, l, func() error {
		hash = l.definition
		if above := l.state.Origin; above != nil {
			origin.Held, origin.Trial = above.Held, above.Trial
			origin.Trial.Until = ""
			for _, one := range above.Budgets {
				if one.Run == "" {
					one.Run = l.id
				}
				origin.Budgets = append(origin.Budgets, one)
			}
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
		err = e.notInACircle(errand.Run, start)
	}
	return origin, hash, err
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
func (e *Engine) notInACircle(id string, start *run.Start) error {
	callers, err := e.column(e.hard, `WITH RECURSIVE line (run, workflow, n) AS (
		SELECT id, workflow, 0 FROM runs WHERE id = ?
		UNION ALL SELECT p.id, p.workflow, line.n + 1 FROM line JOIN runs c ON c.id = line.run AND c.origin = 'call'
			JOIN runs p ON p.id = c.origin_run
	) SELECT workflow FROM line ORDER BY n DESC`, id)
	if err != nil {
		return fmt.Errorf("engine: who called: %w", err)
	}
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
func (e *Engine) consult(ctx context.Context, start run.Start, id string, origin *run.Origin,
	asker string) (string, error) {
	signal := &run.Signal{ID: id, Source: calls.String(), Type: "agent.consulted", Time: now(), Kind: "called",
		Trigger: "task", Text: start.Task, Body: expr.Canonical(any(start.Inputs)), Draft: start.Draft,
		Stranger: start.Stranger, For: start.For}
	hash, err := e.workspace.Consulted(ctx, asker, start.Agent, signal)
	if err != nil {
		return "", err
	}
	return e.begun(ctx, Admission{Workflow: workspace.TaskOf(start.Agent), Definition: hash, Signal: signal,
		Origin: origin})
}

// begun takes a called run in.
func (e *Engine) begun(ctx context.Context, a Admission) (string, error) {
	ticket, err := e.Accept(ctx, a)
	if err != nil {
		return "", err
	}
	if ticket.Run == "" {
		return "", errGivenUp
	}
	return ticket.Run, nil
}
