package flow

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"woolsignal/core/expr"
	"woolsignal/core/shape"
)

// steps checks a block and gives the names its end sees. The names it is
// given are not changed.
func (c *checker) steps(flow *Workflow, steps []*Step, outer expr.Names) expr.Names {
	names := maps.Clone(outer)
	for i, s := range steps {
		if _, taken := names[s.ID]; taken && s.ID != "" {
			c.wrong(s.At, "choose another id", "the name %s is already taken here", s.ID)
		}
		output := c.step(flow, s, names)
		if s.ID != "" {
			names[s.ID] = expr.Type{Shape: output, Optional: s.Skippable()}
		}
		if i < len(steps)-1 && endsRun(s) {
			c.wrong(steps[i+1].At, "move it up, or remove it", "this step is never reached: the run stops before it")
			break
		}
	}
	return names
}

// endsRun tells whether nothing can come after a step.
func endsRun(s *Step) bool {
	if s.Skippable() || s.IfFails != nil {
		return false
	}
	last := func(steps []*Step) bool { return len(steps) > 0 && endsRun(steps[len(steps)-1]) }
	switch {
	case s.Stop != nil:
		return true
	case s.Block != nil:
		return last(s.Block.Do)
	case s.Decide != nil:
		if s.Decide.Else == nil || s.Decide.Unsure == nil && s.Decide.Judged() && !last(s.Decide.Else.Do) {
			return false
		}
		for _, b := range s.Blocks() {
			if !last(b.Do) {
				return false
			}
		}
		return true
	}
	return false
}

// step checks one step and gives the shape of its output.
func (c *checker) step(flow *Workflow, s *Step, names expr.Names) shape.Shape {
	if s.When != nil {
		c.condition(s.When, names)
		names = c.narrowed(flow, s.When, names)
	}
	inner := map[string]map[string]shape.Shape{}
	switch s.Kind {
	case "compute":
		inner["compute"] = c.compute(s.Compute, names)
	case "decide":
		c.decide(flow, s, names, inner)
	case "each":
		c.each(flow, s, names, inner)
	case "together":
		var all []shape.Shape
		for i := range s.Together.Branches {
			b := &s.Together.Branches[i]
			inner[b.ID] = c.block(flow, &b.Block, names)
			all = append(all, shape.Map(inner[b.ID]))
		}
		c.enough(s.Together.Enough, shape.Union(all...), names)
	case "repeat":
		c.repeat(flow, s, names, inner)
	case "block":
		inner["k"] = c.block(flow, s.Block, names)
	default:
		c.plain(flow, s, names)
	}
	output := c.outputShape(s, names, inner)
	if f := s.IfFails; f != nil && !f.CarryOn {
		gives := c.block(flow, &f.Block, with(names, "failure", expr.Type{Shape: failureShape()}))
		if !slices.ContainsFunc(f.Do, endsRun) {
			output = shape.Union(output, shape.Map(gives))
		}
	}
	return output
}

// with adds one name to a scope.
func with(names expr.Names, name string, t expr.Type) expr.Names {
	out := maps.Clone(names)
	out[name] = t
	return out
}

// block checks the steps of a block and gives the shapes of what leaves it.
func (c *checker) block(flow *Workflow, b *Block, names expr.Names) map[string]shape.Shape {
	after := c.steps(flow, b.Do, names)
	return c.entriesShape(b.Gives, after)
}

func (c *checker) compute(s *ComputeStep, names expr.Names) map[string]shape.Shape {
	out := map[string]shape.Shape{}
	seen := maps.Clone(names)
	for _, v := range s.Values {
		t := expr.Type{}
		if v.Expression != nil {
			t = c.infer(v.Expression, seen)
		}
		if t.Optional && t.Shape != nil {
			t.Shape = shape.Union(t.Shape, shape.Null())
		}
		out[v.Name] = t.Shape
		seen[v.Name] = expr.Type{Shape: t.Shape}
	}
	return out
}

func (c *checker) decide(flow *Workflow, s *Step, names expr.Names, inner map[string]map[string]shape.Shape) {
	always := false
	rules := map[string]bool{}
	d := s.Decide
	for i := range d.Cases {
		one := &d.Cases[i]
		if always {
			c.wrong(one.At, "move it up, or remove it", "this case is never reached: the one above it always holds")
		}
		seen := names
		if one.When != nil {
			c.condition(one.When, names)
			rule := strings.TrimSpace(one.When.Source)
			if rules[rule] {
				c.wrong(one.At, "remove it, or change what it says", "this case is never reached: an earlier one has the same rule")
			}
			rules[rule], always = true, always || rule == "true"
			if rule == "false" {
				c.wrong(one.At, "remove it, or change what it says", "this case never holds")
			}
			seen = c.narrowed(flow, one.When, names)
		}
		for _, v := range []*Value{one.Judge, one.About} {
			if v != nil {
				c.value(*v, names)
			}
		}
		if gives := c.block(flow, &one.Block, seen); !slices.ContainsFunc(one.Do, endsRun) {
			inner[fmt.Sprintf("c%d", i)] = gives
		}
	}
	for name, other := range map[string]*Case{"else": d.Else, "u": d.Unsure} {
		if other == nil {
			continue
		}
		if always && name == "else" {
			c.wrong(other.At, "remove it", "else is never reached: a case above it always holds")
		}
		if gives := c.block(flow, &other.Block, names); !slices.ContainsFunc(other.Do, endsRun) {
			inner[name] = gives
		}
	}
	if !d.Judged() {
		return
	}
	c.model(s.At, d.Using, flow)
	if d.Unsure == nil && d.Else == nil {
		c.report(s.At, Problem{What: "nothing says what happens when the judgement is unsure", Why: "a yes below the floor would fall through every case",
			Remedy: "add unsure: with do: or gives:"})
	} else if d.Unsure == nil {
		c.report(s.At, Problem{Severity: Remark, What: "an unsure judgement goes the way of else", Remedy: "add unsure: where a person should look instead"})
	}
}

func (c *checker) each(flow *Workflow, s *Step, names expr.Names, inner map[string]map[string]shape.Shape) {
	list := expr.Type{}
	if s.Each.Of != nil {
		list = c.infer(s.Each.Of, names)
		if k := list.Shape.Kind(); k != "" && k != "list" || list.Optional {
			c.wrong(s.Each.Of.At, "give it a list", "%s is %s, and each goes through a list", s.Each.Of.Source, orMissing(k, list.Optional))
		}
	}
	seen := with(with(names, "item", expr.Type{Shape: list.Shape.Items()}), "index", expr.Type{Shape: shape.Number()})
	inner["i"] = c.block(flow, &s.Each.Block, seen)
	c.enough(s.Each.Enough, shape.Map(inner["i"]), names)
}

func orMissing(kind string, optional bool) string {
	if optional {
		return "something that may be missing"
	}
	return shape.Words(kind)
}

func (c *checker) repeat(flow *Workflow, s *Step, names expr.Names, inner map[string]map[string]shape.Shape) {
	seen := with(names, "index", expr.Type{Shape: shape.Number()})
	before := expr.Type{Optional: true}
	// What a round gives depends on what the round before gave: the first look
	// finds the names, the second holds the steps against them.
	quiet := *c
	quiet.problems = nil
	first := quiet.block(flow, &s.Repeat.Block, with(seen, "last", before))
	known := map[string]shape.Shape{}
	for name := range first {
		known[name] = nil
	}
	inner["r"] = c.block(flow, &s.Repeat.Block, with(seen, "last", expr.Type{Shape: shape.Map(known), Optional: true}))
	if s.Repeat.Till != nil {
		c.condition(s.Repeat.Till, with(seen, "last", expr.Type{Shape: shape.Map(inner["r"])}))
	}
}

// enough checks what ends several ways early.
func (c *checker) enough(e *Expression, value shape.Shape, names expr.Names) {
	if e != nil {
		c.condition(e, with(names, "value", expr.Type{Shape: value}))
	}
}

// triggerTest finds a test for one trigger among what must hold together.
var triggerTest = regexp.MustCompile(`(?:^|&&)\s*signal\.trigger\s*==\s*["']([^"']+)["']\s*(?:$|&&)`)

// narrowed gives the names a block sees behind a test for one trigger: there
// the signal is known to be of that trigger.
func (c *checker) narrowed(flow *Workflow, when *Expression, names expr.Names) expr.Names {
	m := triggerTest.FindStringSubmatch(when.Source)
	if m == nil || strings.Contains(when.Source, "||") {
		return names
	}
	out := with(names, "signal", expr.Type{Shape: c.w.signalShape(flow, m[1], c.tool)})
	if in, ok := out["inputs"]; ok && m[1] == "called" {
		in.Optional = false
		out["inputs"] = in
	}
	return out
}

// plain checks a step that holds no other steps.
func (c *checker) plain(flow *Workflow, s *Step, names expr.Names) {
	switch s.Kind {
	case "agent":
		if _, ok := c.w.Agents[s.Agent.Agent]; !ok {
			c.wrong(s.At, didYouMean(s.Agent.Agent, slices.Sorted(maps.Keys(c.w.Agents))), "there is no agent %s", s.Agent.Agent)
		}
		c.value(s.Agent.Task, names)
		if s.Agent.Thread != nil {
			c.value(*s.Agent.Thread, names)
		}
	case "tool":
		c.toolStep(flow, s, names)
	case "model":
		c.model(s.At, s.Model.Model, flow)
		c.value(s.Model.Prompt, names)
		c.schema(s.Model.Answer)
	case "call":
		c.call(s, names)
	case "javascript":
		c.entriesShape(s.JavaScript.Inputs, names)
		c.schema(s.JavaScript.Result)
	case "wait":
		c.wait(s, names)
	case "say":
		c.says(s.Say, names)
		if !flow.hears(Trigger.Talks) {
			c.wrong(s.At, "add a chat or phone trigger, or remove the step", "nobody is talking here: no trigger of this workflow has a conversation")
		}
	case "respond":
		c.entriesShape(s.Respond.Headers, names)
		if s.Respond.Body != nil {
			c.value(*s.Respond.Body, names)
		}
		if !flow.hears(func(t Trigger) bool { return t.Webhook != nil && t.Webhook.Computed }) {
			c.wrong(s.At, "add answer: computed to the webhook, or remove the step", "no caller waits for this answer")
		}
	case "question":
		c.question(flow, s, names)
	case "review":
		c.value(s.Review.Show, names)
		c.by(s.At, s.Review.Of)
	case "label":
		for _, v := range s.Label.As {
			c.value(v, names)
		}
	case "remember":
		c.value(s.Remember.About, names)
		c.value(s.Remember.Fact, names)
	case "stop":
		if s.Stop.Because != nil {
			c.value(*s.Stop.Because, names)
		}
	}
}

// says checks the parts of a message.
func (c *checker) says(s *SayStep, names expr.Names) {
	for _, v := range []*Value{s.Text, s.Picture, s.File} {
		if v != nil {
			c.value(*v, names)
		}
	}
	for name, v := range map[string]*Value{"buttons": s.Buttons, "layout": s.Layout} {
		if v == nil {
			continue
		}
		if k := c.value(*v, names).Kind(); k != "" && k != "list" {
			c.wrong(v.At, "give it a list", "%s is %s, and a list is needed", name, shape.Words(k))
		}
	}
}

func (c *checker) question(flow *Workflow, s *Step, names expr.Names) {
	q := s.Question
	c.says(&q.SayStep, names)
	c.schema(q.Valid)
	if !flow.hears(Trigger.Talks) {
		c.wrong(s.At, "add a chat or phone trigger, or remove the step", "nobody is talking here: no trigger of this workflow has a conversation")
	}
	seen := with(names, "value", expr.Type{Shape: q.answer()})
	if q.Check != nil {
		c.condition(q.Check, seen)
	}
	if q.Hint != nil {
		c.value(*q.Hint, seen)
	}
	if q.Find == nil {
		return
	}
	spec, ok := c.tool(q.Find.Tool)
	if !ok {
		c.noTool(q.Find.At, q.Find.Tool)
		return
	}
	if !spec.ReadOnly {
		c.report(q.Find.At, Problem{What: q.Find.Tool + " changes something", Why: "nothing is written before the answer is valid", Remedy: "use a tool that looks things up"})
	}
	c.fields(spec.Name, q.Find.Args, c.entriesShape(q.Find.Args, seen), spec.Input, q.Find.At, true)
}

// answer is the shape of what somebody answers.
func (q *QuestionStep) answer() shape.Shape {
	if doc := q.Valid.doc(); doc != nil {
		return doc
	}
	return shape.Text()
}

// hears tells whether some trigger of the workflow is of a kind.
func (w *Workflow) hears(is func(Trigger) bool) bool { return slices.ContainsFunc(w.Triggers, is) }

// noTool says that a tool is not there, and whether that is for want of what
// its name begins with.
func (c *checker) noTool(at Pos, name string) {
	of := connectionOf(name)
	switch {
	case c.w.Connections[of] != nil, c.w.Tables[of] != nil, of == "documents":
		c.wrong(at, "woolsignal tools "+of+" lists those there are", "there is no tool %s", name)
	default:
		c.wrong(at, "add connections/"+of+".yaml or tables/"+of+".yaml, or name another", "there is no tool %s: nothing here is called %s", name, of)
	}
}

func (c *checker) toolStep(flow *Workflow, s *Step, names expr.Names) {
	t, ok := c.tool(s.Tool.Tool)
	if !ok {
		c.noTool(s.At, s.Tool.Tool)
	}
	words := map[string]shape.Shape{} // what a fill names beside the tool's own arguments
	filled := []Entry{}
	for _, e := range s.Tool.Fill {
		c.value(e.Value, names)
		if _, p := shape.Shape(t.Input).Field(e.Key); ok && p != shape.Absent {
			filled = append(filled, e)
		} else {
			words[e.Key] = shape.Text()
		}
	}
	if len(s.Tool.Fill) > 0 {
		c.model(s.At, s.Tool.Using, flow)
		names = with(names, "fill", expr.Type{Shape: shape.Map(words)})
	}
	given := c.entriesShape(s.Tool.Args, names)
	if !ok {
		return
	}
	for _, e := range filled {
		if _, both := given[e.Key]; both {
			c.wrong(e.Value.At, "remove one of the two", "%s is both under args and under fill", e.Key)
		}
		given[e.Key] = nil
	}
	c.fields(t.Name, append(slices.Clone(s.Tool.Args), filled...), given, t.Input, s.At, true)
	for name := range words {
		if !slices.ContainsFunc(s.Tool.Args, func(e Entry) bool { return e.Value.reads("fill." + name) }) {
			c.report(s.At, Problem{What: t.Name + " takes no " + name + ", and no argument reads fill." + name, Why: "the model would write it for nobody",
				Remedy: shape.Shape(t.Input).Has(t.Name)})
		}
	}
}

func (c *checker) call(s *Step, names expr.Names) {
	given := c.entriesShape(s.Call.Inputs, names)
	called := c.named(s.At, s.Call.Workflow)
	if called == nil {
		return
	}
	if !called.Callable() {
		c.wrong(s.At, "add inputs: to workflows/"+called.ID+".yaml", "the workflow %s cannot be called: it names no inputs", called.ID)
		return
	}
	c.fields(called.ID, s.Call.Inputs, given, called.Inputs.doc(), s.At, true)
}

func (c *checker) wait(s *Step, names expr.Names) {
	if s.Wait.Till != nil {
		t := c.infer(s.Wait.Till, names)
		if k := t.Shape.Kind(); k != "" && k != "text" || t.Optional {
			c.wrong(s.Wait.Till.At, `give it a time, as in time("2026-11-23 14:30") or now() + duration("1h")`, "%s is %s, and till needs a time", s.Wait.Till.Source, orMissing(k, t.Optional))
		}
	}
	h := s.Wait.Hear
	if h == nil {
		return
	}
	c.value(h.On, names)
	if h.Match != nil {
		c.condition(h.Match, with(names, "heard", expr.Type{Shape: c.w.triggerShape(h.Trigger, c.tool)}))
	}
	c.source(h.Trigger)
	if h.Webhook != nil {
		for _, w := range c.w.Workflows {
			for _, t := range w.Triggers {
				if t.Webhook != nil && t.Webhook.Path == h.Webhook.Path && t.Webhook.Verify != h.Webhook.Verify {
					c.wrong(h.At, "verify: "+t.Webhook.Verify, "the webhook %s of %s is verified with another key", h.Webhook.Path, w.ID)
				}
			}
		}
	}
}
