package flow

import (
	"slices"
	"time"
)

// Agent is a model with a purpose, instructions, tools and limits.
type Agent struct {
	ID, Title, Purpose string
	Model              string // a name some model server connection offers
	Instructions       Value
	Tools              []AgentTool
	Helpers            []Helper
	HandOffs           []HandOff
	Plan               *Plan  // nil is that it makes none
	Picture            string // what stands beside its words; see [Agent.Fields]
	Off                bool   // it does nothing for anybody
	Stream             string // what of its words is heard as they come: answers, or all
	Memory             Memory
	Limits             Limits
	Inputs             *Schema // what it is given beside its task; nil is nothing
	Answer             *Schema // what it answers; nil is words
	file               string
}

// AgentTool grants one tool to an agent.
type AgentTool struct {
	Tool     string // connection/operation; of a workflow it is workflow/ID
	Workflow string // "" is none
	At       Pos
	Approval *Approval // nil where the file says nothing
	Args     []Entry   // fixed: the model neither sees nor sets them
	Editable []string  // which of Args whoever approves may change
}

// Approval says when a person is asked before a tool is used.
type Approval struct {
	None   bool        // never: written down on purpose
	When   *Expression // asked when it holds over args
	Judge  string      // asked when a model finds that it holds; "" and no When means each time
	Ask    string      // a person's e-mail, a role or a team, or [Speaker]
	Says   *Value      // how it is read back to the speaker
	Within Span        // how long the speaker has to answer
	always bool
}

// Limits bound one task of an agent. Reaching one ends the step in a clear
// failure.
type Limits struct {
	Turns        int
	ToolCalls    int
	Time         time.Duration
	OutputTokens int     // 0 is no limit
	Cost         float64 // in the workspace's currency; 0 is no limit
	TriesPerTool int
}

// Fields are what an agent file may say.
func (a *Agent) Fields() []Field {
	return []Field{
		{Name: "agent", Into: &a.ID, Required: true, Help: "Its id, the file's name.", Example: "depot-clerk"},
		{Name: "title", Into: &a.Title, Required: true, Help: "The name people see.", Example: "Depot clerk"},
		{Name: "purpose", Into: &a.Purpose, Help: "What it is for, in one sentence; it is told so.",
			Example: "You find and book slots at the depot."},
		{Name: "picture", Into: &a.Picture, Help: "What stands beside its words: a sign, or two letters.",
			Example: "DD"},
		{Name: "off", Into: &a.Off, Help: "It does nothing for anybody, at once.", Example: "true"},
		{Name: "model", Into: &a.Model, Holds: HoldsModel, Required: true, Help: "The model it thinks with.",
			Example: "medium"},
		{Name: "instructions", Into: &a.Instructions, Missing: "the agent is told nothing about its work",
			Help: "What it is told about its work; it sees signal.", Example: "|"},
		{Name: "inputs", Into: &a.Inputs, Help: "What it is given beside its task.",
			Example: "{type: object, properties: {sample: {type: string}}}"},
		{Name: "answer", Into: &a.Answer, Help: "What its answer must look like; any words where it is missing.",
			Example: "{type: object, properties: {lane: {type: string}}}"},
		{Name: "tools", Into: ListOf(&a.Tools), Help: "The tools it may use.", Example: "[depot-calendar/find]"},
		{Name: "helpers", Into: ListOf(&a.Helpers), Help: "The agents it may consult.",
			Example: "[{agent: market-researcher, judge: Figures from outside are asked for.}]"},
		{Name: "hand_offs", Into: ListOf(&a.HandOffs), Help: "The agents that may take over from it.",
			Example: "[{to: haulage-desk, judge: A lorry is wanted.}]"},
		{Name: "plan", Into: Group(&a.Plan), Example: "shown",
			Help: "It says what it is going to do before it changes anything, and is held to it."},
		{Name: "stream", Into: &a.Stream, Choices: []string{"answers", "all"}, Default: "answers",
			Help: "What is heard in a conversation as it is written: its answers where it has no tools, or all it " +
				"writes, words beside its calls too.", Example: "all"},
		{Name: "memory", Into: Inside(&a.Memory), Help: "What it remembers."},
		{Name: "limits", Into: Inside(&a.Limits), Help: "What bounds one task."},
	}
}

// Memory says what an agent remembers.
type Memory struct {
	Keep  Keeping
	Facts []string // whose lasting facts it knows: person, workspace
}

// Fields are what memory may say.
func (m *Memory) Fields() []Field {
	return []Field{
		{Name: "keep", Into: Inside(&m.Keep), Help: "How much of a conversation it remembers."},
		{Name: "facts", Into: &m.Facts, Choices: []string{"person", "workspace"}, Help: "Whose lasting facts it knows.",
			Example: "[person]"},
	}
}

// Keeping says how much of a conversation is remembered.
type Keeping struct {
	Turns int // earlier exchanges
}

// Fields are what keep may say.
func (k *Keeping) Fields() []Field {
	return []Field{{Name: "turns", Into: &k.Turns, Default: "20", Help: "How many earlier exchanges.", Example: "10"}}
}

// Fields are what a granted tool may say.
func (t *AgentTool) Fields() []Field {
	return []Field{
		{Name: "tool", Into: &t.Tool, Holds: HoldsTool, Help: "The tool, or workflow: in its place.",
			Example: "depot-calendar/add_event"},
		{Name: "workflow", Into: &t.Workflow, Holds: HoldsWorkflow,
			Help: "A workflow it may start, with the inputs it names, and whose result it reads.", Example: "day-log"},
		{Name: "approval", Into: Group(&t.Approval), Help: "When a person is asked before it is used.",
			Example: "none"},
		{Name: "args", Into: &t.Args, Help: "Arguments that are fixed: the model neither sees nor sets them.",
			Example: "{calendar: docks}"},
		{Name: "editable", Into: &t.Editable, Help: "Which fixed arguments whoever approves may change all the same.",
			Example: "[calendar]"},
	}
}

// Agree insists on one thing that is granted, and that what may be changed all the same
// is fixed.
func (t *AgentTool) Agree(m Reading) {
	if m.Has("tool") == m.Has("workflow") {
		m.Wrong("", "name one: tool: connection/operation, or workflow: its id",
			"it says nothing it may use, or two things")
	} else if t.Workflow != "" {
		t.Tool = WorkflowTools + "/" + t.Workflow
	}
	for _, name := range t.Editable {
		if !slices.ContainsFunc(t.Args, func(e Entry) bool { return e.Key == name }) {
			m.Wrong("editable", "take it out: what is not under args can be changed by whoever approves anyway",
				"%s is not fixed, so it need not be named", name)
		}
	}
}

// Fixes tells whether nobody but the file says what an argument is.
func (t *AgentTool) Fixes(argument string) bool {
	return slices.ContainsFunc(t.Args, func(e Entry) bool { return e.Key == argument }) &&
		!slices.Contains(t.Editable, argument)
}

// PlacedAt keeps where the tool is granted.
func (t *AgentTool) PlacedAt(at Pos) { t.At = at }

// Words are the names of tools.
func (*AgentTool) Words() []string { return nil }

// Word grants a tool by its name alone.
func (t *AgentTool) Word(name string) { t.Tool = name }

// Fields are what approval may say.
func (a *Approval) Fields() []Field {
	return []Field{
		{Name: "always", Into: &a.always, Help: "Somebody is asked each time.", Example: "true"},
		{Name: "when", Into: &a.When, Help: "Somebody is asked when this holds; it sees args.",
			Example: "args.price > 100"},
		{Name: "judge", Into: &a.Judge, Holds: HoldsProse,
			Help:    "Somebody is asked when a model finds that this holds, or is not sure.",
			Example: "It gives up a slot that somebody else waits for."},
		{Name: "ask", Into: &a.Ask, Holds: HoldsPeople, Required: true,
			Help: "Who is asked: a person, role or team, or the speaker.", Example: "owner"},
		{Name: "says", Into: &a.Says, Example: "Move it to ${args.start}?",
			Help: "What the speaker is asked; it sees args, before and after."},
		{Name: "within", Into: &a.Within, Default: "1d", Help: "How long the speaker has to answer.", Example: "2h"},
	}
}

// Speaker is who is asked where the person is that an agent talks with.
const Speaker = "speaker"

// Agree insists on one way to be asked.
func (a *Approval) Agree(m Reading) {
	ways := 0
	for _, way := range []string{"always", "when", "judge"} {
		if m.Has(way) {
			ways++
		}
	}
	if ways != 1 || m.Has("always") && !a.always {
		m.Wrong("", "add always: true, when: an expression over args, or judge: a criterion in words",
			"approval must say when a person is asked, in one way")
	}
	for _, name := range []string{"says", "within"} {
		if m.Has(name) && a.Ask != Speaker {
			m.Wrong(name, "ask: speaker, or take it out", "%s is for what is read back to the speaker", name)
		}
	}
}

// Words are what may stand in place of when.
func (*Approval) Words() []string { return []string{"none"} }

// Word asks nobody.
func (a *Approval) Word(string) { a.None = true }

// Fields are what limits may say.
func (l *Limits) Fields() []Field {
	return []Field{
		{Name: "turns", Into: &l.Turns, Default: "12", Help: "How often the model is asked.", Example: "8"},
		{Name: "tool_calls", Into: &l.ToolCalls, Default: "20", Help: "How many calls it makes.", Example: "10"},
		{Name: "time", Into: &l.Time, Default: "15m", Help: "How long it works; waiting for people does not count.",
			Example: "5m"},
		{Name: "output_tokens", Into: &l.OutputTokens, Help: "How many tokens it may write.", Example: "6000"},
		{Name: "cost", Into: &l.Cost, Help: "What it may spend, in the workspace's currency.", Example: "0.50"},
		{Name: "tries_per_tool", Into: &l.TriesPerTool, Default: "2", Least: 1, Most: 100,
			Help: "How often one tool may fail.", Example: "3"},
	}
}

// DecodeAgent reads one agent file.
func DecodeAgent(file, text string) (*Agent, []Problem) {
	r := &reader{file: file}
	a := &Agent{file: file}
	if root := r.document(text); root != nil {
		if m, ok := r.part(root, "an agent", a); ok {
			r.checkID(m, "agent", a.ID)
		}
	}
	return a, r.problems
}
