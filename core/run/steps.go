package run

import (
	"fmt"
	"maps"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

func (m *Machine) compute(def *flow.Step, path string, scope expr.Scope) outcome {
	out := map[string]any{}
	scope.Names = maps.Clone(scope.Names)
	for _, v := range def.Compute.Values {
		value, err := v.Eval(scope)
		if err != nil {
			return m.fail(def, path, fmt.Sprintf("%s: %v", v.Name, err))
		}
		out[v.Name], scope.Names[v.Name] = value, value
	}
	return m.end(def, path, nil, out)
}

// tool calls a tool, once a model has filled in what was left to it.
func (m *Machine) tool(def *flow.Step, step *Step, path string, scope expr.Scope) outcome {
	if step != nil && (step.Sent || step.Agent == nil) {
		return blocked
	}
	if sent, again := m.again(step, path); again {
		m.emit(&StepBegan{Step: path, Input: sent.Args, Sending: sent.Number, Resend: m.resendOf(def.Tool.Tool)})
		m.send(m.callErrand(m.state.Step(path), def.Tool.Tool, 0, sent.Args))
		return blocked
	}
	if step != nil { // the moment a model was asked about, for all of the step
		scope.Now = step.Agent.Began
	}
	spec, ok := m.def.Tools(def.Tool.Tool)
	if !ok {
		return m.fail(def, path, "there is no tool "+def.Tool.Tool+" any more")
	}
	filled := map[string]any{}
	if len(def.Tool.Fill) > 0 {
		answer, out := m.fill(def, step, path, spec, scope)
		if out != finished {
			return out
		}
		filled = answer
		scope.Names = maps.Clone(scope.Names)
		scope.Names["fill"] = filled
	}
	args, err := flow.EvalEntries(def.Tool.Args, scope)
	if err != nil {
		return m.fail(def, path, err.Error())
	}
	for _, e := range def.Tool.Fill {
		if takes(spec, e.Key) {
			args[e.Key] = filled[e.Key]
		}
	}
	if s := m.def.schemaOf(spec); s != nil {
		if err := s.Validate(args); err != nil {
			return m.fail(def, path, "the arguments do not fit: "+err.Error())
		}
	}
	if err := tooLarge("what it is called with", args); err != nil {
		return m.fail(def, path, err.Error())
	}
	if m.holds() && !spec.ReadOnly {
		return m.end(def, path, args, map[string]any{"held_back": true})
	}
	number, resend := m.number(path, args), m.resendOf(def.Tool.Tool)
	if len(def.Tool.Fill) > 0 {
		m.emit(&StepSent{Step: path, Input: args, Sending: number, Resend: resend})
	} else {
		m.emit(&StepBegan{Step: path, Input: args, Sending: number, Resend: resend})
	}
	m.send(m.callErrand(m.state.Step(path), def.Tool.Tool, 0, args))
	return blocked
}

// holds tells whether nothing outside may be changed.
func (m *Machine) holds() bool { return m.state.Origin != nil && m.state.Origin.Held }

func (m *Machine) call(def *flow.Step, path string, scope expr.Scope) outcome {
	inputs, err := flow.EvalEntries(def.Call.Inputs, scope)
	if err == nil {
		err = tooLarge("what it is called with", inputs)
	}
	if err != nil {
		return m.fail(def, path, err.Error())
	}
	if m.holds() {
		return m.end(def, path, inputs, map[string]any{"held_back": true})
	}
	m.emit(&StepBegan{Step: path, Input: inputs})
	m.send(m.startErrand(def, m.state.Step(path)))
	return blocked
}

func (m *Machine) startErrand(def *flow.Step, step *Step) Errand {
	inputs, _ := step.Input.(map[string]any)
	return Errand{Run: m.state.ID, Ticket: Ticket{Step: step.Path, Sending: step.Sending}, Task: &Start{Workflow: def.Call.Workflow, Inputs: inputs, Draft: m.state.Draft()}}
}

// scriptTime is how long a script may run where nothing else is written.
const scriptTime = 5 * time.Second

func (m *Machine) javaScript(def *flow.Step, path string, scope expr.Scope) outcome {
	inputs, err := flow.EvalEntries(def.JavaScript.Inputs, scope)
	if err == nil {
		err = tooLarge("what it is given", inputs)
	}
	if err != nil {
		return m.fail(def, path, err.Error())
	}
	m.emit(&StepBegan{Step: path, Input: inputs})
	m.send(m.scriptErrand(def, m.state.Step(path)))
	return blocked
}

func (m *Machine) scriptErrand(def *flow.Step, step *Step) Errand {
	within := scriptTime
	if def.Timeout > 0 {
		within = def.Timeout
	}
	inputs, _ := step.Input.(map[string]any)
	return Errand{Run: m.state.ID, Ticket: Ticket{Step: step.Path, Sending: step.Sending}, Task: &Script{Code: def.JavaScript.Code, Inputs: inputs, Within: within}}
}

func (m *Machine) respond(def *flow.Step, path string, scope expr.Scope) outcome {
	if m.state.Response != nil {
		return m.fail(def, path, "the caller was already answered")
	}
	answer := &Response{Status: def.Respond.Status, Headers: map[string]string{}}
	headers, err := flow.EvalEntries(def.Respond.Headers, scope)
	if err != nil {
		return m.fail(def, path, "headers: "+err.Error())
	}
	for name, v := range headers {
		answer.Headers[name] = expr.Text(v)
	}
	if def.Respond.Body != nil {
		if answer.Body, err = def.Respond.Body.Eval(scope); err != nil {
			return m.fail(def, path, "body: "+err.Error())
		}
	}
	if err := tooLarge("the answer", answer.Body); err != nil {
		return m.fail(def, path, err.Error())
	}
	m.emit(&CallerAnswered{Step: path, Response: answer})
	return m.end(def, path, nil, map[string]any{"status": int64(answer.Status), "body": answer.Body})
}

func (m *Machine) label(def *flow.Step, path string, scope expr.Scope) outcome {
	labels := []string{}
	for i, v := range def.Label.As {
		got, err := v.Eval(scope)
		if err != nil {
			return m.fail(def, path, fmt.Sprintf("label %d: %v", i+1, err))
		}
		if text := expr.Text(got); text != "" {
			labels = append(labels, text)
		}
	}
	m.emit(&RunLabelled{Step: path, Labels: labels})
	out := make([]any, len(labels))
	for i, l := range labels {
		out[i] = l
	}
	return m.end(def, path, nil, map[string]any{"labels": out})
}

func (m *Machine) remember(def *flow.Step, path string, scope expr.Scope) outcome {
	about, err := def.Remember.About.Eval(scope)
	if err != nil {
		return m.fail(def, path, "about: "+err.Error())
	}
	fact, err := def.Remember.Fact.Eval(scope)
	if err != nil {
		return m.fail(def, path, "fact: "+err.Error())
	}
	m.emit(&FactKept{Step: path, About: expr.Text(about), Name: def.Remember.Name, Fact: expr.Text(fact)})
	return m.end(def, path, nil, map[string]any{})
}

func (m *Machine) stop(def *flow.Step, path string, scope expr.Scope) outcome {
	because := ""
	if def.Stop.Because != nil {
		v, err := def.Stop.Because.Eval(scope)
		if err != nil {
			return m.fail(def, path, err.Error())
		}
		because = expr.Text(v)
	}
	m.end(def, path, nil, map[string]any{"because": because})
	m.cancelAll("the run stopped")
	if def.Stop.Failed {
		m.finish(Failed, because, true, nil)
	} else {
		m.finish(Done, because, true, nil)
	}
	return over
}
