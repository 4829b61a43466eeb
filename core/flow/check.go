package flow

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"woolsignal/core/expr"
	"woolsignal/core/shape"
)

// Catalogue finds a tool by its full name, connection/operation.
type Catalogue func(name string) (Tool, bool)

// Checker holds what a workspace says against everything else in it, and
// gathers what it finds.
type Checker struct {
	Workspace *Workspace
	Workflow  *Workflow // whose steps are checked
	Tool      Catalogue
	offered   []string // the names of all tools
	problems  []Problem
	finding   string // the file problems were found in last, and how many
	found     found
	written   map[*string]Pos // where words of the file that is checked stand
	file      string
	kinds     map[string]string // of the values that were read, by path; kept where it is made
	scope     *scope            // what steps and blocks add; kept where it is made
	met       func(Pos, renamable, string)
}

// renamable is an expression, or a text with expressions in it.
type renamable interface{ Renamed(from, to string) string }

// meets tells whoever asked of an expression or text, with its source.
func (c *Checker) meets(at Pos, r renamable, source string) {
	if c.met != nil {
		c.met(at, r, source)
	}
}

// Check holds everything in the workspace against everything else: names
// that are used against what exists, values that are read against what is in
// scope, arguments against the schemas of tools. offered are the names of the
// tools there are, for saying which was meant.
func (w *Workspace) Check(tool Catalogue, offered ...string) []Problem {
	c := &Checker{Workspace: w, Tool: w.WithCompany(tool), offered: offered}
	paths := map[string]string{}
	for _, id := range slices.Sorted(maps.Keys(w.Workflows)) {
		flow := w.Workflows[id]
		c.file, c.written = flow.file, flow.written
		c.triggers(flow, paths)
		c.rings(flow)
		c.workflow(flow)
	}
	for _, id := range slices.Sorted(maps.Keys(w.Agents)) {
		c.file = w.Agents[id].file
		c.agent(w.Agents[id])
	}
	c.connections()
	c.tables()
	c.file = MainFile
	c.teams()
	if _, _, ok := w.FindModel(w.Model); w.Model != "" && !ok {
		c.Wrong(Pos{1, 1}, DidYouMean(w.Model, w.ModelNames()), "no connection offers the model %s", w.Model)
	}
	c.secrets()
	c.samples()
	SortProblems(c.problems)
	return c.problems
}

func (c *Checker) add(severity Severity, at Pos, remedy, format string, args ...any) {
	c.Report(at, Problem{Severity: severity, What: fmt.Sprintf(format, args...), Remedy: remedy})
}

func (c *Checker) Report(at Pos, p Problem) {
	p.File, p.Line, p.Column = c.file, at.Line, at.Column
	if p.Severity == "" {
		p.Severity = Wrong
	}
	if p.Why == "" && p.Severity == Wrong {
		p.Why = "what it names or needs would be missing when it runs"
	}
	if c.file != c.finding {
		c.finding, c.found = c.file, found{}
	}
	if c.found.more(p.Severity) {
		c.problems = append(c.problems, p)
	}
}

func (c *Checker) Wrong(at Pos, remedy, format string, args ...any) {
	c.add(Wrong, at, remedy, format, args...)
}

// workflow checks the steps of a workflow and what stands around them.
func (c *Checker) workflow(flow *Workflow) {
	c.Workflow = flow
	names := expr.NamesOf(map[string]expr.Type{"signal": {Shape: c.Workspace.signalShape(flow, "", c.Tool)}})
	if flow.Callable() {
		names.Put("inputs", expr.Type{Shape: flow.Inputs.Document(), Optional: len(flow.Triggers) > 0})
	}
	for _, s := range []*Schema{flow.Inputs, flow.Result} {
		c.schema(s)
	}
	if flow.Limits.Same.By != nil {
		c.Value(*flow.Limits.Same.By, names)
	}
	if flow.Model != "" {
		c.Model(flow.At, flow.Model)
	}
	c.sees(names)
	after := c.steps(flow.Steps, names)
	gives := c.Entries(flow.Gives, after)
	if result := flow.Result.Document(); result != nil {
		c.Arguments("result", flow.Gives, gives, shape.Shape(result), flow.Result.At, true)
	}
	c.loops(flow)
	c.unread(flow)
}

// kindsRead gives the kinds of the values a workflow's expressions read, by
// their dotted paths, as far as they are known.
func (w *Workspace) kindsRead(flow *Workflow, tool Catalogue) map[string]string {
	c := &Checker{Workspace: w, Tool: tool, file: flow.file, kinds: map[string]string{}}
	c.workflow(flow)
	return c.kinds
}

// read notes the kinds of the values an expression reads.
func (c *Checker) read(references []expr.Reference, names expr.Names) {
	if c.kinds == nil {
		return
	}
	for _, r := range references {
		name := strings.Join(r.Path, ".")
		if c.kinds[name] == "" {
			c.kinds[name] = names.KindAt(r.Path)
		}
	}
}

func (c *Checker) schema(s *Schema) {
	if s != nil && s.Path != "" && s.Doc == nil {
		c.Wrong(s.At, DidYouMean(s.Path, slices.Sorted(maps.Keys(c.Workspace.Schemas))), "there is no schema %s",
			s.Path)
	}
	if s != nil && s.Path == "" {
		if text := filledIn(s.Doc); text != "" {
			c.Report(s.At, Problem{What: "a schema stands as it is, and " + text + " in it is never filled in",
				Remedy: "check it with an expression instead, as a step's when: or a question's check:"})
		}
	}
}

// filledIn finds a text in a schema that was meant to be filled in; "" where
// there is none.
func filledIn(v any) string {
	switch v := v.(type) {
	case string:
		if strings.Contains(v, "${") {
			return v
		}
	case []any:
		for _, item := range v {
			if text := filledIn(item); text != "" {
				return text
			}
		}
	case map[string]any:
		for _, key := range slices.Sorted(maps.Keys(v)) {
			if text := filledIn(v[key]); text != "" {
				return text
			}
		}
	}
	return ""
}

// loops tells workflows that call each other round and round.
func (c *Checker) loops(flow *Workflow) {
	var path []string
	var reaches func(id string) bool
	seen := map[string]bool{}
	reaches = func(id string) bool {
		if id == flow.ID {
			return true
		}
		w := c.Workspace.Workflows[id]
		if w == nil || seen[id] {
			return false
		}
		seen[id] = true
		for _, next := range w.Calls() {
			if reaches(next) {
				path = append(path, id)
				return true
			}
		}
		return false
	}
	Walk(flow.Steps, func(s *Step) {
		for _, called := range s.Uses(HoldsWorkflow) {
			path = nil
			clear(seen)
			if reaches(called) {
				slices.Reverse(path)
				round := append(append([]string{flow.ID}, path...), flow.ID)
				c.Report(s.At, Problem{What: "these call each other without end: " + strings.Join(round, " → "),
					Why:    "each run would start another until the limits end it",
					Remedy: "let one of them give a result instead of calling on"})
			}
		}
	})
}

// Model insists that a model can be found for a step that needs one. name is
// "" where the step names none.
func (c *Checker) Model(at Pos, name string) {
	name = cmp.Or(name, c.Workflow.Model, c.Workspace.Model)
	if name == "" {
		c.Report(at, Problem{What: "no model is named for this",
			Why:    "a judgement, a fill or an answer needs a model to make it",
			Remedy: "add model: to " + MainFile + ", one of " + strings.Join(c.Workspace.ModelNames(), ", ")})
	} else if _, _, ok := c.Workspace.FindModel(name); !ok {
		c.Wrong(at, DidYouMean(name, c.Workspace.ModelNames()), "no connection offers the model %s", name)
	}
}

// by checks that somebody could be asked.
func (c *Checker) people(at Pos, who string) {
	if who == "" || slices.Contains([]string{"owner", "builder", "reviewer"}, who) {
		return
	}
	if strings.Contains(who, "@") {
		if !c.here(who) {
			c.Report(at, Problem{What: "nobody here has the e-mail " + who,
				Why: "it would be waited for an answer that nobody can give",
				Remedy: cmp.Or(DidYouMean(who, slices.Sorted(maps.Keys(c.Workspace.People))),
					"invite them first, or name somebody who is here")})
		}
		return
	}
	members, ok := c.Workspace.Teams[who]
	switch {
	case !ok:
		c.Wrong(at, "name a person's e-mail, a role, or a team of "+MainFile+": "+
			strings.Join(slices.Sorted(maps.Keys(c.Workspace.Teams)), ", "), "nobody is called %s", who)
	case len(members) == 0:
		c.Wrong(at, "add members to it in "+MainFile, "the team %s has no members", who)
	case !slices.ContainsFunc(members, c.here):
		c.Report(at, Problem{What: "nobody of the team " + who + " is here",
			Why: "it would be waited for an answer that nobody can give", Remedy: "invite one of them first: " +
				strings.Join(members, ", ")})
	}
}

// here tells whether somebody has an account; where the accounts are not
// known, as when a folder is checked without its service, everybody has.
func (c *Checker) here(email string) bool {
	return c.Workspace.People == nil || c.Workspace.People[strings.ToLower(email)]
}

// teams tells which members of teams nobody is.
func (c *Checker) teams() {
	for _, team := range slices.Sorted(maps.Keys(c.Workspace.Teams)) {
		for _, member := range c.Workspace.Teams[team] {
			if !c.here(member) {
				c.add(Remark, Pos{1, 1}, DidYouMean(member, slices.Sorted(maps.Keys(c.Workspace.People))),
					"nobody here has the e-mail %s, of the team %s", member, team)
			}
		}
	}
}
