package flow

import (
	"time"

	"go.yaml.in/yaml/v3"

	"woolsignal/core/expr"
)

// Agent is a model with a purpose, instructions, tools and limits.
type Agent struct {
	ID, Title, Purpose string
	Model              string // a name some model server connection offers
	Instructions       *expr.Template
	InstructionsAt     Pos
	Tools              []AgentTool
	KeepTurns          int      // how many earlier exchanges of a thread it remembers
	Facts              []string // whose lasting facts it knows: person, workspace
	Limits             Limits
	file               string
}

// AgentTool grants one tool to an agent.
type AgentTool struct {
	Tool     string
	At       Pos
	Approval *Approval // nil where the file says nothing
	Args     []Entry   // fixed: the model neither sees nor sets them
}

// Approval says when a person is asked before a tool is used.
type Approval struct {
	None bool        // never: written down on purpose
	When *Expression // asked when it holds over args; nil means each time
	By   string      // a person's e-mail, a role or a team
}

// Limits bound one task of an agent. Reaching one ends the step in a clear
// failure.
type Limits struct {
	Turns        int
	ToolCalls    int
	Time         time.Duration
	Cost         float64 // in the workspace's currency; 0 is no limit
	TriesPerTool int
}

// DecodeAgent reads one agent file.
func DecodeAgent(file, text string) (*Agent, []Problem) {
	r := &reader{file: file}
	a := &Agent{file: file, KeepTurns: 20, Limits: Limits{Turns: 12, ToolCalls: 20, Time: 15 * time.Minute, TriesPerTool: 2}}
	root := r.document(text)
	if root == nil {
		return a, r.problems
	}
	f, _ := r.mapping(root, "an agent", "agent", "title", "purpose", "model", "instructions", "tools", "memory", "limits")
	a.ID = r.fileID(f, "agent", file)
	a.Title = r.required(f, "title", "the name people see")
	a.Purpose = r.text(f, "purpose")
	a.Model = r.required(f, "model", "medium")
	if n, ok := f.nodes["instructions"]; ok && n.Kind == yaml.ScalarNode {
		a.InstructionsAt = scalarStart(n)
		compiled, err := expr.CompileText(n.Value)
		if err != nil {
			r.expressionError(n, err)
		}
		a.Instructions = compiled
	} else {
		r.wrong(f.at, "add instructions: |", "the agent is told nothing about its work")
	}
	for _, n := range r.list(f, "tools") {
		if t, ok := r.agentTool(n); ok {
			a.Tools = append(a.Tools, t)
		}
	}
	if n, ok := f.nodes["memory"]; ok {
		g, _ := r.mapping(n, "memory", "keep", "facts")
		for _, n := range r.list(g, "facts") {
			if n.Value != "person" && n.Value != "workspace" {
				r.wrong(posOf(n), "write person or workspace", "facts are kept about the person or the workspace, not %q", n.Value)
			}
			a.Facts = append(a.Facts, n.Value)
		}
		if keep, ok := g.nodes["keep"]; ok {
			h, _ := r.mapping(keep, "keep", "turns")
			a.KeepTurns = r.whole(h, "turns", a.KeepTurns)
		}
	}
	if n, ok := f.nodes["limits"]; ok {
		g, _ := r.mapping(n, "limits", "turns", "tool_calls", "time", "cost", "tries_per_tool")
		a.Limits = Limits{
			Turns: r.whole(g, "turns", a.Limits.Turns), ToolCalls: r.whole(g, "tool_calls", a.Limits.ToolCalls),
			Time: r.duration(g, "time", a.Limits.Time), Cost: r.decimal(g, "cost"),
			TriesPerTool: max(1, r.whole(g, "tries_per_tool", a.Limits.TriesPerTool)),
		}
	}
	return a, r.problems
}

func (r *reader) agentTool(n *yaml.Node) (AgentTool, bool) {
	if n.Kind == yaml.ScalarNode {
		return AgentTool{Tool: n.Value, At: posOf(n)}, true
	}
	f, ok := r.mapping(n, "a tool", "tool", "approval", "args")
	if !ok {
		return AgentTool{}, false
	}
	t := AgentTool{Tool: r.required(f, "tool", "depot-calendar/add_event"), At: f.at, Args: r.entriesAt(f, "args")}
	approval, ok := f.nodes["approval"]
	switch {
	case !ok:
	case approval.Kind == yaml.ScalarNode && approval.Value == "none":
		t.Approval = &Approval{None: true}
	case approval.Kind == yaml.ScalarNode:
		r.wrong(posOf(approval), "write none, or a map with each: true or when: an expression", "approval cannot be %q", approval.Value)
	default:
		g, _ := r.mapping(approval, "approval", "each", "when", "by")
		if g.has("each") == g.has("when") {
			r.wrong(g.at, "add each: true, or when: an expression over args", "approval must say when a person is asked, in one way")
		}
		r.choice(g, "each", "true", "true")
		t.Approval = &Approval{When: r.expression(g, "when"), By: r.required(g, "by", "a person, role or team")}
	}
	return t, true
}
