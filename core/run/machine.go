package run

import (
	"errors"
	"fmt"
	"maps"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// ErrStale says that an event answers something that is no longer awaited,
// such as the second of two decisions. The state is as it was.
var ErrStale = errors.New("this is no longer awaited")

// Refused says what is wrong with a decision. The state is as it was.
type Refused struct{ Message string }

func (r *Refused) Error() string { return r.Message }

// machine moves one run by events that happen at one time. Its records make
// one journal entry. [Move] alone makes one, and closes it.
type machine struct {
	def   *Definition
	state *State
	now   time.Time
	mask  func(string) string // see [Host]
	// see [Host]
	followUps func() (int, error)
	records   []Record
	errands   []Errand
	heard     map[string]*Signal // candidates for steps that listen, by path
	from      Deliverer          // what delivered them
	failure   *failure           // of the step that failed last, while it is on its way outwards
	broken    error
}

// failure is what if_fails and the run's end say of a step that failed.
type failure struct {
	message string // what went wrong
	step    string // the step in words
	kind    string
	tries   int
	reached string // the words an agent that was stopped had come to
}

func newMachine(def *Definition, state *State, now time.Time) *machine {
	return &machine{def: def.Of(state), state: state, now: now, records: make([]Record, 0, 12)}
}

// handle takes one event in and goes on as far as possible.
func (m *machine) handle(e Event) error {
	if a, arrives := e.(*Arrive); arrives {
		return m.arrive(a)
	}
	if m.state.Signal == nil {
		return ErrStale
	}
	switch e := e.(type) {
	case *CancelFollowUp:
		return m.cancelFollowUp(e)
	case *ChangeFact:
		return m.changeFact(e)
	}
	before := len(m.records)
	err := error(ErrStale)
	if !m.state.Status.Ended() {
		err = m.deliver(e)
	}
	if late := wasted(e); errors.Is(err, ErrStale) && len(m.records) == before && late != nil {
		return m.tooLate(e, late)
	}
	if err != nil {
		return err
	}
	if m.state.Status.Ended() {
		return m.broken
	}
	if m.state.Status == Queued {
		return ErrStale
	}
	names := m.names()
	switch m.block(m.def.Workflow.Steps, m.state.Root, "", names) {
	case Finished:
		m.complete(names)
	case FailedInside:
		m.finish(Failed, m.failure.step+": "+m.failure.message, false, nil)
	}
	if _, offered := e.(*Heard); offered && len(m.records) == before {
		return ErrStale // nobody here was meant
	}
	if m.state.Held > mostHeld && !m.state.Status.Ended() {
		m.cancelAll("the run holds too much")
		m.finish(Failed, heldTooMuch, false, nil)
	}
	return m.broken
}

// arrive notes the signal of a new run, which stays queued until it begins.
func (m *machine) arrive(a *Arrive) error {
	if m.state.Signal != nil {
		return ErrStale
	}
	m.emit(&RunAccepted{Signal: a.Signal, Origin: a.Origin, Begun: a.Begun})
	m.def = m.def.Of(m.state)
	for _, r := range a.Recorded {
		m.emit(r)
	}
	return m.broken
}

// names are what the first step sees.
func (m *machine) names() map[string]any {
	names := map[string]any{"signal": m.state.Signal.value(m.def.Zone)}
	if w := m.def.Workflow; w.Callable() {
		names["inputs"] = any(nil)
		if m.state.Signal.Kind == "called" {
			names["inputs"] = m.state.Signal.Body
		}
		if len(w.Triggers) > 0 {
			names["inputs"] = expr.Optional{Value: m.state.Signal.Body, There: m.state.Signal.Kind == "called"}
		}
	}
	if o := m.state.Origin; o != nil {
		maps.Copy(names, o.Given)
	}
	if m.def.whole != nil { // a step that is tried alone sees the others as it would
		flow.Walk(m.def.whole.Steps, func(s *flow.Step) {
			if v, given := names[s.ID]; s.ID != "" && s.Skippable() {
				names[s.ID] = expr.Optional{Value: v, There: given}
			}
		})
	}
	return names
}

// complete ends a run that went through all its steps.
func (m *machine) complete(names map[string]any) {
	if !m.def.Workflow.Callable() || m.state.Origin != nil && m.state.Origin.Kind == OfTry {
		m.finish(Done, "", false, nil)
		return
	}
	gives, err := flow.EvalEntries(m.def.Workflow.Gives, m.scope(names))
	if err == nil {
		err = Fit("the result", m.def.Workflow.Result, gives)
	}
	if err == nil {
		err = TooLarge("the result", gives)
	}
	if err != nil {
		m.finish(Failed, "gives: "+err.Error(), false, nil)
		return
	}
	m.finish(Done, "", false, gives)
}

func (m *machine) scope(names map[string]any) expr.Scope {
	return expr.Scope{Names: names, Now: m.moment(), Calendar: m.def.Calendar()}
}

// gate is where what happens now becomes a record.
func (m *machine) gate() *gate { return &gate{mask: m.mask} }

// emit applies a record and keeps it.
func (m *machine) emit(r Record) {
	if err := m.state.fold(r, m.now, m.gate()); err != nil {
		m.broken = errors.Join(m.broken, err)
		return
	}
	m.records = append(m.records, r)
}

// finish ends the run. A webhook's caller that no step answered gets what the
// Outcome says: 204 when all went well, 422 with the reason where an end_run step
// said failed, and a 500 without inner details otherwise.
func (m *machine) finish(status Status, because string, stopped bool, result any) {
	if m.state.Signal.Kind == "webhook" && m.state.Response == nil && m.state.Origin == nil {
		answer := &Response{Status: 204}
		switch {
		case status == Stopped:
			answer = problem(409, "The workflow was stopped", "A person stopped it before it was done.", m.state.ID)
		case status == Failed && stopped:
			answer = problem(422, "The workflow stopped", because, m.state.ID)
		case status == Failed:
			answer = problem(500, "The workflow failed", "Its owner can see why in the run.", m.state.ID)
		}
		m.emit(&CallerAnswered{Response: answer})
	}
	m.emit(&RunFinished{Status: status, Why: because, Result: result})
}

// Outcome is how far a step or a block got.
type Outcome int

const (
	Finished     Outcome = iota // it is done, and so are the steps in it
	Blocked                     // something is awaited
	FailedInside                // a step of it failed, and the machine knows why
	Over                        // the run ended inside it
)

// block goes through the steps of a block. names is what they may see; the
// outputs of finished steps join it.
func (m *machine) block(steps []*flow.Step, frame *Frame, prefix string, names map[string]any) Outcome {
	for i, def := range steps {
		var step *Step
		if i < len(frame.Steps) {
			step = frame.Steps[i]
		}
		if step == nil || step.Status != Done && step.Status != Skipped {
			if out := m.step(def, step, flow.StepPath(prefix, i), names); out != Finished {
				return out
			}
			if m.broken != nil {
				return Over
			}
			step = frame.Steps[i]
		}
		if m.endsBehind(def) {
			m.cancelAll("it was tried up to here")
			m.finish(Done, "", true, nil)
			return Over
		}
		if def.ID != "" {
			names[def.ID] = seen(def, step)
		}
	}
	return Finished
}

// seen is a step's output as later ones see it.
func seen(def *flow.Step, step *Step) any {
	if def.Skippable() {
		return expr.Optional{Value: step.Output, There: step.Status == Done}
	}
	return step.Output
}

// step begins a step, or goes on with it where it stands.
func (m *machine) step(def *flow.Step, step *Step, path string, names map[string]any) Outcome {
	scope := m.scope(names)
	if step == nil {
		if skip, out := m.skips(def, path, scope); skip {
			return out
		}
	}
	out := Finished
	switch {
	case step != nil && step.Status == Failed:
		out = m.failedAt(def, step)
	case step != nil && step.Status == Retrying && !step.Until.IsZero():
		return Blocked // till its next try
	default:
		if step != nil && step.Status == Retrying {
			step = nil
		}
		out = doing(def).Advance(&At{Step: def, Path: path, Did: step, Scope: scope, m: m})
	}
	switch out {
	case FailedInside:
		return m.instead(def, m.state.Step(path), path, names)
	case Blocked:
		m.limit(def, path)
	}
	return out
}

// skips tells whether a step is passed over, or fails to say.
func (m *machine) skips(def *flow.Step, path string, scope expr.Scope) (bool, Outcome) {
	skip := def.Off
	if !skip && def.When != nil {
		holds, err := def.When.Holds(scope)
		if err != nil {
			m.fail(def, path, "when: "+err.Error())
			return true, m.instead(def, m.state.Step(path), path, scope.Names)
		}
		skip = !holds
	}
	if skip {
		m.emit(&StepEnded{Step: path, Status: Skipped})
	}
	return skip, Finished
}

// limit notes from when on a step that waits has taken too long.
func (m *machine) limit(def *flow.Step, path string) {
	if def.Within == 0 {
		return
	}
	step := m.state.Step(path)
	if step != nil && step.Deadline.IsZero() && (step.Status == Running || step.Status == Waiting) &&
		!m.uncertain(step) {
		m.emit(&StepLimited{Step: path, Until: m.now.Add(def.Within)})
	}
}

// fail ends a step as failed.
func (m *machine) fail(def *flow.Step, path, message string) Outcome {
	m.emit(&StepEnded{Step: path, Status: Failed, Error: message})
	return m.failedAt(def, m.state.Step(path))
}

// failedAt is the Outcome of a step that failed, now or in an event before.
func (m *machine) failedAt(def *flow.Step, step *Step) Outcome {
	if step == nil { // the record could not be applied, which m.broken says
		return Over
	}
	m.failure = &failure{message: step.Error, step: stepName(def), kind: def.Kind, tries: step.Tries + 1}
	if kept, is := step.Output.(map[string]any); is {
		m.failure.reached, _ = kept[reachedName].(string)
	}
	return FailedInside
}

// stepName names a step in words, with its line.
func stepName(def *flow.Step) string {
	name := def.Title
	if name == "" {
		name = "the " + def.Kind + " step"
		if def.ID != "" {
			name += " " + def.ID
		}
	}
	return fmt.Sprintf("%s (line %d)", name, def.At.Line)
}

// instead does what was written down for a step that failed: try again, carry
// on, or take other steps. Where nothing was, the failure goes outwards.
func (m *machine) instead(def *flow.Step, step *Step, path string, names map[string]any) Outcome {
	if step == nil {
		return Over
	}
	handler := step.block(flow.Instead)
	if handler == nil {
		// what failed in the run that is repeated from a later step is not tried again
		if !step.Recorded && def.Retry != nil && step.Tries < def.Retry.Tries-1 {
			yes, why := m.mayRepeat(step)
			if yes {
				m.emit(&StepRetried{Step: path, Until: m.now.Add(def.Retry.Pause(step.Tries + 1))})
				return Blocked
			}
			m.heldBack(step, path, why)
		}
		if def.IfFails == nil {
			return FailedInside
		}
		if def.IfFails.CarryOn {
			return Finished
		}
		m.emit(&BlockEntered{Step: path, Block: flow.Instead})
		handler = step.block(flow.Instead)
	}
	if handler == nil || handler.Status == Failed {
		if handler != nil {
			m.failure.message = handler.Error
		}
		return FailedInside
	}
	cause := m.failure
	inner := maps.Clone(names)
	inner["failure"] = map[string]any{"message": cause.message, "step": cause.step, "kind": cause.kind,
		"tries": int64(cause.tries), "reached": cause.reached}
	gives, out := m.through(&def.IfFails.Block, handler, path, inner)
	switch out {
	case Finished:
		m.emit(&BlockLeft{Step: path, Block: flow.Instead, Status: Done})
		m.emit(&StepEnded{Step: path, Status: Done, Output: gives, Error: cause.message})
	case FailedInside:
		m.emit(&BlockLeft{Step: path, Block: flow.Instead, Status: Failed, Error: m.failure.step + ": " +
			m.failure.message})
	}
	return out
}

// through goes through a block that was entered and gives what leaves it.
func (m *machine) through(def *flow.Block, frame *Frame, path string, names map[string]any) (map[string]any, Outcome) {
	if out := m.block(def.Do, frame, flow.BlockPath(path, frame.Name), names); out != Finished {
		return nil, out
	}
	gives, err := flow.EvalEntries(def.Gives, m.scope(names))
	if err == nil {
		err = TooLarge("gives", gives)
	}
	if err != nil {
		m.failure = blockFailure(def, "gives: "+err.Error())
		return nil, FailedInside
	}
	return expr.CanonicalMap(gives), Finished
}

// end finishes a step with its output.
func (m *machine) end(def *flow.Step, path string, input, output any) Outcome {
	if err := TooLarge("what it gives", output); err != nil {
		return m.fail(def, path, err.Error())
	}
	m.emit(&StepEnded{Step: path, Status: Done, Input: input, Output: output})
	return Finished
}
