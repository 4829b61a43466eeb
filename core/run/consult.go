package run

import (
	"fmt"
	"strings"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/schema"
	"woolsignal/core/shape"
)

// question is what a step asks a model once.
type question struct {
	model  string // "" is the workflow's or workspace's
	task   string // what the model is told of its part
	prompt string
	answer map[string]any // JSON Schema; nil takes any words
}

// mostAnswers is how often a model may answer before its answers are given up.
const mostAnswers = 3

// consult asks a model and gives its answer once it fits the schema. An
// answer that does not is sent back with what is wrong.
func (m *Machine) consult(def *flow.Step, step *Step, path string, q question) (any, outcome) {
	if step == nil || step.Agent == nil {
		name := m.def.model(q.model)
		if name == "" {
			return nil, m.fail(def, path, "no model is named for this; add model: to the workspace")
		}
		m.emit(&StepBegan{Step: path, Input: map[string]any{"prompt": q.prompt}, Agent: &agent.State{Model: name, System: m.briefing(q.task), Began: m.now,
			Ready: true, Messages: []agent.Message{{Role: "user", Text: q.prompt}}}})
		if step = m.state.Step(path); step == nil || step.Agent == nil {
			return nil, over
		}
		m.emit(&ModelAsked{Step: path})
		m.send(m.questionErrand(step, q.answer))
		return nil, blocked
	}
	if step.Agent.Thinking() {
		return nil, blocked
	}
	said := step.Agent.Messages[len(step.Agent.Messages)-1].Text
	answer, err := parseAnswer(said, q.answer)
	if err == nil {
		return answer, finished
	}
	if len(step.Agent.Turns) >= mostAnswers {
		return nil, m.fail(def, path, fmt.Sprintf("the model's answer does not fit after %d tries: %v", mostAnswers, err))
	}
	m.emit(&ModelAsked{Step: path, Said: []agent.Message{{Role: "user", Text: "That does not fit: " + err.Error() + ". Answer again with JSON that fits the schema, and nothing else."}}})
	m.send(m.questionErrand(step, q.answer))
	return nil, blocked
}

// briefing tells a model its part, the moment and what the workflow is about.
func (m *Machine) briefing(task string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\nIt is %s (%s).\n", task, m.now.In(m.def.Zone).Format("Monday 2 January 2006, 15:04"), m.def.Zone)
	if m.def.Workflow.Context != "" {
		fmt.Fprintf(&b, "\n%s\n", strings.TrimSpace(m.def.Workflow.Context))
	}
	return b.String()
}

func (m *Machine) questionErrand(step *Step, answer map[string]any) Errand {
	turn := len(step.Agent.Turns)
	ask := &Ask{Model: step.Agent.Model, System: step.Agent.System, Within: 2 * time.Minute, Answer: answer}
	ask.Messages = step.Agent.Messages[:step.Agent.Turns[turn-1].Sent]
	return Errand{Run: m.state.ID, Ticket: Ticket{Step: step.Path, Sending: step.Sending, Turn: turn}, Task: ask}
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

// model asks a model once.
func (m *Machine) model(def *flow.Step, step *Step, path string, scope expr.Scope) outcome {
	q := question{model: def.Model.Model, task: "You answer one question for a workflow.", answer: m.def.answerOf(def)}
	if step == nil {
		prompt, err := def.Model.Prompt.Eval(scope)
		if err != nil {
			return m.fail(def, path, "prompt: "+err.Error())
		}
		q.prompt = expr.Text(prompt)
		if err := tooLarge("the prompt", q.prompt); err != nil {
			return m.fail(def, path, err.Error())
		}
	}
	answer, out := m.consult(def, step, path, q)
	if out != finished {
		return out
	}
	if q.answer == nil {
		answer = map[string]any{"text": answer}
	}
	return m.end(def, path, nil, answer)
}

// fill has a model write what was left to it of a call.
func (m *Machine) fill(def *flow.Step, step *Step, path string, spec flow.Tool, scope expr.Scope) (map[string]any, outcome) {
	q := question{model: def.Tool.Using, task: "You fill in values of a call to a tool: " + spec.Title + ". " + spec.Description, answer: fillSchema(def.Tool, spec)}
	if step == nil {
		var b strings.Builder
		b.WriteString("Fill in these values:\n")
		for _, e := range def.Tool.Fill {
			guidance, err := e.Value.Eval(scope)
			if err != nil {
				return nil, m.fail(def, path, "fill, "+e.Key+": "+err.Error())
			}
			fmt.Fprintf(&b, "- %s: %s\n", e.Key, strings.TrimSpace(expr.Text(guidance)))
		}
		q.prompt = b.String()
	}
	answer, out := m.consult(def, step, path, q)
	values, _ := answer.(map[string]any)
	return values, out
}

// fillSchema is what a fill must look like: the tool's own types for its
// arguments, text for other names.
func fillSchema(t *flow.ToolStep, spec flow.Tool) map[string]any {
	properties, required := map[string]any{}, []any{}
	own, _ := spec.Input["properties"].(map[string]any)
	for _, e := range t.Fill {
		required = append(required, e.Key)
		if p, ok := own[e.Key]; ok {
			properties[e.Key] = p
		} else {
			properties[e.Key] = map[string]any{"type": "string"}
		}
	}
	return map[string]any{"type": "object", "additionalProperties": false, "required": required, "properties": properties}
}

// takes tells whether a tool has an argument.
func takes(spec flow.Tool, name string) bool {
	_, presence := shape.Shape(spec.Input).Field(name)
	return presence != shape.Absent
}
