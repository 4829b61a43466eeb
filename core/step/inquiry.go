package step

import (
	"fmt"
	"strings"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/run"
	"woolsignal/core/schema"
)

// inquiry is what a step asks a model once.
type inquiry struct {
	model  string // "" is the workflow's or workspace's
	task   string // what the model is told of its part
	prompt string
	answer map[string]any // JSON Schema; nil takes any words
}

// mostAnswers is how often a model may answer before its answers are given up.
const mostAnswers = 3

// patience is how long a model may take to answer.
const patience = 2 * time.Minute

// consult asks a model and gives its answer once it fits the schema. An
// answer that does not is sent back with what is wrong.
func (q inquiry) consult(at *run.At) (any, run.Outcome) {
	if at.Did == nil || at.Did.Agent == nil {
		return nil, q.begin(at)
	}
	a := at.Did.Agent
	if a.Thinking() {
		return nil, run.Blocked
	}
	answer, err := parseAnswer(a.Messages[len(a.Messages)-1].Text, q.answer)
	if err == nil {
		return answer, run.Finished
	}
	if len(a.Turns) >= mostAnswers {
		return nil, at.Fail("the model's answer does not fit after %d tries: %v", mostAnswers, err)
	}
	wrong := "That does not fit: " + err.Error() + ". Answer again with JSON that fits the schema, and nothing else."
	at.Emit(&run.ModelAsked{Step: at.Path, Said: []agent.Message{{Role: "user", Text: wrong}}})
	return nil, at.Wait()
}

// begin asks for the first time.
func (q inquiry) begin(at *run.At) run.Outcome {
	name := at.Model(q.model)
	if name == "" {
		return at.Fail("no model is named for this; add model: to the workspace")
	}
	at.Emit(&run.StepBegan{Step: at.Path, Input: map[string]any{"prompt": q.prompt},
		Agent: &agent.State{Model: name, System: briefing(at, q.task),
			Began: at.Now(), Ready: true, Messages: []agent.Message{{Role: "user", Text: q.prompt}}}})
	if at.Broken() {
		return run.Over
	}
	at.Emit(&run.ModelAsked{Step: at.Path})
	return at.Wait()
}

// briefing tells a model its part, the moment and what the workflow is about.
func briefing(at *run.At, task string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\nIt is %s.\n", task, moment(at))
	if context := at.Workflow().Context; context != "" {
		fmt.Fprintf(&b, "\n%s\n", strings.TrimSpace(context))
	}
	return b.String()
}

// moment is the time as models are told it: they invent dates otherwise.
func moment(at *run.At) string {
	return fmt.Sprintf("%s (%s)", at.Now().In(at.Zone()).Format("Monday 2 January 2006, 15:04"), at.Zone())
}

// asked is the question a model has not answered yet; none where it has.
func asked(at *run.At, answer map[string]any) []run.Errand {
	a := at.Did.Agent
	if !a.Thinking() {
		return nil
	}
	turn := len(a.Turns)
	return []run.Errand{at.Errand(turn, &run.Ask{Model: a.Model, System: a.System,
		Messages: a.Messages[:a.Turns[turn-1].Sent],
		Answer:   answer, Within: patience})}
}

// parseAnswer reads a model's words as what was asked for.
func parseAnswer(said string, wanted map[string]any) (any, error) {
	if wanted == nil {
		return said, nil
	}
	text := strings.TrimSpace(said)
	if inner, ok := strings.CutPrefix(text, "```"); ok { // many models fence their JSON
		inner = strings.TrimPrefix(inner, "json")
		text, _, _ = strings.Cut(inner, "```")
	}
	v, err := expr.DecodeJSON([]byte(text))
	if err != nil {
		return nil, fmt.Errorf("it is not JSON (%w)", err)
	}
	s, err := schema.Compile(wanted)
	if err != nil {
		return nil, err
	}
	return v, s.Validate(v)
}
