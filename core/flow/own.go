package flow

import "time"

// PlanTool is what an agent says its plan with.
const PlanTool = OwnTools + "/plan"

// RememberTool is what an agent keeps facts with. Somebody may be asked before it does, as
// others are told of what it keeps.
const RememberTool = OwnTools + "/remember"

// LongestFact is how many characters a fact has at most: it is a sentence, and every
// agent that knows it reads it each time.
const LongestFact = 1000

// ownTools are what an agent does about its own work, by name.
var ownTools = map[string]Tool{
	"follow_up": ownTool("follow_up", "go on later", "Goes on with this conversation by itself at a time: you are "+
		"asked again then, with what you wrote here.", []any{"at", "what"}, map[string]any{
		"at":   prop("When, as 2026-11-26T09:00; at most a year from now"),
		"what": prop("What you are to do then, in a sentence")}),
	"call_person": ownTool("call_person", "bring somebody in", "Brings in a person, who reads this conversation and "+
		"answers; you go on with what they say.", []any{"why", "who"}, map[string]any{
		"why": prop("What they are to say or do, in a sentence"),
		"who": prop("A person's e-mail, a role or a team")}),
	"label": ownTool("label", "mark this run", "Marks this run, so that it is found by the label.", []any{"label"},
		map[string]any{"label": map[string]any{"type": "string", "minLength": int64(1), "maxLength": int64(40),
			"description": "A word or two"}}),
	"remember": ownTool("remember", "keep a fact", "Keeps a fact for later conversations.", []any{"about", "fact"},
		map[string]any{"about": map[string]any{"type": "string", "enum": []any{"person", "workspace"},
			"description": "Whether it is about whom you talk with, or about everybody's work"},
			"fact": map[string]any{"type": "string", "minLength": int64(1), "maxLength": int64(LongestFact),
				"description": "The fact, in a sentence"}}),
	"plan": ownTool("plan", "say what comes", "Says what you are going to do, before you change anything. Say it anew "+
		"where it changes.", []any{"steps"}, map[string]any{"steps": map[string]any{"type": "array",
		"minItems":    int64(1),
		"description": "What you are going to do, in order",
		"items": map[string]any{"type": "object", "required": []any{"what"}, "additionalProperties": false,
			"properties": map[string]any{"what": prop("What, in a few words"),
				"tool": map[string]any{"type": "string",
					"description": "The name of the tool you will use for it"}}}}}),
}

func ownTool(name, title, description string, required []any, properties map[string]any) Tool {
	return Tool{Name: OwnTools + "/" + name, Title: title, Description: description, Resend: ResendSafe,
		Input: map[string]any{"type": "object", "additionalProperties": false, "required": required,
			"properties": properties}}
}

func prop(description string) map[string]any {
	return map[string]any{"type": "string", "minLength": int64(1), "description": description}
}

// usualWithin is how long a speaker has to answer where nothing is said.
var usualWithin = Span{Duration: 24 * time.Hour}

// Plan says that an agent tells what it is going to do, and who agrees first.
type Plan struct {
	Ask string // a person's e-mail, a role, a team, or [Speaker]; "" is nobody
	At  Pos
}

// Fields are what a plan may say.
func (p *Plan) Fields() []Field {
	return []Field{{Name: "ask", Into: &p.Ask, Holds: HoldsPeople, Required: true,
		Help: "Who says yes before it acts: a person, role or team, or the speaker.", Example: "speaker"}}
}

// PlacedAt keeps where it stands.
func (p *Plan) PlacedAt(at Pos) { p.At = at }

// Words are what may stand in place of who is asked.
func (*Plan) Words() []string { return []string{"shown"} }

// Word shows the plan and asks nobody.
func (*Plan) Word(string) {}

// approval is who says yes to the plan.
func (p *Plan) approval() *Approval {
	if p.Ask == "" {
		return &Approval{None: true}
	}
	return &Approval{always: true, Ask: p.Ask, Within: usualWithin}
}

// IsOwnTool tells whether a tool is about an agent's own work, and reaches nothing
// outside.
func IsOwnTool(tool string) bool {
	kind, _, _ := CompanyTool(tool)
	return kind == OwnTools
}

// ownTool insists that the file says who is brought in: a model does not choose people.
func (c *Checker) ownTool(t AgentTool) {
	switch {
	case t.Tool == PlanTool:
		c.Wrong(t.At, "add plan: shown, or plan: with ask:", "%s is given by plan:, not as a tool", t.Tool)
	case t.Tool == OwnTools+"/call_person" && !t.Fixes("who"):
		c.Wrong(t.At, "add args: {who: grading-lead}", "nobody says whom the agent may bring in")
	case t.Tool == RememberTool && t.Approval != nil && t.Approval.Ask == Speaker:
		c.Wrong(t.At, "write ask: with a person, role or team", "whoever says a fact is asked whether it is one")
	case IsOwnTool(t.Tool) && t.Tool != RememberTool && t.Approval != nil && !t.Approval.None:
		c.Wrong(t.At, "take approval: out", "%s changes nothing outside, so nobody need be asked", t.Tool)
	}
}
