package step

import (
	"strconv"
	"strings"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Question asks in the conversation until the answer is valid.
type Question struct {
	Words
	Choices  []string
	Valid    *flow.Schema     // the value
	Holds    *flow.Expression // over value
	Find     *Find
	NotValid *flow.Value // said of an answer that is not valid, instead of what is wrong with it
	NotFound *flow.Value // said of one that is not found
	Tries    int
	Within   flow.Span // how long somebody may take to answer
}

// Find looks an answer up; it is valid where the tool finds something.
type Find struct {
	Tool string
	Args []flow.Entry // see value
	At   flow.Pos
}

// Fields are what it may say.
func (q *Question) Fields() []flow.Field {
	return append(q.Words.fields(), []flow.Field{
		{Name: "choices", Into: &q.Choices, Help: "The answers possible, shown as buttons.",
			Example: "[greasy, washed]"},
		{Name: "valid", Into: &q.Valid, Help: "What the answer must look like.", Example: "{type: number, minimum: 1}"},
		{Name: "check", Into: &q.Holds, Help: "What must hold for the answer; it sees value.", Example: "value < 1000"},
		{Name: "find", Into: flow.Group(&q.Find),
			Help: "A tool the answer is looked up by; it is valid where something is found."},
		{Name: "not_valid", Into: &q.NotValid, Example: "A number, please.",
			Help: "What is said of an answer that is not valid, instead of what is wrong with it; it sees value."},
		{Name: "not_found", Into: &q.NotFound, Example: "There is no holding ${value}.",
			Help: "What is said of an answer that find does not find; it sees value."},
		{Name: "tries", Into: &q.Tries, Default: "5", Least: 1, Most: 100, Help: "How often it is asked.",
			Example: "3"},
		{Name: "within", Into: &q.Within, Default: "3d", Help: "How long somebody may take to answer.", Example: "1d"},
	}...)
}

// Fields are what find may say.
func (f *Find) Fields() []flow.Field {
	return []flow.Field{
		{Name: "tool", Into: &f.Tool, Holds: flow.HoldsTool, Required: true, Help: "A tool that only reads.",
			Example: "clip-register/find_grower"},
		{Name: "args", Into: &f.Args, Help: "Its arguments; they see value.", Example: "{name: \"${value}\"}"},
	}
}

// PlacedAt keeps where find stands.
func (f *Find) PlacedAt(at flow.Pos) { f.At = at }

// Agree insists on one word for what is valid.
func (q *Question) Agree(m flow.Reading) {
	q.Words.Agree(m)
	if len(q.Choices) > 0 && q.Valid != nil {
		m.Wrong("valid", "remove one of the two", "choices say already what is valid")
	}
	m.Only(q.Find != nil, "remove it, or add find", "%s is said of what find does not find, and nothing is looked up",
		"not_found")
}

// Check checks the message, and what is done with an answer.
func (q *Question) Check(c *flow.Checker, s *flow.Step, names expr.Names) shape.Shape {
	q.Words.check(c, s, names)
	seen := names.With("value", expr.Type{Shape: q.answer()})
	if q.Holds != nil {
		c.Condition(q.Holds, seen)
	}
	for _, hint := range []*flow.Value{q.NotValid, q.NotFound} {
		if hint != nil {
			c.Value(*hint, seen)
		}
	}
	found := shape.Shape(shape.Null())
	if q.Find != nil {
		found = q.Find.check(c, seen)
	}
	return shape.Map(map[string]shape.Shape{"value": q.answer(), "found": found, "tries": shape.Number()})
}

// check holds the look-up against its tool, and gives what it finds.
func (f *Find) check(c *flow.Checker, names expr.Names) shape.Shape {
	spec, ok := c.Tool(f.Tool)
	if !ok {
		return nil
	}
	if !spec.ReadOnly {
		c.Report(f.At, flow.Problem{What: f.Tool + " changes something",
			Why: "nothing is written before the answer is valid", Remedy: "use a tool that looks things up"})
	}
	c.Arguments(spec.Name, f.Args, c.Entries(f.Args, names), spec.Input, f.At, true)
	return spec.Output
}

// answer is the shape of what somebody answers.
func (q *Question) answer() shape.Shape {
	if doc := q.Valid.Document(); doc != nil {
		return doc
	}
	if len(q.Choices) > 0 {
		return shape.Choice(q.Choices...)
	}
	return shape.Text()
}

// Tell says what is asked, and what is taken for an answer.
func (q *Question) Tell(p *flow.Sentence, _ *flow.Step) {
	p.Say("Ask ")
	q.Words.tell(p)
	switch {
	case len(q.Choices) > 0:
		p.Say(" till the answer is ").Field("choices").Either(q.Choices)
	case q.Valid.Document() != nil:
		p.Say(" till the answer is ").Field("valid").Word(q.answer().Told())
	default:
		p.Say(" till there is an answer")
	}
	if q.Holds != nil {
		p.Say(" and ").Field("check").Condition(q.Holds)
	}
	if q.Find != nil {
		p.Say(" and it is found by ").Field("find/tool").Tool(q.Find.Tool)
	}
	p.Say(", at most ").Field("tries").Word(strconv.Itoa(q.Tries)).Say(" times")
}

// ResultName calls the value the answer.
func (*Question) ResultName(id string, path []string) string {
	if len(path) == 1 && path[0] == "value" {
		return "answer to " + id
	}
	return ""
}

// Advance asks, or takes an answer that is offered.
func (q *Question) Advance(at *run.At) run.Outcome {
	if at.Did == nil {
		return q.ask(at)
	}
	if at.Did.Asking == nil || at.Did.Asking.Phase != run.Listening {
		return run.Blocked
	}
	signal := at.Heard()
	if signal == nil {
		return run.Blocked
	}
	return q.replied(at, signal)
}

// ask asks for the first time.
func (q *Question) ask(at *run.At) run.Outcome {
	if at.Holds() && at.Signal().Conversation().IsZero() {
		return at.Fail("there is no conversation to ask in; try it on a chat's sample")
	}
	message, err := q.Words.write(at)
	if err != nil {
		return at.Fail("%v", err)
	}
	if len(message.Buttons) == 0 {
		message.Buttons = q.Choices
	}
	return q.askWith(at, run.Asking{}, message)
}

// askWith writes a question's words and then listens.
func (q *Question) askWith(at *run.At, asking run.Asking, message *run.Message) run.Outcome {
	asking.Said++
	via := at.Signal().Via
	if via == nil || at.Holds() {
		asking.Phase = run.Listening
		at.Begin(map[string]any{"text": message.Text})
	} else {
		asking.Phase = run.Posting
		at.BeginCall(via.Tool, message.Args(via))
	}
	at.Emit(&run.QuestionMoved{Step: at.Path, Asking: &asking})
	at.Say(message)
	if asking.Phase == run.Posting {
		return at.Wait()
	}
	q.listen(at)
	return run.Blocked
}

// listen waits for the next message of the conversation.
func (q *Question) listen(at *run.At) {
	at.Listen(&run.Hearing{Source: run.ChatSource, Key: at.Signal().Conversation().String()},
		q.Within.After(at.Now(), at.Calendar()))
}

// replied takes an answer in: by choice, type, schema and expression, and
// then by finding it.
func (q *Question) replied(at *run.At, signal *run.Signal) run.Outcome {
	asking := *at.Did.Asking
	asking.Tries++
	at.Took(signal)
	value, why := q.answerTo(at, signal)
	at.Scope = at.With(map[string]any{"value": value})
	if why == "" && q.Holds != nil {
		holds, err := q.Holds.Holds(at.Scope)
		switch {
		case err != nil:
			why = "That cannot be right: " + err.Error() + "."
		case !holds:
			why = "That does not fit."
		}
	}
	if why != "" {
		return q.askAgain(at, asking, why, q.NotValid)
	}
	if q.Find == nil {
		return at.End(map[string]any{"value": value, "found": nil, "tries": int64(asking.Tries)})
	}
	args, err := flow.EvalEntries(q.Find.Args, at.Scope)
	if err != nil {
		return at.Fail("find: %v", err)
	}
	asking.Phase, asking.Value = run.Finding, value
	at.BeginLook(q.Find.Tool, args)
	at.Emit(&run.QuestionMoved{Step: at.Path, Asking: &asking})
	return at.Wait()
}

// askAgain says what is wrong with an answer, or what the file has instead of
// that, and asks for another; or it gives up.
func (q *Question) askAgain(at *run.At, asking run.Asking, why string, instead *flow.Value) run.Outcome {
	if asking.Tries >= q.Tries {
		at.Emit(&run.QuestionMoved{Step: at.Path, Asking: &asking})
		return at.Fail("no valid answer came in %d tries: %s", asking.Tries, why)
	}
	text := why
	if instead != nil {
		hint, err := instead.Eval(at.Scope)
		if err != nil {
			return at.Fail("what is said of a wrong answer: %v", err)
		}
		text = expr.Text(hint)
	}
	return q.askWith(at, asking, &run.Message{Text: text, Buttons: q.Choices})
}

// Answered goes on after a tool returned: the words are posted, or the answer
// is looked up.
func (q *Question) Answered(at *run.At, reply run.Reply) {
	r, is := reply.(*run.Returned)
	if !is || at.Did.Asking == nil {
		return
	}
	asking := *at.Did.Asking
	switch {
	case r.Error != "" && (asking.Phase == run.Posting || !r.NotFound):
		at.FailReturned(r)
	case asking.Phase == run.Posting:
		asking.Phase = run.Listening
		at.Emit(&run.QuestionMoved{Step: at.Path, Asking: &asking})
		q.listen(at)
	case r.NotFound || nothing(r.Result):
		at.Scope = at.Eval(map[string]any{"value": asking.Value, "signal": at.SignalValue(at.Signal())})
		q.askAgain(at, asking, "I cannot find "+expr.Text(asking.Value)+". Please look at it again.",
			q.NotFound)
	default:
		at.End(map[string]any{"value": asking.Value, "found": r.Result, "tries": int64(asking.Tries)})
	}
}

// TimeCame ends a question nobody answered.
func (q *Question) TimeCame(at *run.At) {
	at.Deaf()
	at.Emit(&run.StepEnded{Step: at.Path, Status: run.Failed, Error: "nobody answered within " + q.Within.String()})
}

// Outstanding is the words on their way to a chat server, or the look-up.
func (q *Question) Outstanding(at *run.At) []run.Errand {
	asking := at.Did.Asking
	switch {
	case asking == nil:
		return nil
	case asking.Phase == run.Posting:
		return []run.Errand{at.Call(asking.Said, at.Signal().Via.Tool)}
	case asking.Phase == run.Finding:
		return []run.Errand{at.Call(asking.Said+asking.Tries*1000, q.Find.Tool)} // apart from the messages
	}
	return nil
}

// nothing tells whether a tool's result holds nothing: null, an empty list,
// or a map whose every field is one of these.
func nothing(v any) bool {
	switch v := v.(type) {
	case nil:
		return true
	case []any:
		return len(v) == 0
	case map[string]any:
		for _, inner := range v {
			if !nothing(inner) {
				return false
			}
		}
		return true
	}
	return false
}

// answerTo reads what somebody wrote as the answer a question wants; why is
// "" where it is one.
func (q *Question) answerTo(at *run.At, signal *run.Signal) (value any, why string) {
	text := strings.TrimSpace(signal.Text)
	if len(q.Choices) > 0 {
		for i, c := range q.Choices {
			if strings.EqualFold(text, c) || text == strconv.Itoa(i+1) {
				return c, ""
			}
		}
		return text, "Please choose one of: " + strings.Join(q.Choices, ", ") + "."
	}
	wanted := q.Valid
	if wanted == nil || wanted.Doc == nil {
		if text == "" && len(signal.Files) == 0 {
			return text, "Please write something."
		}
		return text, ""
	}
	value = readAs(at, text, signal, wanted.Doc)
	if err := wanted.Validate(value); err != nil {
		return value, "That does not fit: " + err.Error() + "."
	}
	return value, ""
}

// readAs turns words into a value of the type a schema names, where they are
// one; else they stay words, which the schema then refuses.
func readAs(at *run.At, text string, signal *run.Signal, doc map[string]any) any {
	switch kind, _ := doc["type"].(string); kind {
	case "number", "integer":
		plain := strings.ReplaceAll(strings.TrimSpace(strings.TrimRight(text, " kgKG")), ",", ".")
		if v, err := expr.DecodeJSON([]byte(plain)); err == nil {
			switch v.(type) {
			case int64, float64:
				return v
			}
		}
	case "boolean":
		switch strings.ToLower(strings.TrimRight(text, ".!")) {
		case "yes", "y", "true", "ok":
			return true
		case "no", "n", "false":
			return false
		}
	case "object":
		if len(signal.Files) > 0 {
			return signal.Files[0].Value()
		}
	case "string":
		if doc["format"] == "date" {
			if t, err := at.Calendar().Parse(text); err == nil {
				return t.Format("2006-01-02")
			}
		}
	}
	return text
}
