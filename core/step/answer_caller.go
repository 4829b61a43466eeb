package step

import (
	"strconv"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
	"woolsignal/core/trigger"
)

// AnswerCaller answers the caller, once.
type AnswerCaller struct {
	Status  int
	Headers []flow.Entry
	Body    *flow.Value
}

// Fields are what it may say.
func (r *AnswerCaller) Fields() []flow.Field {
	return []flow.Field{
		{Name: "status", Into: &r.Status, Default: "200", Least: 200, Most: 599, Help: "The HTTP status.",
			Example: "201"},
		{Name: "headers", Into: &r.Headers, Help: "Headers, by name.", Example: "{Location: \"/lots/${row.id}\"}"},
		{Name: "body", Into: &r.Body, Any: true, Help: "What the answer holds.", Example: "{receipt: \"${row.id}\"}"},
	}
}

// Check insists that somebody waits for the answer.
func (r *AnswerCaller) Check(c *flow.Checker, s *flow.Step, names expr.Names) shape.Shape {
	c.Entries(r.Headers, names)
	if r.Body != nil {
		c.Value(*r.Body, names)
	}
	if !c.Started(answers) {
		c.Report(s.At, flow.Problem{What: "no caller waits for this answer", Fix: answering(c.Workflow),
			Remedy: "add answer: computed to the webhook, or remove the step"})
	}
	return shape.Map(map[string]shape.Shape{"status": shape.Number(), "body": nil})
}

// answering is the change by which the first webhook of a workflow waits for an
// answer; nil where it has none.
func answering(w *flow.Workflow) *flow.Fix {
	for _, t := range w.Triggers {
		if hook, is := t.Is.(*trigger.Webhook); is {
			return hook.Answers
		}
	}
	return nil
}

// answers tells whether whoever starts a run waits for a step's answer.
func answers(t flow.Trigger) bool {
	w, posted := t.Is.(*trigger.Webhook)
	return posted && w.Computed()
}

// Tell says what is answered.
func (r *AnswerCaller) Tell(p *flow.Sentence, _ *flow.Step) {
	p.Say("Answer the caller with ").Field("status").Word(strconv.Itoa(r.Status))
	if r.Body != nil {
		p.Say(": ").Field("body").Text(*r.Body)
	}
}

// Advance answers.
func (r *AnswerCaller) Advance(at *run.At) run.Outcome {
	if at.Did != nil {
		return run.Blocked
	}
	if at.Answered() {
		return at.Fail("the caller was already answered")
	}
	answer := &run.Response{Status: r.Status, Headers: map[string]string{}}
	headers, err := flow.EvalEntries(r.Headers, at.Scope)
	if err != nil {
		return at.Fail("headers: %v", err)
	}
	for name, v := range headers {
		answer.Headers[name] = expr.Text(v)
	}
	if r.Body != nil {
		if answer.Body, err = r.Body.Eval(at.Scope); err != nil {
			return at.Fail("body: %v", err)
		}
	}
	if err := run.TooLarge("the answer", answer.Body); err != nil {
		return at.Fail("%v", err)
	}
	at.Emit(&run.CallerAnswered{Step: at.Path, Response: answer})
	return at.End(map[string]any{"status": int64(answer.Status), "body": answer.Body})
}

// Outstanding is nothing.
func (*AnswerCaller) Outstanding(*run.At) []run.Errand { return nil }
