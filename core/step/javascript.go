package step

import (
	"regexp"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// JavaScript computes what expressions cannot say. It sees its inputs and
// nothing else.
type JavaScript struct {
	Inputs []flow.Entry
	Code   string
	CodeAt flow.Pos
	Result *flow.Schema
}

// scriptTime is how long a script may run where nothing else is written.
const scriptTime = 5 * time.Second

// Fields are what it may say.
func (j *JavaScript) Fields() []flow.Field {
	return []flow.Field{
		{Name: "inputs", Into: &j.Inputs, Help: "What the script sees, by name.",
			Example: "{growers: \"${list.growers}\"}"},
		{Name: "code", Into: &j.Code, Holds: flow.HoldsCode, Required: true,
			Help: "The script, which ends with return.", Example: "return growers.length"},
		{Name: "result", Into: &j.Result, Help: "What it must return.", Example: "{type: number}"},
	}
}

var identifier = regexp.MustCompile(`^[a-z][a-z0-9]*(_[a-z0-9]+)*$`)

// Agree keeps the names of inputs those of variables.
func (j *JavaScript) Agree(m flow.Reading) {
	j.CodeAt = m.ValueAt("code")
	for _, e := range j.Inputs {
		if !identifier.MatchString(e.Key) {
			m.WrongAt(e.Value.At, "use small letters, digits and _", "%q cannot be a name in the script", e.Key)
		}
	}
}

// Check types the inputs.
func (j *JavaScript) Check(c *flow.Checker, _ *flow.Step, names expr.Names) shape.Shape {
	c.Entries(j.Inputs, names)
	return j.Result.Document()
}

// Tell says that a script runs.
func (j *JavaScript) Tell(p *flow.Sentence, s *flow.Step) {
	p.Say("Work out ")
	if s.ID != "" {
		p.Name(s).Say(" ")
	}
	p.Say("in ").Field("code").Word("JavaScript").Field("inputs").Given(j.Inputs)
}

// Advance has the script run.
func (j *JavaScript) Advance(at *run.At) run.Outcome {
	if at.Did != nil {
		return run.Blocked
	}
	inputs, err := flow.EvalEntries(j.Inputs, at.Scope)
	if err == nil {
		err = run.TooLarge("what it is given", inputs)
	}
	if err != nil {
		return at.Fail("%v", err)
	}
	at.Begin(inputs)
	return at.Wait()
}

// Answered is what the script returned.
func (j *JavaScript) Answered(at *run.At, reply run.Reply) {
	r, is := reply.(*run.Returned)
	if !is {
		return
	}
	if r.Error == "" {
		if err := run.Fit("the script's result", j.Result, r.Result); err != nil {
			r.Error = err.Error()
		}
	}
	at.Gives(r)
}

// Outstanding is the script: it changes nothing, and runs again.
func (j *JavaScript) Outstanding(at *run.At) []run.Errand {
	within := scriptTime
	if at.Step.Within > 0 {
		within = at.Step.Within
	}
	inputs, _ := at.Did.Input.(map[string]any)
	return []run.Errand{at.Errand(0, &run.Script{Code: j.Code, Inputs: inputs, Within: within})}
}
