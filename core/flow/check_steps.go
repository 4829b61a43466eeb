package flow

import (
	"maps"
	"regexp"
	"slices"
	"strings"

	"woolsignal/core/expr"
	"woolsignal/core/shape"
)

// steps checks a block and gives the names its end sees. The names it is
// given are not changed.
func (c *Checker) steps(steps []*Step, outer expr.Names) expr.Names {
	names := outer.Inside()
	for i, s := range steps {
		if _, taken := names.Type(s.ID); taken && s.ID != "" {
			c.Wrong(s.At, "choose another id", "the name %s is already taken here", s.ID)
		}
		output := c.step(s, names)
		if s.ID != "" {
			t := expr.Type{Shape: output, Optional: s.Skippable()}
			names.Put(s.ID, t)
			c.adds(s, t)
		}
		if i < len(steps)-1 && s.endsRun() {
			c.Wrong(steps[i+1].At, "move it up, or remove it", "this step is never reached: the run stops before it")
			break
		}
	}
	return names
}

// endsRun tells whether nothing can come after the step.
func (s *Step) endsRun() bool {
	if s.Skippable() || s.IfFails != nil {
		return false
	}
	e, is := s.Does.(Ending)
	return is && e.Ends()
}

// EndRun tells whether nothing can come after some steps.
func EndRun(steps []*Step) bool { return len(steps) > 0 && steps[len(steps)-1].endsRun() }

// Returns tells whether a block may come to its end, and what leaves it so
// counts.
func (b *Block) Returns() bool { return !slices.ContainsFunc(b.Do, (*Step).endsRun) }

// step checks one step and gives the shape of its output.
func (c *Checker) step(s *Step, names expr.Names) shape.Shape {
	if s.When != nil {
		c.Condition(s.When, names)
		names = c.Narrowed(s.When, names)
	}
	c.exist(s.At, s.Does)
	defer c.around(names)()
	output := s.Does.Check(c, s, names)
	if f := s.IfFails; f != nil && !f.CarryOn {
		gives := c.Block(&f.Block, names.With("failure", expr.Type{Shape: failureShape()}))
		if f.Returns() {
			output = shape.Union(output, shape.Map(gives))
		}
	}
	return output
}

// exist insists that what a part of a file names is there.
func (c *Checker) exist(at Pos, part Fielded) {
	eachField(part, func(f Field) {
		if into, is := f.Into.(**Schema); is {
			c.schema(*into)
			c.chosen(*into, f.Name)
		}
		for _, name := range f.named() {
			word, exact := c.standing(f, at)
			c.existing(place{word, exact}, f, name)
		}
	})
}

// place is where a name stands, or what it stands in where it is not exact.
type place struct {
	at    Pos
	exact bool
}

// standing is where the word of a field stands; at where that is not known.
func (c *Checker) standing(f Field, at Pos) (word Pos, exact bool) {
	if into, is := f.Into.(*string); is {
		if word, exact = c.written[into]; exact {
			return word, true
		}
	}
	return at, false
}

// absent says that nothing of a kind has a name, and which was meant.
func (c *Checker) absent(p place, kind, name string, among []string) {
	out := Problem{What: "there is no " + kind + " " + name, Remedy: DidYouMean(name, among)}
	if p.exact {
		out.Fix = nearestFix(p.at, name, among)
	}
	c.Report(p.at, out)
}

// existing insists that one thing a field names is there.
func (c *Checker) existing(p place, f Field, name string) {
	w, at := c.Workspace, p.at
	switch f.Holds {
	case HoldsTool:
		if _, ok := c.Tool(name); !ok {
			c.noTool(p, name)
		}
	case HoldsAgent:
		if w.Agents[name] == nil {
			c.absent(p, "agent", name, slices.Sorted(maps.Keys(w.Agents)))
		}
	case HoldsWorkflow:
		if w.Workflows[name] == nil {
			c.absent(p, "workflow", name, slices.Sorted(maps.Keys(w.Workflows)))
		}
	case HoldsTable:
		if w.Tables[name] == nil {
			c.absent(p, "table", name, slices.Sorted(maps.Keys(w.Tables)))
		}
	case HoldsPeople:
		c.people(at, name)
	case HoldsFile:
		if w.Files[name] == "" {
			c.Wrong(at, "put it there", "there is no file %s", name)
		}
	case HoldsConnection:
		if f.Kind == "signing_key" {
			c.signingKey(at, name)
		} else {
			c.connected(at, name, f.Kind)
		}
	}
}

// Block checks the steps of a block and gives the shapes of what leaves it.
func (c *Checker) Block(b *Block, names expr.Names) map[string]shape.Shape {
	c.enters(b, names)
	after := c.steps(b.Do, names)
	return c.Entries(b.Gives, after)
}

// Quietly gives what a check would find out, without keeping its problems.
func (c *Checker) Quietly(look func(*Checker)) {
	quiet := *c
	quiet.problems = nil
	look(&quiet)
}

// orMissing says a kind of value, or that it may be missing.
func orMissing(kind string, optional bool) string {
	if optional {
		return "something that may be missing"
	}
	return shape.Words(kind)
}

// Insist insists that an expression gives a kind of value, as in "list", that
// is always there, and gives its type. need ends the sentence that says so.
func (c *Checker) Insist(e *Expression, kind, remedy, need string, names expr.Names) expr.Type {
	t := c.Infer(e, names)
	if k := t.Shape.Kind(); k != "" && k != kind || t.Optional {
		c.Wrong(e.At, remedy, "%s is %s, and %s", e.Source, orMissing(k, t.Optional), need)
	}
	return t
}

// triggerTest finds a test for one trigger among what must hold together.
var triggerTest = regexp.MustCompile(`(?:^|&&)\s*signal\.trigger\s*==\s*["']([^"']+)["']\s*(?:$|&&)`)

// Narrowed gives the names a block sees behind a test for one trigger: there
// the signal is known to be of that trigger.
func (c *Checker) Narrowed(when *Expression, names expr.Names) expr.Names {
	m := triggerTest.FindStringSubmatch(when.Source)
	if m == nil || strings.Contains(when.Source, "||") {
		return names
	}
	out := names.With("signal", expr.Type{Shape: c.Workspace.signalShape(c.Workflow, m[1], c.Tool)})
	if in, ok := out.Type("inputs"); ok && m[1] == "called" {
		in.Optional = false
		out.Put("inputs", in)
	}
	return out
}

// Started tells whether some trigger of the workflow is of a kind.
func (c *Checker) Started(is func(Trigger) bool) bool {
	return slices.ContainsFunc(c.Workflow.Triggers, is)
}

// toolMeant is the tool of the same connection or table whose name is nearest;
// "" where none is near.
func (c *Checker) toolMeant(name string) string {
	of, tool := toolName(name)
	var others []string
	for _, other := range c.offered {
		if with, operation := toolName(other); with == of {
			others = append(others, operation)
		}
	}
	meant := newWord(tool, others)
	if meant == "" {
		meant = nearest(tool, others)
	}
	if meant == "" {
		return ""
	}
	return of + "/" + meant
}

// noTool says that a tool is not there, and whether that is for want of what
// its name begins with.
func (c *Checker) noTool(at place, name string) {
	of, _ := toolName(name)
	switch {
	case c.switchedOff(name):
		c.Wrong(at.at, "switch it on there, or take it out here",
			"the tool %s is switched off in connections/%s.yaml", name, of)
	case c.Workspace.Connections[of] != nil, c.Workspace.Tables[of] != nil, of == "documents":
		p := Problem{What: "there is no tool " + name, Remedy: "woolsignal tools " + of + " lists those there are"}
		if meant := c.toolMeant(name); meant != "" {
			p.Remedy = "did you mean " + meant + "?"
			if at.exact {
				p.Fix = replace(at.at, name, meant)
			}
		}
		c.Report(at.at, p)
	case c.Workspace.Files["connections/"+of+".yaml"] != "" || c.Workspace.Files["tables/"+of+".yaml"] != "":
		c.Wrong(at.at, "put the file of "+of+" right first", "there is no tool %s: the file of %s cannot be read", name,
			of)
	default:
		c.Wrong(at.at, "add connections/"+of+".yaml or tables/"+of+".yaml, or name another",
			"there is no tool %s: nothing here is called %s", name, of)
	}
}
