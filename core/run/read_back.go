package run

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// weighPatience is how long a model may take to weigh a criterion.
const weighPatience = 2 * time.Minute

// askSpeaker reads a call back to whoever the agent talks with; one after the other.
func (m *machine) askSpeaker(step *Step, a *flow.Agent, c *agent.Call) {
	call := *c
	call.State = agent.Proposed
	text, err := m.backText(a, c)
	if err != nil {
		call.State, call.Error, call.Ended = agent.Failed, "it could not be read back: "+err.Error(), m.now
		m.emit(&CallChanged{Step: step.Path, Call: &call})
		return
	}
	call.Back = &agent.Back{Text: text, Phase: agent.BackQueued}
	m.emit(&CallChanged{Step: step.Path, Call: &call})
	m.nextBack(step, a)
}

// nextBack reads the next call back that waits for it, where none is just now.
func (m *machine) nextBack(step *Step, a *flow.Agent) {
	var next *agent.Call
	for _, c := range step.Agent.Calls {
		switch {
		case c.Back == nil:
		case c.Back.Phase == agent.BackPosting || c.Back.Phase == agent.BackListening:
			return
		case c.Back.Phase == agent.BackQueued && c.State == agent.Proposed && next == nil:
			next = c
		}
	}
	if next == nil || m.broken != nil {
		return
	}
	m.emit(&WordsSaid{Step: step.Path, Text: next.Back.Text, Message: m.backMessage(step, next)})
	held := m.state.Origin != nil && m.state.Origin.Held
	if m.state.Signal.Via == nil || held {
		m.listenBack(step, a, next)
		return
	}
	m.moveBack(step, next, agent.BackPosting)
	for _, e := range m.approving(step, next) {
		m.send(e)
	}
}

// moveBack notes how far a read-back is.
func (m *machine) moveBack(step *Step, c *agent.Call, phase agent.BackPhase) {
	call, back := *c, *c.Back
	back.Phase = phase
	call.Back = &back
	m.emit(&CallChanged{Step: step.Path, Call: &call})
}

// listenBack waits for the answer.
func (m *machine) listenBack(step *Step, a *flow.Agent, c *agent.Call) {
	m.moveBack(step, c, agent.BackListening)
	within := flow.Span{Duration: 24 * time.Hour}
	if approval := approvalOf(a, c.Tool); approval != nil {
		within = approval.Within
	}
	m.emit(&ListeningBegan{Step: step.Path, Hearing: &Hearing{Source: ChatSource,
		Key: m.state.Signal.Conversation().String()}, Until: within.After(m.now, m.def.Calendar()).UTC()})
}

// backMessage is a read-back as it is written, in the agent's name.
func (m *machine) backMessage(step *Step, c *agent.Call) *Message {
	out := &Message{Text: c.Back.Text, Buttons: []string{"Yes", "No"}}
	if a := m.def.Agents[step.Agent.Agent]; a != nil {
		out.As = VoiceOf(a)
	}
	return out
}

// backText is what the speaker is asked: what the file says, or what the call does in
// words.
func (m *machine) backText(a *flow.Agent, c *agent.Call) (string, error) {
	if approval := approvalOf(a, c.Tool); approval != nil && approval.Says != nil {
		names := map[string]any{"args": c.Args, "signal": m.state.Signal.value(m.def.Zone), "before": nil, "after": nil}
		if c.Thing != nil {
			names["before"], names["after"] = c.Thing.Before, c.Thing.After
		}
		v, err := approval.Says.Eval(m.scope(names))
		return expr.Text(v), err
	}
	if c.Tool == flow.PlanTool {
		return "This is what I am going to do:\n" + agent.PlanInWords(c.Args) + "\nYes or no?", nil
	}
	_, does, _ := strings.Cut(c.Tool, "/")
	if t := c.Thing; t != nil && t.Words != "" {
		text := flow.Label(does) + ": " + t.Words
		for _, change := range t.Changes {
			text += fmt.Sprintf("; %s becomes %s", change.Name, change.After)
		}
		return text + ". Yes or no?", nil
	}
	var parts []string
	if t := c.Thing; t != nil && t.Unknown != "" {
		parts = append(parts, "what it is about cannot be looked at now")
	}
	for _, name := range slices.Sorted(maps.Keys(c.Args)) {
		if words := m.inWords(c.Args[name]); words != "" {
			parts = append(parts, flow.Plain(name)+" "+words)
		}
	}
	return flow.Label(does) + ": " + strings.Join(parts, ", ") + ". Yes or no?", nil
}

// posted is the call whose read-back an answer is about; nil where it is about none.
func (s *Step) posted(e *Answer) *agent.Call {
	if e.Turn != backTurn || s.Agent == nil {
		return nil
	}
	c := s.Agent.Call(e.CallID)
	if c == nil || c.Back == nil || c.Back.Phase != agent.BackPosting {
		return nil
	}
	return c
}

// posted takes in that a chat server took the words, or why not.
func (m *machine) posted(step *Step, c *agent.Call, why string) error {
	a := m.def.Agents[step.Agent.Agent]
	if a == nil {
		return ErrStale
	}
	if why == "" {
		m.listenBack(step, a, c)
		return m.broken
	}
	call, back := *c, *c.Back
	back.Phase = agent.BackSettled
	call.Back, call.State, call.Ended = &back, agent.Failed, m.now
	call.Error = "the speaker could not be asked: " + why
	m.emit(&CallChanged{Step: step.Path, Call: &call})
	m.nextBack(step, a)
	return m.broken
}

// heardBack takes a message in: of the one who is asked it is the answer; of others it
// is none, and starts what it would start.
func (m *machine) heardBack(at *At, a *flow.Agent, s *Signal) {
	c := listeningBack(at.Did.Agent)
	if c == nil || !sameSpeaker(m.state.Signal.From, s.From) {
		return
	}
	at.Took(s)
	yes, no := saysYes(s.Text), saysNo(s.Text)
	call := *c
	call.By = s.From["name"]
	if call.By == "" {
		call.By = "the speaker"
	}
	if !yes {
		call.Note = strings.TrimSpace(s.Text)
	}
	m.settleBack(at, a, &call, yes, !yes && !no)
}

// backExpired settles what nobody answered in time.
func (m *machine) backExpired(at *At, a *flow.Agent) {
	at.Deaf()
	if c := listeningBack(at.Did.Agent); c != nil {
		call := *c
		call.Note = "nobody answered in time what was read back"
		m.settleBack(at, a, &call, false, false)
	}
}

// settleBack lets a call go on as the speaker said.
func (m *machine) settleBack(at *At, a *flow.Agent, call *agent.Call, yes, third bool) {
	back := *call.Back
	back.Phase, back.Third = agent.BackSettled, third
	call.Back = &back
	call.Waited += m.now.Sub(call.Began)
	call.State, call.Ended = agent.Declined, m.now
	if yes {
		call.State, call.Ended = agent.Running, time.Time{}
	}
	if yes {
		m.letGo(at.Did, a, call)
	} else {
		m.emit(&CallChanged{Step: at.Path, Call: call})
	}
	m.nextBack(at.Did, a)
}

func listeningBack(a *agent.State) *agent.Call {
	for _, c := range a.Calls {
		if c.Back != nil && c.Back.Phase == agent.BackListening {
			return c
		}
	}
	return nil
}

// sameSpeaker tells whether two messages are of one sender, as far as their place tells
// senders apart.
func sameSpeaker(a, b map[string]string) bool {
	for _, by := range []string{"handle", "email", "phone"} {
		if a[by] != "" || b[by] != "" {
			return strings.EqualFold(a[by], b[by])
		}
	}
	return a["name"] == b["name"]
}

// What people say who mean yes or no, and nothing else.
var (
	yeses = []string{"yes", "y", "yes please", "yep", "yeah", "ok", "okay", "sure", "please do", "do it", "go ahead",
		"that is right", "that's right", "correct", "fine", "👍"}
	noes = []string{"no", "n", "no thanks", "no thank you", "nope", "don't", "do not", "stop", "cancel", "leave it",
		"never mind", "👎"}
)

func saysYes(text string) bool { return slices.Contains(yeses, plainly(text)) }
func saysNo(text string) bool  { return slices.Contains(noes, plainly(text)) }

func plainly(text string) string {
	return strings.ReplaceAll(strings.ToLower(strings.Trim(strings.TrimSpace(text), ".!, ")), ", ", " ")
}
