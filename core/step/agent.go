package step

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/money"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Agent has an agent do something, until it answers.
type Agent struct {
	Agent  string
	Task   flow.Value
	Files  *flow.Value
	Inputs []flow.Entry
	Thread *flow.Value // another conversation to remember by
	// Handed says that its inputs are all that came in with the signal, as for a task of
	// an agent alone: whatever their names are, the script is the same. No file says so.
	Handed bool
}

// Fields are what it may say.
func (a *Agent) Fields() []flow.Field {
	return []flow.Field{
		{Name: "agent", Into: &a.Agent, Holds: flow.HoldsAgent, Required: true, Help: "The agent.",
			Example: "depot-clerk"},
		{Name: "task", Into: &a.Task, Missing: "the agent is given nothing to do", Help: "What it is given to do.",
			Example: "${signal.text}"},
		filesField(&a.Files),
		{Name: "inputs", Into: &a.Inputs, Help: "What it is given beside its task, as its file says.",
			Example: "{sample: '${row.sample}'}"},
		{Name: "thread", Into: &a.Thread, Help: "A conversation to remember by other than the run's own.",
			Example: "lot ${row.id}"},
	}
}

// Check types the task.
func (a *Agent) Check(c *flow.Checker, s *flow.Step, names expr.Names) shape.Shape {
	c.Value(a.Task, names)
	if a.Thread != nil {
		c.Value(*a.Thread, names)
	}
	given := c.Entries(a.Inputs, names)
	def := c.Workspace.Agents[a.Agent]
	if def == nil {
		return nil
	}
	if def.Off {
		c.Report(s.At, flow.Problem{Severity: flow.Remark, What: def.Title + " is switched off, so this step fails",
			Remedy: "take off: out of agents/" + def.ID + ".yaml"})
	}
	checkFiles(c, s.At, a.Files, names, def.Model)
	c.Arguments(def.Title, a.Inputs, given, def.Inputs.Document(), s.At, false)
	if len(a.Inputs) > 0 && def.Inputs == nil {
		c.Wrong(s.At, "remove inputs:, or say in the agent's file what it is given",
			"%s is given nothing beside its task",
			def.Title)
	}
	if doc := def.Answer.Document(); doc != nil {
		return doc
	}
	return shape.Map(map[string]shape.Shape{"text": shape.Text(), "agent": shape.Text()})
}

// Tell says which agent is asked, about what.
func (a *Agent) Tell(p *flow.Sentence, _ *flow.Step) {
	name := a.Agent
	if known, ok := p.Workspace.Agents[name]; ok {
		name = known.Title
	}
	p.Say("Ask the agent ").Field("agent").Word(name).Say(" about ").Field("task").Text(a.Task)
	if len(a.Inputs) > 0 {
		p.Say(", with ").Field("inputs").Entries(a.Inputs)
	}
	if a.Files != nil {
		p.Say(", shown ").Field("files").Text(*a.Files)
	}
}

// Unread tells that an agent that only looks things up was paid for in vain;
// one that does something was not.
func (a *Agent) Unread(c *flow.Checker, id string, reads func(string) bool) (what, remedy string) {
	agent := c.Workspace.Agents[a.Agent]
	if agent == nil || reads("") {
		return "", ""
	}
	for _, grant := range agent.Kit() {
		if spec, known := c.Tool(grant.Tool); !known || !spec.ReadOnly {
			return "", ""
		}
	}
	return "nobody reads what " + agent.Title + " answers, and it does nothing else",
		"read it below, or remove the step"
}

// Advance begins the agent's work, or lets it go on from where it is.
func (a *Agent) Advance(at *run.At) run.Outcome {
	def, ok := at.Agent(a.Agent)
	if !ok {
		return at.Fail("there is no agent %s", a.Agent)
	}
	if at.Did == nil {
		return a.begin(at, def)
	}
	scope := onlySignal(at.Scope)
	if signal := at.Heard(); signal != nil {
		if acts, there := at.Agent(at.Did.Agent.Agent); there {
			at.HeardBack(acts, signal)
		}
	}
	for {
		if err := goesOn(at); err != nil {
			return at.Fail("%v", err)
		}
		if def, ok = at.Agent(at.Did.Agent.Agent); !ok {
			return at.Fail("there is no agent %s", at.Did.Agent.Agent)
		}
		moves := at.Did.Agent.Next(def, at.Grants(def), scope)
		if len(moves) == 0 {
			return run.Blocked
		}
		for _, move := range moves {
			if out := makeMove(at, def, move); out != run.Blocked {
				return out
			}
		}
		if at.Broken() {
			return run.Over
		}
	}
}

// TimeCame ends the waiting for an answer to what was read back.
func (a *Agent) TimeCame(at *run.At) {
	if acts, there := at.Agent(at.Did.Agent.Agent); there {
		at.BackExpired(acts)
	}
}

// onlySignal gives a scope that sees the signal and nothing else: an agent's
// file knows of no workflow.
func onlySignal(scope expr.Scope) expr.Scope {
	scope.Names = map[string]any{"signal": scope.Names["signal"]}
	return scope
}

// makeMove makes one move of an agent; Blocked lets it make others.
func makeMove(at *run.At, def *flow.Agent, move agent.Move) run.Outcome {
	switch {
	case move.Ask:
		return ask(at, def, move.Say)
	case move.Start != nil:
		at.LetGo(def, move.Start)
	case move.Refuse != nil:
		at.Emit(&run.CallChanged{Step: at.Path, Call: move.Refuse})
	case move.Review != nil:
		at.Approve(def, move.Review)
	case move.HandOff != nil:
		if err := handOver(at, def, move.HandOff); err != nil {
			return at.FailAt(at.Did.Agent.Reached(), err.Error())
		}
	case move.Fail != nil:
		return at.FailAt(at.Did.Agent.Reached(), move.Fail.Message)
	case move.Answer != nil:
		if at.Signal().Type != run.ConsultedType {
			at.Emit(&run.MemoryKept{Step: at.Path, Memory: at.Did.Agent.Memory, Said: at.Did.Agent.Remember(),
				Agent: def.ID})
		}
		if def.Answer != nil {
			return at.End(move.Answer.Value)
		}
		return at.End(map[string]any{"text": move.Answer.Value, "agent": def.ID})
	}
	return run.Blocked
}

// ask asks for the next turn, once it is sure that the model can read all of it; the
// oldest of what is remembered is left out where that helps.
func ask(at *run.At, def *flow.Agent, wrong string) run.Outcome {
	grants := at.Grants(def)
	did, model := at.Did.Agent, at.ModelNamed(def.Model)
	fill, leftOut, fits := did.Measure(model, agent.ToolTokens(grants))
	if !fits {
		return at.FailAt(did.Reached(), tooMuch(def.Model, model, fill))
	}
	if _, ok := affordable(def, did, model, fill); !ok {
		return at.FailAt(did.Reached(), fmt.Sprintf("%s would spend more than its limit of %g", def.Title,
			def.Limits.Cost))
	}
	r := &run.ModelAsked{Step: at.Path, Offered: offered(grants), LeftOut: leftOut, Fill: fill}
	if wrong != "" {
		r.Said = []agent.Message{{Role: "user", Text: wrong}}
	}
	at.Emit(r)
	if at.Broken() {
		return run.Over
	}
	at.Send(turnOf(at, def))
	return run.Blocked
}

func (a *Agent) begin(at *run.At, def *flow.Agent) run.Outcome {
	if at.Off(def.ID) {
		return at.Fail("%s", isOff(def))
	}
	input, message, err := a.given(at, def)
	if err != nil {
		return at.Fail("%v", err)
	}
	thread, err := a.thread(at)
	if err != nil {
		return at.Fail("thread: %v", err)
	}
	system, err := system(at, def)
	if err != nil {
		return at.Fail("instructions: %v", err)
	}
	at.Emit(&run.StepBegan{Step: at.Path, Input: input,
		Agent: &agent.State{Agent: def.ID, Model: def.Model, System: system, Memory: def.ID + "@" + thread,
			Began: at.Now(), Messages: []agent.Message{message}}})
	return at.Wait()
}

// thread names the conversation the agent remembers by. What is said in a try is
// remembered by tries alone.
func (a *Agent) thread(at *run.At) (string, error) {
	thread, err := a.remembersBy(at)
	if at.Holds() && thread != ownThread(at) {
		thread = "try of " + thread
	}
	return thread, err
}

func (a *Agent) remembersBy(at *run.At) (string, error) {
	if a.Thread != nil {
		v, err := a.Thread.Eval(at.Scope)
		if text := expr.Text(v); err != nil || text != "" {
			return text, err
		}
	} else if thread := at.Signal().Conversation().String(); thread != "" {
		return thread, nil
	}
	return ownThread(at), nil // it remembers nothing from elsewhere
}

// ownThread is the conversation of a run that is part of none.
func ownThread(at *run.At) string { return run.Conversation{Source: "run", Thread: at.Run()}.String() }

// recalled is the memory an agent begins with; "" where nothing can be in it yet.
func recalled(at *run.At) string {
	memory := at.Did.Agent.Memory
	if !at.Kept() && strings.HasSuffix(memory, "@"+ownThread(at)) {
		return ""
	}
	return memory
}

// given is what the agent is given to do: as the run shows it, and as its model reads
// it.
func (a *Agent) given(at *run.At, def *flow.Agent) (input map[string]any, message agent.Message, err error) {
	task, err := a.Task.Eval(at.Scope)
	if err != nil {
		return nil, message, fmt.Errorf("task: %w", err)
	}
	message = agent.Message{Role: "user", Text: expr.Text(task), From: speaker(at.Signal())}
	if message.Files, err = filesOf(a.Files, at.Scope); err != nil {
		return nil, message, err
	}
	input = map[string]any{"task": message.Text}
	if def.Inputs != nil {
		inputs, err := a.inputs(at)
		if err == nil {
			err = def.Inputs.Validate(inputs)
		}
		if err != nil {
			return nil, message, fmt.Errorf("inputs: %w", err)
		}
		input["inputs"] = inputs
		message.Text += told(inputs)
	}
	return input, message, run.TooLarge("what it is given", message.Text)
}

// speaker says who an agent's task comes from, in the message that brings it: a name is
// what its bearer likes, and no part of what the agent is told to do.
func speaker(s *run.Signal) string {
	name := agent.Line(s.From["name"])
	switch known := s.Vouched(); {
	case name == "":
		return ""
	case known != "" && strings.EqualFold(known, s.From["email"]):
		return "From " + name + ", who is signed in"
	}
	return "From somebody who is not known here, and gives the name “" + name + "”"
}

// inputs are what it is given beside its task.
func (a *Agent) inputs(at *run.At) (map[string]any, error) {
	if a.Handed {
		body, _ := at.Signal().Body.(map[string]any)
		return expr.CanonicalMap(body), nil
	}
	inputs, err := flow.EvalEntries(a.Inputs, at.Scope)
	return expr.CanonicalMap(inputs), err
}

// affordable is how long the next answer may be, in tokens, within the agent's limits of
// what it writes and spends; ok is false where nothing is left of them.
func affordable(def *flow.Agent, did *agent.State, m flow.Model, fill agent.Fill) (longest int, ok bool) {
	if limit := def.Limits.OutputTokens; limit > 0 {
		longest = max(1, limit-did.Written())
	}
	if def.Limits.Cost == 0 || m.Name == "" {
		return longest, true
	}
	return agent.Affordable(m, fill.All(), 0, longest, money.FromUnits(def.Limits.Cost)-did.Cost())
}

// told writes what an agent is given beside its task.
func told(given map[string]any) string {
	var b strings.Builder
	b.WriteString("\n\nYou are given:")
	for _, name := range slices.Sorted(maps.Keys(given)) {
		fmt.Fprintf(&b, "\n- %s: %s", name, expr.Text(given[name]))
	}
	return b.String()
}

// system is what the agent is told of itself, the moment and the workflow.
func system(at *run.At, def *flow.Agent) (string, error) {
	instructions, err := def.Instructions.Eval(onlySignal(at.Scope))
	if err != nil {
		return "", err
	}
	var b strings.Builder
	fmt.Fprintf(&b, "You are %s. %s\nIt is %s.\n", def.Title, def.Purpose, moment(at))
	if context := at.Workflow().Context; context != "" {
		fmt.Fprintf(&b, "\n%s\n", strings.TrimSpace(context))
	}
	fmt.Fprintf(&b, "\n%s", strings.TrimSpace(expr.Text(instructions)))
	return b.String(), nil
}

// factsOf lists whose facts an agent knows.
func factsOf(at *run.At, def *flow.Agent) []string {
	var about []string
	for _, of := range def.Memory.Facts {
		if who := at.Signal().RememberedAs(); of == "person" && who != "" {
			about = append(about, who)
		} else if of == run.AboutWorkspace {
			about = append(about, of)
		}
	}
	return about
}

// turnOf asks the model for the agent's next turn.
func turnOf(at *run.At, def *flow.Agent) run.Errand {
	did := at.Did.Agent
	ask := &run.Ask{Model: def.Model, System: did.System, Within: patience, Answer: def.Answer.With(did.Choices)}
	turn := len(did.Turns)
	ask.Messages = did.Reads(turn - 1)
	for _, g := range at.Grants(def) {
		if slices.Contains(did.Turns[turn-1].Offered, g.Tool) { // the same, when it is asked again after a crash
			ask.Tools = append(ask.Tools, run.Offer{Name: g.Tool, Description: g.Spec.Description, Schema: g.Offered()})
		}
	}
	ask.Whole = len(ask.Tools) > 0 && def.Stream != "all"
	if limit := def.Limits.Time; limit > 0 {
		ask.Within = min(ask.Within, max(time.Second, limit-did.Worked(at.Now())))
	}
	if longest, _ := affordable(def, did, at.ModelNamed(def.Model), did.Turns[turn-1].Fill); longest > 0 {
		ask.LongestAnswer = longest
	}
	return at.Errand(turn, ask)
}

// offered names the tools an agent may use.
func offered(grants []agent.Grant) []string {
	var out []string
	for _, g := range grants {
		out = append(out, g.Tool)
	}
	return out
}

// Outstanding is the memory, the model's turn, and the calls on their way.
func (a *Agent) Outstanding(at *run.At) []run.Errand {
	if at.Did.Agent == nil {
		return nil
	}
	def, ok := at.Agent(at.Did.Agent.Agent)
	if !ok {
		return nil
	}
	var out []run.Errand
	switch {
	case !at.Did.Agent.Ready:
		out = append(out, at.Errand(0, &run.Recall{Memory: recalled(at), Turns: def.Memory.Keep.Turns,
			About: factsOf(at, def), Choices: def.Answer.ChosenFrom()}))
	case at.Did.Agent.Thinking():
		out = append(out, turnOf(at, def))
	}
	return append(out, at.AgentCalls()...)
}
