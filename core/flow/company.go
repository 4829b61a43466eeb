package flow

import (
	"slices"
	"strings"
)

// What an agent has beside the tools of connections is offered to its model as tools
// too. Their names begin with these, which no connection is called.
const (
	WorkflowTools = "workflow" // a workflow it may start and wait for
	HelperTools   = "helper"   // another agent it may consult
	HandOffTools  = "hand_off" // another agent that takes over from it
	OwnTools      = "self"     // what it does about its own work
)

// companyWords are the first parts of such names.
var companyWords = []string{WorkflowTools, HelperTools, HandOffTools, OwnTools}

// Helper is another agent that an agent may consult. It begins with a clean memory and
// knows what it is given, and no more.
type Helper struct {
	Agent string
	Judge string // when it is consulted, in words
	At    Pos
}

// Fields are what a helper may say.
func (h *Helper) Fields() []Field {
	return []Field{
		{Name: "agent", Into: &h.Agent, Holds: HoldsAgent, Required: true, Help: "The agent.",
			Example: "market-researcher"},
		{Name: "judge", Into: &h.Judge, Holds: HoldsProse, Help: "When it is consulted, beside what its purpose says.",
			Example: "The question needs figures from outside the co-op."},
	}
}

// PlacedAt keeps where the helper is named.
func (h *Helper) PlacedAt(at Pos) { h.At = at }

// Words are the names of agents.
func (*Helper) Words() []string { return nil }

// Word names a helper by its id alone.
func (h *Helper) Word(name string) { h.Agent = name }

// HandOff is another agent that may take over, and goes on in the same conversation.
type HandOff struct {
	To    string
	Judge string // when it takes over, in words
	At    Pos
}

// Fields are what a hand-off may say.
func (h *HandOff) Fields() []Field {
	return []Field{
		{Name: "to", Into: &h.To, Holds: HoldsAgent, Required: true, Help: "The agent that takes over.",
			Example: "haulage-desk"},
		{Name: "judge", Into: &h.Judge, Holds: HoldsProse, Required: true, Help: "When it takes over.",
			Example: "The grower needs a lorry rather than a slot."},
	}
}

// PlacedAt keeps where the hand-off is written.
func (h *HandOff) PlacedAt(at Pos) { h.At = at }

// Kit is all an agent's model is offered: the tools it is granted, its helpers, and who
// may take over from it.
func (a *Agent) Kit() []AgentTool {
	out := slices.Clone(a.Tools)
	if a.Plan != nil {
		out = append(out, AgentTool{Tool: PlanTool, Approval: a.Plan.approval()})
	}
	for i, t := range out {
		if IsOwnTool(t.Tool) && t.Approval == nil {
			out[i].Approval = &Approval{None: true}
		}
	}
	for _, h := range a.Helpers {
		out = append(out, AgentTool{Tool: HelperTools + "/" + h.Agent, At: h.At, Approval: &Approval{None: true}})
	}
	for _, h := range a.HandOffs {
		out = append(out, AgentTool{Tool: HandOffTools + "/" + h.To, At: h.At, Approval: &Approval{None: true}})
	}
	return out
}

// helper finds a helper by the agent's id; nil where it is none.
func (a *Agent) helper(id string) *Helper {
	for i := range a.Helpers {
		if a.Helpers[i].Agent == id {
			return &a.Helpers[i]
		}
	}
	return nil
}

// CompanyTool reads the name of what is offered as a tool and is none of a connection.
func CompanyTool(name string) (kind, id string, is bool) {
	kind, id, _ = strings.Cut(name, "/")
	return kind, id, slices.Contains(companyWords, kind)
}

// WithCompany is a catalogue that knows beside its tools the workflows and agents of the
// workspace as an agent's model is offered them.
func (w *Workspace) WithCompany(tools Catalogue) Catalogue {
	return func(name string) (Tool, bool) {
		switch kind, id, _ := CompanyTool(name); kind {
		case WorkflowTools:
			if one := w.Workflows[id]; one != nil && one.Callable() {
				return w.workflowTool(one, tools), true
			}
			return Tool{}, false
		case HelperTools:
			if one := w.Agents[id]; one != nil {
				return w.helperTool(one, tools), true
			}
			return Tool{}, false
		case HandOffTools:
			if one := w.Agents[id]; one != nil {
				return handOffTool(one), true
			}
			return Tool{}, false
		case OwnTools:
			own, is := ownTools[id]
			return own, is
		}
		return tools(name)
	}
}

// workflowTool is a workflow as a model is offered it: its inputs and its result are the
// tool's. It is started once, however often it is asked to.
func (w *Workspace) workflowTool(one *Workflow, tools Catalogue) Tool {
	out := map[string]any(one.Result.Document())
	return Tool{Name: WorkflowTools + "/" + one.ID, Title: one.Title, Description: one.Purpose,
		Input: one.Inputs.Document(), Output: out, Resend: ResendSafe,
		ReadOnly: w.readsOnly(one, tools, map[string]bool{})}
}

// helperTool is an agent as another's model is offered it. Whether it is read-only is
// for its own kit to say, and who approves what it does for its own file.
func (w *Workspace) helperTool(one *Agent, tools Catalogue) Tool {
	input := map[string]any{"type": "object", "required": []any{"task"}, "additionalProperties": false}
	properties := map[string]any{"task": map[string]any{"type": "string", "minLength": int64(1),
		"description": "What it is to do or to answer, with all it needs to know: it knows nothing of this " +
			"conversation"}}
	if doc := one.Inputs.Document(); doc != nil {
		properties["inputs"] = map[string]any(doc)
		input["required"] = []any{"task", "inputs"}
	}
	input["properties"] = properties
	out := map[string]any{"type": "string"}
	if doc := one.Answer.Document(); doc != nil {
		out = doc
	}
	return Tool{Name: HelperTools + "/" + one.ID, Title: one.Title, Description: one.Purpose, Input: input,
		Output: map[string]any{"type": "object", "required": []any{"answer"},
			"properties": map[string]any{"answer": out}},
		Resend: ResendSafe, ReadOnly: w.agentReadsOnly(one, tools, map[string]bool{})}
}

// handOffTool is an agent that may take over, as another's model is offered it. What the
// two do is for their own kits to say.
func handOffTool(one *Agent) Tool {
	return Tool{Name: HandOffTools + "/" + one.ID, Title: "hand over to " + one.Title,
		Description: "Hands this conversation over to " + one.Title + ", who goes on in it. " + one.Purpose,
		Input: map[string]any{"type": "object", "required": []any{"what"}, "additionalProperties": false,
			"properties": map[string]any{"what": map[string]any{"type": "string", "minLength": int64(1),
				"description": "What is wanted, and all that was collected so far: names, numbers, days and times"}}},
		ReadOnly: true, Resend: ResendSafe}
}

// DescribedFor is a tool's description as one agent's model reads it: of another agent,
// with when it is asked or takes over.
func (a *Agent) DescribedFor(t Tool) string {
	judge := ""
	switch kind, id, _ := CompanyTool(t.Name); kind {
	case HelperTools:
		if h := a.helper(id); h != nil {
			judge = h.Judge
		}
	case HandOffTools:
		if i := slices.IndexFunc(a.HandOffs, func(h HandOff) bool { return h.To == id }); i >= 0 {
			judge = a.HandOffs[i].Judge
		}
	}
	if judge == "" {
		return t.Description
	}
	return strings.TrimSpace(t.Description + " Use it when this holds: " + judge)
}

// readsOnly tells whether a run of a workflow changes nothing outside.
func (w *Workspace) readsOnly(one *Workflow, tools Catalogue, seen map[string]bool) bool {
	key := WorkflowTools + "/" + one.ID
	if seen[key] {
		return true // what it reaches otherwise says so
	}
	seen[key] = true
	for _, name := range one.Uses(HoldsTool) {
		if t, ok := tools(name); !ok || !t.ReadOnly {
			return false
		}
	}
	for _, id := range one.Calls() {
		if other := w.Workflows[id]; other == nil || !w.readsOnly(other, tools, seen) {
			return false
		}
	}
	for _, id := range one.AgentsUsed() {
		if a := w.Agents[id]; a == nil || !w.agentReadsOnly(a, tools, seen) {
			return false
		}
	}
	return true
}

// agentReadsOnly tells whether an agent has nothing to change anything outside with.
func (w *Workspace) agentReadsOnly(a *Agent, tools Catalogue, seen map[string]bool) bool {
	key := HelperTools + "/" + a.ID
	if seen[key] {
		return true
	}
	seen[key] = true
	for _, t := range a.Kit() {
		switch kind, id, is := CompanyTool(t.Tool); {
		case kind == WorkflowTools:
			if one := w.Workflows[id]; one == nil || !w.readsOnly(one, tools, seen) {
				return false
			}
		case kind == HelperTools || kind == HandOffTools:
			if other := w.Agents[id]; other == nil || !w.agentReadsOnly(other, tools, seen) {
				return false
			}
		case !is:
			if spec, ok := tools(t.Tool); !ok || !spec.ReadOnly {
				return false
			}
		}
	}
	return true
}

// AgentsWith lists agents with all those they may consult or hand over to, each once.
func (w *Workspace) AgentsWith(ids []string) []string {
	out := slices.Clone(ids)
	for i := 0; i < len(out); i++ {
		a := w.Agents[out[i]]
		if a == nil {
			continue
		}
		for _, id := range a.consults() {
			if !slices.Contains(out, id) {
				out = append(out, id)
			}
		}
	}
	return out
}

// consults are the agents it names in its file.
func (a *Agent) consults() []string {
	var out []string
	for _, h := range a.Helpers {
		out = append(out, h.Agent)
	}
	for _, h := range a.HandOffs {
		out = append(out, h.To)
	}
	return out
}
