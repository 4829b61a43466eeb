package run

import (
	"fmt"
	"maps"
	"reflect"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/calendar"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/schema"
)

// At is a step where it stands in a run: what a kind works with.
type At struct {
	Step  *flow.Step // as the file says
	Path  string
	Did   *Step      // what is known of it; nil where it begins now
	Scope expr.Scope // what its expressions see, as it advances
	m     *machine
}

// Emit writes a record of the step.
func (at *At) Emit(r Record) {
	at.m.emit(r)
	if at.Did == nil {
		at.Did = at.m.state.Step(at.Path)
	}
}

// Begin notes that the step began, with what it works on.
func (at *At) Begin(input any) { at.Emit(&StepBegan{Step: at.Path, Input: input}) }

// Send asks for something outside.
func (at *At) Send(e Errand) { at.m.send(e) }

// Wait sends what the step waits for from outside, and leaves it waiting.
func (at *At) Wait() Outcome {
	if at.Broken() {
		return Over
	}
	for _, e := range doing(at.Step).Outstanding(at) {
		at.m.send(e)
	}
	return Blocked
}

// Errand is an errand of the step. turn tells several of one sending apart.
func (at *At) Errand(turn int, task Task) Errand {
	return Errand{Run: at.m.state.ID, Ticket: Ticket{Step: at.Path, Sending: at.Did.Sending, Turn: turn}, Task: task}
}

// Call is the step's call of a tool, with what it began or was sent with.
func (at *At) Call(turn int, tool string) Errand {
	args, _ := at.Did.Input.(map[string]any)
	return at.Errand(turn, &Call{Tool: tool, Args: args, Resend: at.Did.Resend, For: at.m.state.Signal.For,
		Ref: at.Did.Pending[""].Ref})
}

// BeginCall notes that the step's call of a tool is on its way. One that may
// have happened before, and is the same, keeps its number.
func (at *At) BeginCall(tool string, args map[string]any) {
	at.Emit(&StepBegan{Step: at.Path, Input: args, Sending: at.number(args), Resend: at.m.resendOf(tool)})
}

// SendCall is BeginCall for a step that began before.
func (at *At) SendCall(tool string, args map[string]any) {
	at.Emit(&StepSent{Step: at.Path, Input: args, Sending: at.number(args), Resend: at.m.resendOf(tool)})
}

// number gives the number of a call that is the same as one that may have
// happened; 0 is that of a new one.
func (at *At) number(args map[string]any) int64 {
	sent, kept := at.m.state.Unsure[at.Path]
	if at.m.gate().fields(&args); kept && reflect.DeepEqual(sent.Args, args) {
		return sent.Number
	}
	return 0
}

// BeginLook is BeginCall for a call that only reads, however often it was made
// before.
func (at *At) BeginLook(tool string, args map[string]any) {
	at.Emit(&StepBegan{Step: at.Path, Input: args, Resend: at.m.resendOf(tool)})
}

// Repeats tells whether the step begins again, and its call may have happened
// when it was last tried. Then it is sent once more just as it was, since what
// is computed anew might be another one; see [At.Repeat].
func (at *At) Repeats() bool {
	_, kept := at.m.state.Unsure[at.Path]
	return kept && at.Did == nil && at.m.state.Step(at.Path) != nil
}

// Repeat sends the step's call once more as it was.
func (at *At) Repeat(tool string) Outcome {
	sent := at.m.state.Unsure[at.Path]
	at.Emit(&StepBegan{Step: at.Path, Input: sent.Args, Sending: sent.Number, Resend: at.m.resendOf(tool)})
	return at.Wait()
}

// Fail ends the step as failed.
func (at *At) Fail(format string, args ...any) Outcome {
	return at.m.fail(at.Step, at.Path, fmt.Sprintf(format, args...))
}

// FailAt ends the step as failed, and keeps the words it had come to: if_fails reads
// them as failure.reached.
func (at *At) FailAt(reached, message string) Outcome {
	r := &StepEnded{Step: at.Path, Status: Failed, Error: message}
	if reached != "" {
		r.Output = map[string]any{reachedName: reached}
	}
	at.Emit(r)
	return at.m.failedAt(at.Step, at.m.state.Step(at.Path))
}

// reachedName is what a failed step's words stand under.
const reachedName = "reached"

// FailReturned ends the step with the error of what a tool returned.
func (at *At) FailReturned(r *Returned) {
	at.Emit(&StepEnded{Step: at.Path, Status: Failed, Error: r.Error, Effect: r.Effect})
}

// End finishes the step with its output.
func (at *At) End(output any) Outcome { return at.m.end(at.Step, at.Path, nil, output) }

// EndRun ends the whole run.
func (at *At) EndRun(failed bool, because string) Outcome {
	at.m.end(at.Step, at.Path, nil, map[string]any{"because": because})
	at.m.cancelAll("the run stopped")
	status := Done
	if failed {
		status = Failed
	}
	at.m.finish(status, because, true, nil)
	return Over
}

// Broken tells whether a record could not be applied; then nothing more is to
// be done.
func (at *At) Broken() bool { return at.m.broken != nil }

// Run is the run's id.
func (at *At) Run() string { return at.m.state.ID }

// Kept tells whether an agent of the run kept what it is to remember.
func (at *At) Kept() bool { return at.m.state.Kept }

// Now is the time of the event.
func (at *At) Now() time.Time { return at.m.now }

// Calendar is how the workspace counts its days.
func (at *At) Calendar() calendar.Calendar { return at.m.def.Calendar() }

// Zone is the workspace's.
func (at *At) Zone() *time.Location { return at.m.def.Zone }

// Workflow is what the run follows.
func (at *At) Workflow() *flow.Workflow { return at.m.def.Workflow }

// Signal is what started the run.
func (at *At) Signal() *Signal { return at.m.state.Signal }

// Answered tells whether the caller has its answer.
func (at *At) Answered() bool { return at.m.state.Response != nil }

// Accepted is when the run was taken in.
func (at *At) Accepted() time.Time { return at.m.state.Accepted }

// Draft tells whether the run follows what is written rather than what is live.
func (at *At) Draft() bool { return at.m.state.Draft() }

// Tool finds a tool.
func (at *At) Tool(name string) (flow.Tool, bool) { return at.m.def.Tools(name) }

// SchemaOf is the compiled schema of a tool's arguments; nil where it has none.
func (at *At) SchemaOf(t flow.Tool) *schema.Schema { return at.m.def.schemaOf(t) }

// Agent finds an agent.
func (at *At) Agent(id string) (*flow.Agent, bool) {
	a, ok := at.m.def.Agents[id]
	return a, ok
}

// Off tells whether an agent is switched off.
func (at *At) Off(agent string) bool { return at.m.def.Off != nil && at.m.def.Off(agent) }

// Grants are the tools an agent has.
func (at *At) Grants(a *flow.Agent) []agent.Grant { return at.m.def.grants(a) }

// ModelNamed is what a model's file says of it now; nothing where nobody knows.
func (at *At) ModelNamed(name string) flow.Model {
	if at.m.def.Models == nil {
		return flow.Model{}
	}
	m, _ := at.m.def.Models(name)
	return m
}

// Model names the model for a step that names one, or not.
func (at *At) Model(named string) string { return at.m.def.model(named) }

// AgentCall is the errand of an agent's call.
func (at *At) AgentCall(c *agent.Call) Errand { return at.m.agentCall(at.Did, c) }

// AgentCalls are those on their way.
func (at *At) AgentCalls() []Errand { return at.m.agentCalls(at.Did) }

// Approve finds out whether an agent's tool may be used, and asks who is to be asked.
func (at *At) Approve(a *flow.Agent, c *agent.Call) { at.m.approve(at.Did, a, c) }

// HeardBack takes a message in that may answer what was read back.
func (at *At) HeardBack(a *flow.Agent, s *Signal) { at.m.heardBack(at, a, s) }

// BackExpired notes that nobody answered in time what was read back.
func (at *At) BackExpired(a *flow.Agent) { at.m.backExpired(at, a) }

// Ask puts a review of the step's own.
func (at *At) Ask(r *Review) {
	r.ID, r.Kind, r.Asked = at.m.reviewID(at.Path, ""), OfStep, at.m.now
	r.Ask = at.m.whom(r.Ask)
	at.Emit(&ReviewAsked{Step: at.Path, Review: r})
}

// With gives a scope that sees more names.
func (at *At) With(names map[string]any) expr.Scope {
	scope := at.Scope
	scope.Names = maps.Clone(scope.Names)
	maps.Copy(scope.Names, names)
	return scope
}

// At gives the scope at another time.
func (at *At) AsOf(t time.Time) {
	at.Scope.Now = t
}

// Listen waits for a signal, until a time.
func (at *At) Listen(h *Hearing, until time.Time) {
	at.Emit(&ListeningBegan{Step: at.Path, Hearing: h, Until: until.UTC()})
}

// LookBack asks for signals that came before the step listened.
func (at *At) LookBack() { at.m.lookBack(at.Did) }

// Heard takes the signal that is offered to the step; nil where none is.
func (at *At) Heard() *Signal {
	signal := at.m.heard[at.Path]
	delete(at.m.heard, at.Path)
	return signal
}

// Took notes that the step heard a signal, and listens no longer.
func (at *At) Took(signal *Signal) {
	hearing := *at.Did.Hearing
	at.Emit(&ListeningEnded{Step: at.Path, Hearing: &hearing})
	r := &SignalHeard{Step: at.Path, Signal: signal}
	if !hearing.AlsoStarts { // else it is the delivery of the run it starts
		r.Delivery = at.m.from
	}
	at.Emit(r)
}

// Deaf notes that the step listens no longer.
func (at *At) Deaf() { at.Emit(&ListeningEnded{Step: at.Path, Hearing: at.Did.Hearing}) }

// SignalValue is a signal as expressions see it.
func (at *At) SignalValue(s *Signal) map[string]any { return s.value(at.m.def.Zone) }

// Say notes a message in the conversation.
func (at *At) Say(m *Message) {
	r := &WordsSaid{Step: at.Path, Text: m.Text}
	if !m.Plain() {
		r.Message = m
	}
	at.Emit(r)
}
