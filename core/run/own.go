package run

import (
	"fmt"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// ConsultedType is the type of a signal by which an agent asks another. Nothing comes
// after its one answer, so nothing of it is remembered.
const ConsultedType = "agent.consulted"

// DoOwn does what an agent asks for about its own work. Nothing outside is reached, so
// it is done with the entry that says so.
func (at *At) DoOwn(a *flow.Agent, c *agent.Call) {
	call := *c
	call.State, call.Ended = agent.Done, at.Now()
	result, err := at.own(a, &call)
	switch {
	case err != nil:
		call.State, call.Error = agent.Failed, err.Error()
	case call.State == agent.Done:
		call.Result = result
	}
	at.Emit(&CallChanged{Step: at.Path, Call: &call})
}

// own does it, and gives what the agent is told.
func (at *At) own(a *flow.Agent, call *agent.Call) (any, error) {
	text := func(name string) string { return expr.Text(call.Args[name]) }
	switch _, does, _ := flow.CompanyTool(call.Tool); does {
	case "plan":
		if a.Plan != nil && a.Plan.Ask != flow.Speaker && !at.Signal().Conversation().IsZero() {
			at.Say(&Message{Text: "This is what I am going to do:\n" + agent.PlanInWords(call.Args),
				As: VoiceOf(a)})
		}
		return map[string]any{"plan": "shown; go on with it"}, nil
	case "label":
		at.Emit(&RunLabelled{Step: at.Path, Labels: []string{text("label")}})
		return map[string]any{"label": text("label")}, nil
	case "remember":
		about, err := at.rememberedAs(call, text("about"))
		if err == nil {
			err = at.KeepFact(&FactKept{Step: at.Path, About: about, Fact: text("fact")})
		}
		if err != nil {
			return nil, err
		}
		return map[string]any{"kept": text("fact")}, nil
	case "follow_up":
		return at.followUp(call, text("at"), text("what"))
	case "call_person":
		return nil, at.callPerson(a, call, text("who"), text("why"))
	}
	return nil, fmt.Errorf("there is no tool %s", call.Tool)
}

// callPerson puts a review that holds the conversation, until somebody answers.
func (at *At) callPerson(a *flow.Agent, call *agent.Call, who, why string) error {
	call.State, call.Ended = agent.Proposed, time.Time{}
	call.Review = at.m.reviewID(at.Path, call.ID)
	at.Emit(&CallChanged{Step: at.Path, Call: call})
	at.Emit(&ReviewAsked{Step: at.Path, Review: &Review{ID: call.Review, Ask: at.m.whom(who), Kind: OfAdvice,
		Title: why, Why: a.Title + " brings you in: " + why, Tool: call.Tool, Call: call.ID, Show: at.m.asked(),
		Choices: []string{AnswerIt, Decline}, Asked: at.m.now}})
	return nil
}
