package run

import (
	"errors"
	"fmt"
	"maps"
	"strconv"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/calendar"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// ErrStale says that an event answers something that is no longer awaited,
// such as the second of two decisions. The state is as it was.
var ErrStale = errors.New("this is no longer awaited")

// Refused says what is wrong with a decision. The state is as it was.
type Refused struct{ Message string }

func (r *Refused) Error() string { return r.Message }

// Machine moves one run by events that happen at one time. Its records make
// one journal entry.
type Machine struct {
	def     *Definition
	state   *State
	now     time.Time
	records []Record
	errands []Errand
	broken  error
}

// NewMachine prepares to move a run. The state is changed in place; after an
// error other than [ErrStale] and *[Refused] it must be folded anew.
func NewMachine(def *Definition, state *State, now time.Time) *Machine {
	return &Machine{def: def, state: state, now: now, records: make([]Record, 0, 12)}
}

// Accept notes the signal of a new run, which stays queued until it is started.
func (m *Machine) Accept(signal *Signal) {
	m.emit(Record{Do: DidAccept, Signal: signal})
}

// Handle takes one event in and goes on as far as possible.
func (m *Machine) Handle(e Event) error {
	if m.state.Status.Ended() {
		return ErrStale
	}
	if err := m.deliver(e); err != nil {
		return err
	}
	if m.state.Status.Ended() {
		return m.broken
	}
	if m.state.Status == Queued {
		return ErrStale
	}
	names := map[string]any{"signal": m.state.Signal.value(m.def.Zone)}
	if m.block(m.def.Workflow.Steps, m.state.Root, "", names) == finished {
		m.finish(Done, "", false)
	}
	return m.broken
}

// Take gives the entry for the journal and the errands, and readies the
// machine for nothing more. An entry without records is not to be written.
func (m *Machine) Take() (Entry, []Errand) {
	entry := Entry{Seq: m.state.Seq + 1, At: m.now, Records: m.records}
	if len(m.records) > 0 {
		m.state.Seq = entry.Seq
	}
	m.state.settle()
	return entry, m.errands
}

// TakeErrands gives the errands so far and forgets them, for those that can
// be answered on the spot and belong into the same entry.
func (m *Machine) TakeErrands() []Errand {
	out := m.errands
	m.errands = nil
	return out
}

// Return puts an errand back that was not answered on the spot.
func (m *Machine) Return(e Errand) { m.errands = append(m.errands, e) }

// emit applies a record and keeps it.
func (m *Machine) emit(r Record) {
	if err := m.state.put(r, m.now); err != nil {
		m.broken = errors.Join(m.broken, err)
		return
	}
	m.records = append(m.records, r)
}

// finish ends the run. A webhook's caller that no step answered gets what the
// outcome says: 204 when all went well, 422 with the reason where a stop step
// said failed, and a 500 without inner details otherwise.
func (m *Machine) finish(status Status, because string, stopped bool) {
	if m.state.Signal.Kind == "webhook" && m.state.Response == nil {
		answer := &Response{Status: 204}
		switch {
		case status == Stopped:
			answer = problem(409, "The workflow was stopped", "A person stopped it before it was done.", m.state.ID)
		case status == Failed && stopped:
			answer = problem(422, "The workflow stopped", because, m.state.ID)
		case status == Failed:
			answer = problem(500, "The workflow failed", "Its owner can see why in the run.", m.state.ID)
		}
		m.emit(Record{Do: DidRespond, Answer: answer})
	}
	m.emit(Record{Do: DidFinish, Status: status, Error: because})
}

// halt ends a run because a person says so. What was under way is closed: open
// questions are withdrawn, and a call on its way is said to be what it is.
func (m *Machine) halt(s *Stop) {
	because := "stopped by " + s.By
	if s.Note != "" {
		because += ": " + s.Note
	}
	m.state.Each(func(step *Step) {
		if step.Status != Running && step.Status != Waiting && step.Status != Uncertain {
			return
		}
		for _, id := range step.Reviews {
			if open := m.state.Reviews[id]; open.Choice == "" {
				withdrawn := *open
				withdrawn.Choice, withdrawn.By, withdrawn.Decided = Withdrawn, s.By, m.now
				m.emit(Record{Do: DidDecide, Step: step.Path, Review: &withdrawn})
			}
		}
		if step.Agent != nil {
			for _, c := range step.Agent.Calls {
				closed := *c
				switch c.State {
				case agent.Proposed:
					closed.State, closed.By, closed.Ended = agent.Declined, s.By, m.now
				case agent.Running, agent.Uncertain:
					closed.State, closed.Ended = agent.Failed, m.now
					closed.Error = "the run was stopped while this was on its way; it may have happened"
				default:
					continue
				}
				m.emit(Record{Do: DidCall, Step: step.Path, Call: &closed})
			}
		}
		m.emit(Record{Do: DidEnd, Step: step.Path, Status: Stopped, Error: because})
	})
	m.finish(Stopped, because, true)
}

// problem is an answer in the form of RFC 9457.
func problem(status int, title, detail, id string) *Response {
	return &Response{Status: status, Headers: map[string]string{"Content-Type": "application/problem+json"},
		Body: map[string]any{"type": "about:blank", "title": title, "status": int64(status), "detail": detail, "run": id}}
}

// outcome is how far a block got.
type outcome int

const (
	finished outcome = iota // every step of it
	blocked                 // something is awaited
	over                    // the run ended inside it
)

// block goes through the steps of a block. names is what they may see; the
// outputs of finished steps join it.
func (m *Machine) block(steps []*flow.Step, frame *Frame, prefix string, names map[string]any) outcome {
	for i, def := range steps {
		path := prefix + strconv.Itoa(i)
		if i >= len(frame.Steps) || frame.Steps[i].Status != Done {
			var step *Step
			if i < len(frame.Steps) {
				step = frame.Steps[i]
			}
			if out := m.step(def, step, path, names); out != finished {
				return out
			}
		}
		if m.broken != nil {
			return over
		}
		if def.ID != "" {
			names[def.ID] = frame.Steps[i].Output
		}
	}
	return finished
}

// step begins a step, or goes on with it where it stands.
func (m *Machine) step(def *flow.Step, step *Step, path string, names map[string]any) outcome {
	if step != nil && step.Status == Failed {
		return m.fail(def, path, step.Error)
	}
	scope := expr.Scope{Names: names, Now: m.now, Calendar: calendar.Calendar{Zone: m.def.Zone}}
	switch def.Kind {
	case "agent":
		return m.agent(def, step, path, scope)
	case "decide":
		return m.decide(def, step, path, scope)
	}
	if step != nil {
		return blocked
	}
	switch def.Kind {
	case "compute":
		return m.compute(def, path, scope)
	case "tool":
		return m.tool(def, path, scope)
	case "say":
		return m.say(def, path, scope)
	case "respond":
		return m.respond(def, path, scope)
	case "review":
		return m.review(def, path, scope)
	case "stop":
		return m.stop(def, path, scope)
	}
	return m.failNow(def, path, "this version knows no step of the kind "+def.Kind)
}

// failNow ends a step as failed, and with it the run.
func (m *Machine) failNow(def *flow.Step, path, message string) outcome {
	m.emit(Record{Do: DidEnd, Step: path, Status: Failed, Error: message})
	return m.fail(def, path, message)
}

// fail ends the run for a step that failed.
func (m *Machine) fail(def *flow.Step, path, message string) outcome {
	name := def.Title
	if name == "" {
		name = "the " + def.Kind + " step"
		if def.ID != "" {
			name += " " + def.ID
		}
	}
	m.finish(Failed, fmt.Sprintf("%s (line %d): %s", name, def.At.Line, message), false)
	return over
}

// end finishes a step with its output.
func (m *Machine) end(path string, input, output any) outcome {
	m.emit(Record{Do: DidEnd, Step: path, Status: Done, Input: input, Output: output})
	return finished
}

func (m *Machine) compute(def *flow.Step, path string, scope expr.Scope) outcome {
	out := map[string]any{}
	scope.Names = maps.Clone(scope.Names)
	for _, v := range def.Compute.Values {
		value, err := v.Eval(scope)
		if err != nil {
			return m.failNow(def, path, fmt.Sprintf("%s: %v", v.Name, err))
		}
		out[v.Name], scope.Names[v.Name] = value, value
	}
	return m.end(path, nil, out)
}

func (m *Machine) tool(def *flow.Step, path string, scope expr.Scope) outcome {
	args, err := flow.EvalEntries(def.Tool.Args, scope)
	if err != nil {
		return m.failNow(def, path, err.Error())
	}
	spec, ok := m.def.Tools(def.Tool.Tool)
	if !ok {
		return m.failNow(def, path, "there is no tool "+def.Tool.Tool+" any more")
	}
	if s := m.def.schemaOf(spec); s != nil {
		if err := s.Validate(args); err != nil {
			return m.failNow(def, path, "the arguments do not fit: "+err.Error())
		}
	}
	m.emit(Record{Do: DidBegin, Step: path, Input: args})
	m.send(m.callErrand(m.state.Step(path), def.Tool.Tool, "", args))
	return blocked
}

func (m *Machine) decide(def *flow.Step, step *Step, path string, scope expr.Scope) outcome {
	if step == nil {
		taken := -1
		for i, c := range def.Decide.Cases {
			holds, err := c.When.Holds(scope)
			if err != nil {
				return m.failNow(def, path, fmt.Sprintf("case %d: %v", i+1, err))
			}
			if holds {
				taken = i
				break
			}
		}
		if taken < 0 && def.Decide.Else == nil {
			return m.end(path, nil, map[string]any{"case": nil})
		}
		if taken < 0 {
			taken = len(def.Decide.Cases)
		}
		m.emit(Record{Do: DidTake, Step: path, Case: &taken})
		step = m.state.Step(path)
	}
	branch, err := caseAt(def.Decide, *step.Case)
	if err != nil {
		return m.failNow(def, path, err.Error())
	}
	name := "c" + strconv.Itoa(*step.Case)
	scope.Names = maps.Clone(scope.Names)
	if out := m.block(branch.Do, step.Inside[name], path+"/"+name+"/", scope.Names); out != finished {
		return out
	}
	gives, err := flow.EvalEntries(branch.Gives, scope)
	if err != nil {
		return m.failNow(def, path, "gives: "+err.Error())
	}
	gives["case"] = *step.Case + 1
	if branch.When == nil {
		gives["case"] = "else"
	}
	return m.end(path, nil, expr.Canonical(gives))
}

func (m *Machine) say(def *flow.Step, path string, scope expr.Scope) outcome {
	text, err := def.Say.Text.Eval(scope)
	if err != nil {
		return m.failNow(def, path, err.Error())
	}
	m.emit(Record{Do: DidSay, Step: path, Text: expr.Text(text)})
	return m.end(path, nil, map[string]any{"message_id": m.state.ID + "-" + path})
}

func (m *Machine) respond(def *flow.Step, path string, scope expr.Scope) outcome {
	if m.state.Response != nil {
		return m.failNow(def, path, "the caller was already answered")
	}
	answer := &Response{Status: def.Respond.Status, Headers: map[string]string{}}
	headers, err := flow.EvalEntries(def.Respond.Headers, scope)
	if err != nil {
		return m.failNow(def, path, "headers: "+err.Error())
	}
	for name, v := range headers {
		answer.Headers[name] = expr.Text(v)
	}
	if def.Respond.Body != nil {
		if answer.Body, err = def.Respond.Body.Eval(scope); err != nil {
			return m.failNow(def, path, "body: "+err.Error())
		}
	}
	m.emit(Record{Do: DidRespond, Step: path, Answer: answer})
	return m.end(path, nil, map[string]any{"status": int64(answer.Status), "body": answer.Body})
}

func (m *Machine) stop(def *flow.Step, path string, scope expr.Scope) outcome {
	because := ""
	if def.Stop.Because != nil {
		v, err := def.Stop.Because.Eval(scope)
		if err != nil {
			return m.failNow(def, path, err.Error())
		}
		because = expr.Text(v)
	}
	m.end(path, nil, map[string]any{"because": because})
	if def.Stop.Failed {
		m.finish(Failed, because, true)
	} else {
		m.finish(Done, because, true)
	}
	return over
}
