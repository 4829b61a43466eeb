package step

import (
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Call runs another workflow.
type Call struct {
	Workflow string
	Inputs   []flow.Entry
	Await    bool
}

// Fields are what it may say.
func (c *Call) Fields() []flow.Field {
	return []flow.Field{
		{Name: "call", Into: &c.Workflow, Holds: flow.HoldsWorkflow, Required: true,
			Help: "The workflow; it must name inputs.", Example: "double"},
		{Name: "inputs", Into: &c.Inputs, Help: "What it is given, by name.", Example: "{n: 2}"},
		{Name: "await", Into: &c.Await, Default: "true", Help: "Whether the step waits for the result.",
			Example: "false"},
	}
}

// Check holds the inputs against those the workflow takes.
func (c *Call) Check(check *flow.Checker, s *flow.Step, names expr.Names) shape.Shape {
	given := check.Entries(c.Inputs, names)
	called := check.Workspace.Workflows[c.Workflow]
	if called != nil && !called.Callable() {
		check.Wrong(s.At, "add inputs: to workflows/"+called.ID+".yaml",
			"the workflow %s cannot be called: it names no inputs", called.ID)
	} else if called != nil {
		check.Arguments(called.ID, c.Inputs, given, called.Inputs.Document(), s.At, true)
	}
	switch {
	case !c.Await:
		return shape.Map(map[string]shape.Shape{"run": shape.Text()})
	case called == nil:
		return nil
	case called.Result.Document() != nil:
		return called.Result.Document()
	}
	out := map[string]shape.Shape{}
	for _, e := range called.Gives {
		out[e.Key] = nil
	}
	return shape.Map(out)
}

// Tell says which workflow is called.
func (c *Call) Tell(p *flow.Sentence, _ *flow.Step) {
	name := c.Workflow
	if w, ok := p.Workspace.Workflows[name]; ok {
		name = w.Title
	}
	if c.Await {
		p.Say("Call ").Field("call").Word(name).Field("inputs").Given(c.Inputs)
		return
	}
	p.Say("Start ").Field("call").Word(name).Field("inputs").Given(c.Inputs).Say(" and go on")
}

// Advance starts the workflow.
func (c *Call) Advance(at *run.At) run.Outcome {
	if at.Did != nil {
		return run.Blocked
	}
	inputs, err := flow.EvalEntries(c.Inputs, at.Scope)
	if err == nil {
		err = run.TooLarge("what it is called with", inputs)
	}
	if err != nil {
		return at.Fail("%v", err)
	}
	if at.Holds() {
		return at.EndHeld("", inputs)
	}
	at.Begin(inputs)
	return at.Wait()
}

// Answered is the called run's beginning, with which a step that does not wait
// is done, or its result.
func (c *Call) Answered(at *run.At, reply run.Reply) {
	switch r := reply.(type) {
	case *run.ChildBegan:
		if !c.Await {
			at.End(map[string]any{"run": r.Run})
		}
	case *run.Returned:
		at.Gives(r)
	}
}

// Outstanding is the start of the workflow, until it has its run.
func (c *Call) Outstanding(at *run.At) []run.Errand {
	if at.Did.Child != "" {
		return nil
	}
	inputs, _ := at.Did.Input.(map[string]any)
	return []run.Errand{at.Errand(0, &run.Start{Workflow: c.Workflow, Inputs: inputs, Draft: at.Draft(),
		Await: c.Await, Stranger: at.Signal().Stranger})}
}
