package step

import (
	"fmt"
	"slices"
	"strings"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Tool calls one tool, once a model has filled in what was left to it.
type Tool struct {
	Name  string
	Args  []flow.Entry
	Fill  []flow.Entry // guidance by argument, or by name where it is none
	Using string       // the model; "" is the workflow's
}

// Fields are what it may say.
func (t *Tool) Fields() []flow.Field {
	return []flow.Field{
		{Name: "tool", Into: &t.Name, Holds: flow.HoldsTool, Required: true,
			Help: "The tool, as connection/operation or table/operation.", Example: "register/add"},
		{Name: "args", Into: &t.Args, Help: "Its arguments, by name.", Example: "{kg: \"${net.kg}\"}"},
		{Name: "fill", Into: &t.Fill, Holds: flow.HoldsProse, Example: "{lane: which lane the notes point to}",
			Help: "Arguments that are left to a model, each with what it is to write; a name that is no argument is " +
				"seen by args as fill.NAME."},
		{Name: "fill_model", Into: &t.Using, Holds: flow.HoldsModel,
			Help: "The model that fills in; the workflow's where it is missing.", Example: "medium"},
	}
}

// Check holds the arguments against the tool's schema.
func (t *Tool) Check(c *flow.Checker, s *flow.Step, names expr.Names) shape.Shape {
	spec, ok := c.Tool(t.Name)
	words := map[string]shape.Shape{} // what a fill names beside the tool's own arguments
	var filled []flow.Entry
	for _, e := range t.Fill {
		c.Value(e.Value, names)
		if ok && takes(spec, e.Key) {
			filled = append(filled, e)
		} else {
			words[e.Key] = shape.Text()
		}
	}
	if len(t.Fill) > 0 {
		c.Model(s.At, t.Using)
		names = names.With("fill", expr.Type{Shape: shape.Map(words)})
	}
	given := c.Entries(t.Args, names)
	if !ok {
		return nil
	}
	for _, e := range filled {
		if _, both := given[e.Key]; both {
			c.Wrong(e.Value.At, "remove one of the two", "%s is both under args and under fill", e.Key)
		}
		given[e.Key] = nil
	}
	c.Arguments(spec.Name, append(slices.Clone(t.Args), filled...), given, spec.Input, s.At, true)
	for name := range words {
		if !slices.ContainsFunc(t.Args, func(e flow.Entry) bool { return e.Value.Reads("fill." + name) }) {
			c.Report(s.At, flow.Problem{What: spec.Name + " takes no " + name + ", and no argument reads fill." + name,
				Why: "the model would write it for nobody", Remedy: shape.Shape(spec.Input).Has(spec.Name)})
		}
	}
	return spec.Output
}

// Tell says which tool is used, and with what.
func (t *Tool) Tell(p *flow.Sentence, _ *flow.Step) {
	p.Say("Use ").Field("tool").Tool(t.Name).Field("args").Given(t.Args)
	for i, f := range t.Fill {
		p.Say([]string{"; a model fills in ", ", "}[min(i, 1)] + flow.Plain(f.Key) + ": ").
			Field("fill/" + f.Key).Prose(f.Value)
	}
}

// plain turns names into words.
func plain(names []string) []string {
	out := make([]string, len(names))
	for i, name := range names {
		out[i] = flow.Plain(name)
	}
	return out
}

// Advance sends the call, once it is known with what.
func (t *Tool) Advance(at *run.At) run.Outcome {
	if at.Did != nil && (at.Did.Sent || at.Did.Agent == nil) {
		return run.Blocked
	}
	if at.Repeats() {
		return at.Repeat(t.Name)
	}
	if at.Did != nil { // the moment a model was asked about, for all of the step
		at.AsOf(at.Did.Agent.Began)
	}
	spec, ok := at.Tool(t.Name)
	if !ok {
		return at.Fail("there is no tool %s any more", t.Name)
	}
	filled := map[string]any{}
	if len(t.Fill) > 0 {
		answer, out := t.fill(at, spec)
		if out != run.Finished {
			return out
		}
		filled = answer
	}
	args, err := t.args(at, spec, filled)
	if err != nil {
		return at.Fail("%v", err)
	}
	if at.HoldsBack(spec) {
		return at.EndHeld(spec.Name, args)
	}
	if len(t.Fill) > 0 {
		at.SendCall(t.Name, args)
	} else {
		at.BeginCall(t.Name, args)
	}
	return at.Wait()
}

// args fills the arguments in and holds them against the tool's schema.
func (t *Tool) args(at *run.At, spec flow.Tool, filled map[string]any) (map[string]any, error) {
	scope := at.Scope
	if len(t.Fill) > 0 {
		scope = at.With(map[string]any{"fill": filled})
	}
	args, err := flow.EvalEntries(t.Args, scope)
	if err != nil {
		return nil, err
	}
	for _, e := range t.Fill {
		if takes(spec, e.Key) {
			args[e.Key] = filled[e.Key]
		}
	}
	if s := at.SchemaOf(spec); s != nil {
		if err := s.Validate(args); err != nil {
			return nil, fmt.Errorf("the arguments do not fit: %w", err)
		}
	}
	return args, run.TooLarge("what it is called with", args)
}

// fill has a model write what was left to it of the call.
func (t *Tool) fill(at *run.At, spec flow.Tool) (map[string]any, run.Outcome) {
	q := inquiry{model: t.Using, task: "You fill in values of a call to a tool: " + spec.Title + ". " +
		spec.Description, answer: &flow.Schema{Doc: t.fillSchema(spec)}}
	if at.Did == nil {
		var b strings.Builder
		b.WriteString("Fill in these values:\n")
		for _, e := range t.Fill {
			guidance, err := e.Value.Eval(at.Scope)
			if err != nil {
				return nil, at.Fail("fill, %s: %v", e.Key, err)
			}
			fmt.Fprintf(&b, "- %s: %s\n", e.Key, strings.TrimSpace(expr.Text(guidance)))
		}
		q.prompt = b.String()
	}
	answer, out := q.consult(at)
	values, _ := answer.(map[string]any)
	return values, out
}

// fillSchema is what a fill must look like: the tool's own types for its
// arguments, text for other names.
func (t *Tool) fillSchema(spec flow.Tool) map[string]any {
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
	return map[string]any{"type": "object", "additionalProperties": false, "required": required,
		"properties": properties}
}

// takes tells whether a tool has an argument.
func takes(spec flow.Tool, name string) bool {
	_, presence := shape.Shape(spec.Input).Field(name)
	return presence != shape.Absent
}

// Outstanding is what the model is asked, or the call.
func (t *Tool) Outstanding(at *run.At) []run.Errand {
	if at.Did.Agent != nil && !at.Did.Sent {
		spec, _ := at.Tool(t.Name)
		return asked(at, &flow.Schema{Doc: t.fillSchema(spec)})
	}
	return []run.Errand{at.Call(0, t.Name)}
}
