package run

import (
	"cmp"
	"crypto/sha256"
	"encoding/base32"
	"fmt"
	"maps"
	"slices"
	"strings"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
)

// reviewID names a review by where it stands, so that folding and replaying
// give the same name.
func (m *machine) reviewID(path, call string) string {
	sum := sha256.Sum256(fmt.Appendf(nil, "%s|%s|%s|%d", m.state.ID, path, call, len(m.state.Reviews)))
	return "rv-" + strings.ToLower(base32.StdEncoding.EncodeToString(sum[:])[:10])
}

// approval asks a person before an agent's tool is used.
func (m *machine) approval(a *flow.Agent, path string, call *agent.Call) {
	id := m.reviewID(path, call.ID)
	call.Review = id
	m.emit(&CallChanged{Step: path, Call: call})
	title, of, why := call.Tool, "owner", "Nobody wrote down who may approve "+call.Tool+
		", and it changes something outside."
	if spec, ok := m.def.Tools(call.Tool); ok {
		title = spec.Title
	}
	open, held := call.Args, map[string]any(nil)
	for _, t := range a.Tools {
		if t.Tool != call.Tool {
			continue
		}
		open, held = apart(call.Args, t.Fixes)
		if t.Approval != nil {
			of, why = m.whoDecides(t.Approval), whyAsked(a, t.Approval, title, call)
		}
	}
	m.emit(&ReviewAsked{Step: path, Review: &Review{ID: id, Ask: m.whom(of), Kind: OfApproval, Title: title, Why: why,
		Tool: call.Tool, Show: m.asked(), Thing: call.Thing,
		Call: call.ID, Edit: open, Held: held, Choices: []string{Approve, Decline}, Asked: m.now}})
}

// whoDecides is who is asked: where that is the speaker and nobody speaks, whoever the
// run serves, or else an owner.
func (m *machine) whoDecides(a *flow.Approval) string {
	if a.Ask != flow.Speaker {
		return a.Ask
	}
	return cmp.Or(m.state.Signal.For, "owner")
}

// whyAsked says why somebody is asked.
func whyAsked(a *flow.Agent, approval *flow.Approval, title string, c *agent.Call) string {
	why := fmt.Sprintf("%s may use “%s” only after a yes", a.Title, title)
	switch {
	case approval.When != nil:
		return why + " when " + approval.When.Told() + "."
	case c.Judged != nil && c.Judged.Sure > 0:
		return fmt.Sprintf("%s when this holds: %s It is %s that it does: %s", why, sentenceOf(approval.Judge),
			flow.Sureness(c.Judged.Sure), c.Judged.Reason)
	case c.Judged != nil:
		return fmt.Sprintf("%s when this holds: %s Whether it does is not known, as %s.", why,
			sentenceOf(approval.Judge), strings.TrimSuffix(c.Judged.Reason, "."))
	}
	return why + "."
}

// sentenceOf ends a criterion as sentences do.
func sentenceOf(criterion string) string {
	return strings.TrimSuffix(strings.TrimSpace(criterion), ".") + "."
}

// apart parts arguments into those a reviewer may change and those only the
// agent's file says.
func apart(args map[string]any, fixed func(string) bool) (open, held map[string]any) {
	open, held = map[string]any{}, map[string]any{}
	for k, v := range args {
		if fixed(k) {
			held[k] = v
		} else {
			open[k] = v
		}
	}
	return open, held
}

// asked tells a reviewer whose wish this is.
func (m *machine) asked() any {
	s := m.state.Signal
	if s.Text == "" {
		return nil
	}
	return map[string]any{s.sender() + " wrote": s.Text}
}

// sender says who wrote, for whoever decides by it: a name is what its bearer likes, so the
// address stands beside it, and whether anybody stands for that.
func (s *Signal) sender() string {
	who := cmp.Or(agent.Line(s.From["name"]), "somebody")
	known := s.Vouched()
	address := agent.Line(cmp.Or(known, s.From["email"], s.From["phone"]))
	switch {
	case known != "":
		return who + " (" + address + ", signed in)"
	case s.From[Verified] == "true":
		return who + " (" + address + ", the mailbox checked the sender)"
	case address != "":
		return who + " (" + address + ", not checked)"
	}
	return who + " (not known here)"
}

// lost asks a person about a call that may or may not have happened.
func (m *machine) lost(step *Step, callID, why string) error {
	tool, args := "", step.Input
	if callID != "" {
		call := step.Agent.Call(callID)
		tool, args = call.Tool, call.Args
		uncertain := *call
		uncertain.State = agent.Uncertain
		m.emit(&CallChanged{Step: step.Path, Call: &uncertain})
	} else {
		tool = m.toolOf(step)
	}
	m.emit(&ReviewAsked{Step: step.Path,
		Review: &Review{ID: m.reviewID(step.Path, callID), Ask: "builder", Kind: OfDoubt,
			Title: "Did this happen? " + tool, Tool: tool, Price: m.priceOf(tool), Call: callID, Show: args,
			Why:     why + " It may or may not have taken effect, and the other side cannot tell two apart.",
			Choices: []string{Happened, SendAgain, DidNot}, Asked: m.now}})
	return m.broken
}

// decided takes a person's decision in.
func (m *machine) decided(step *Step, d *Decided) error {
	open := m.state.Reviews[d.Review]
	if open == nil || !open.open() {
		return ErrStale
	}
	if !slices.Contains(open.Choices, d.Choice) {
		return &Refused{fmt.Sprintf("%q is not a choice here; possible: %s", d.Choice,
			strings.Join(open.Choices, ", "))}
	}
	if open.Kind == OfAdvice && d.Choice == AnswerIt && strings.TrimSpace(d.Note) == "" {
		return &Refused{"write along with it what the agent is to know; it reads nothing else"}
	}
	review := *open
	review.Choice, review.By, review.Note, review.Decided = d.Choice, d.By, d.Note, m.now
	for _, k := range slices.Sorted(maps.Keys(d.Edited)) {
		if _, ok := open.Edit[k]; !ok && open.Kind != OfApproval {
			return &Refused{k + " cannot be edited here"}
		}
		if _, fixed := open.Held[k]; fixed {
			return &Refused{k + " is fixed in the agent's file and cannot be changed here; add it to editable: there " +
				"where whoever approves may"}
		}
	}
	if len(d.Edited) > 0 {
		review.Edited = maps.Clone(open.Edit)
		maps.Copy(review.Edited, d.Edited)
	}
	if open.Kind == OfApproval && review.Edited != nil {
		if err := m.fits(open.Tool, review.args()); err != nil {
			return &Refused{"the changed values do not fit: " + err.Error()}
		}
	}
	m.emit(&ReviewAnswered{Step: step.Path, Review: &review})
	switch {
	case open.Kind == OfStep:
		at, err := m.at(step.Path)
		if err != nil {
			return err
		}
		if d, decides := at.Step.Does.(Deciding); decides {
			d.Decided(at, &review)
		}
	case !open.ofStep():
		m.settleCall(step, &review)
	default:
		m.settleTool(step, &review)
	}
	return m.broken
}

func (m *machine) fits(tool string, args map[string]any) error {
	spec, ok := m.def.Tools(tool)
	if !ok {
		return fmt.Errorf("there is no tool %s any more", tool)
	}
	if s := m.def.schemaOf(spec); s != nil {
		return s.Validate(args)
	}
	return nil
}

// settleCall lets an agent's call go on as a person decided.
func (m *machine) settleCall(step *Step, review *Review) {
	call := *step.Agent.Call(review.Call)
	call.By, call.Note = review.By, review.Note
	call.Waited += m.now.Sub(review.Asked)
	switch review.Choice {
	case Approve, SendAgain, GoOn:
		if review.Edited != nil {
			call.Args, call.Edited = review.args(), true
		}
		call.State = agent.Running
		if review.Choice == SendAgain {
			call.Sent++ // the one before may still be on its way
		}
	case AnswerIt:
		call.State, call.Ended, call.Result = agent.Done, m.now, map[string]any{"answered_by": review.By,
			"answer": review.Note}
	case Happened:
		m.happened(step, review)
		call.Cost = step.Agent.Call(call.ID).Cost
		call.State, call.Ended, call.Result = agent.Done, m.now, map[string]any{"confirmed_by": review.By}
	case GiveUp:
		call.State, call.Ended, call.Error = agent.Failed, m.now, "the connection it needs is missing"
	case Decline:
		call.State, call.Ended = agent.Declined, m.now
	default:
		call.State, call.Ended, call.Error = agent.Failed, m.now, review.By+" says it did not happen"
	}
	if call.State == agent.Running {
		m.letGo(step, m.def.Agents[step.Agent.Agent], &call)
		return
	}
	m.emit(&CallChanged{Step: step.Path, Call: &call})
}

// settleTool lets a tool step go on as a person decided.
func (m *machine) settleTool(step *Step, review *Review) {
	switch review.Choice {
	case Happened:
		m.happened(step, review)
		m.emit(&StepEnded{Step: step.Path, Status: Done, Output: map[string]any{"confirmed_by": review.By}})
	case SendAgain:
		m.renumber(step)
		m.resend(step)
	case GoOn:
		m.resend(step)
	case GiveUp:
		m.emit(&StepEnded{Step: step.Path, Status: Failed, Error: "the connection it needs is missing"})
	default:
		m.emit(&StepEnded{Step: step.Path, Status: Failed, Error: review.By + " says it did not happen"})
	}
}

// renumber makes the call of a step another one: the one before, which may
// still be on its way, is no longer awaited.
func (m *machine) renumber(step *Step) {
	m.emit(&StepSent{Step: step.Path, Input: step.Input, Resend: step.Resend})
}

// resend sends a step's call once more, under the key it has.
func (m *machine) resend(step *Step) {
	for _, e := range m.outstanding(step) {
		m.send(e)
	}
}

// missing asks for a connection where it is needed; the call goes on once
// somebody has given it.
func (m *machine) missing(step *Step, callID string, missing *Missing) error {
	tool := ""
	if callID != "" {
		call := *step.Agent.Call(callID)
		tool, call.State = call.Tool, agent.Proposed
		call.Review = m.reviewID(step.Path, callID)
		m.emit(&CallChanged{Step: step.Path, Call: &call})
	} else {
		tool = m.toolOf(step)
	}
	m.emit(&ReviewAsked{Step: step.Path,
		Review: &Review{ID: m.reviewID(step.Path, callID), Ask: missing.Of, Kind: OfConnection,
			Title: "Connect " + missing.Connection, Tool: tool, Call: callID, Needs: missing.Connection,
			Why:     missing.Why,
			Choices: []string{GoOn, GiveUp}, Asked: m.now}})
	return m.broken
}
