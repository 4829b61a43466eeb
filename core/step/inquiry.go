package step

import (
	"fmt"
	"strings"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/run"
)

// inquiry is what a step asks a model once.
type inquiry struct {
	model  string // "" is the workflow's or workspace's
	task   string // what the model is told of its part
	prompt string
	files  []agent.File
	answer *flow.Schema // nil takes any words
}

// patience is how long a model may take to answer.
const patience = 2 * time.Minute

// consult asks a model and gives its answer once it fits the schema. An
// answer that does not is sent back with what is wrong.
func (q inquiry) consult(at *run.At) (any, run.Outcome) {
	if at.Did == nil || at.Did.Agent == nil {
		return nil, q.begin(at)
	}
	a := at.Did.Agent
	switch {
	case !a.Ready || a.Thinking():
		return nil, run.Blocked
	case len(a.Turns) == 0: // what there is to choose from was read
		return nil, q.ask(at, nil)
	}
	if cut := a.CutShort(); cut != nil {
		return nil, at.FailAt(a.Reached(), cut.Message)
	}
	answer, err := a.Answer(q.answer)
	if err == nil {
		return answer, run.Finished
	}
	if a.Wrong+1 >= agent.MostAnswers {
		return nil, at.Fail("the model's answer does not fit after %d tries: %v", agent.MostAnswers, err)
	}
	return nil, q.ask(at, []agent.Message{{Role: "user", Text: agent.Correction(err)}})
}

// begin begins to ask: at once, or when it is known what there is to choose from.
func (q inquiry) begin(at *run.At) run.Outcome {
	name := at.Model(q.model)
	if name == "" {
		return at.Fail("no model is named for this; add model: to the workspace")
	}
	ready := len(q.answer.ChosenFrom()) == 0
	at.Emit(&run.StepBegan{Step: at.Path, Input: map[string]any{"prompt": q.prompt},
		Agent: &agent.State{Model: name, System: briefing(at, q.task), Began: at.Now(), Ready: ready,
			Messages: []agent.Message{{Role: "user", Text: q.prompt, Files: q.files}}}})
	if at.Broken() {
		return run.Over
	}
	if !ready {
		return at.Wait()
	}
	return q.ask(at, nil)
}

// ask asks for an answer, once it is sure that the model can read all of it.
func (q inquiry) ask(at *run.At, wrong []agent.Message) run.Outcome {
	a := at.Did.Agent
	model := at.ModelNamed(a.Model)
	fill, _, fits := a.Measure(model, 0)
	if !fits {
		return at.Fail("%s", tooMuch(a.Model, model, fill))
	}
	at.Emit(&run.ModelAsked{Step: at.Path, Said: wrong, Fill: fill})
	return at.Wait()
}

// tooMuch says that a model's window has no room for what it is to read.
func tooMuch(name string, m flow.Model, fill agent.Fill) string {
	return fmt.Sprintf("this is too much for the model %s: about %d tokens to read (%d told, %d of tools, %d "+
		"remembered, %d of the task), where its window of %d leaves %d beside its answer; give it less, or a model "+
		"with a larger window", name, fill.All(), fill.Told, fill.Tools, fill.Memory, fill.Task, m.Window,
		m.Window-m.LongestAnswer)
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

// asked is what an inquiry waits for: what there is to choose from, or the model.
func asked(at *run.At, answer *flow.Schema) []run.Errand {
	a := at.Did.Agent
	switch {
	case !a.Ready:
		return []run.Errand{at.Errand(0, &run.Recall{Choices: answer.ChosenFrom()})}
	case !a.Thinking():
		return nil
	}
	turn := len(a.Turns)
	return []run.Errand{at.Errand(turn, &run.Ask{Model: a.Model, System: a.System,
		Messages: a.Messages[:a.Turns[turn-1].Sent], Answer: answer.With(a.Choices), Within: patience})}
}
