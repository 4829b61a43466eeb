package step

import (
	"slices"
	"strconv"
	"strings"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Decide takes the first case that holds.
type Decide struct {
	Cases     []Case
	Otherwise *Other
	Unsure    *Other  // taken where a judgement is less sure than Floor
	Floor     float64 // 0 to 1
	Using     string  // the model that weighs; "" is the workflow's
}

// Case is one way a decision can go.
type Case struct {
	When  *flow.Expression // a rule
	Judge *flow.Value      // or a criterion in plain words
	About *flow.Value      // what the criterion is held against
	Files *flow.Value      // … and shown
	flow.Block
}

// Other is the way where no case holds, or none surely enough.
type Other struct{ flow.Block }

func caseBlock(i int) flow.BlockName { return flow.BlockName{Word: "case", Number: i + 1} }

var (
	otherwiseBlock = flow.BlockName{Word: "otherwise"}
	unsureBlock    = flow.BlockName{Word: "unsure"}
)

// Fields are what it may say.
func (d *Decide) Fields() []flow.Field {
	return []flow.Field{
		{Name: "cases", Into: flow.ListOf(&d.Cases), Missing: "there is nothing to decide between",
			Help:    "The ways it can go; the first that holds is taken.",
			Example: "[{when: net.kg > 200, gives: {lane: split}}]"},
		{Name: "otherwise", Into: flow.Group(&d.Otherwise), Help: "What is done where no case holds.",
			Example: "{gives: {lane: clean}}"},
		{Name: "unsure", Into: flow.Group(&d.Unsure), Help: "What is done where a judgement is less sure than floor.",
			Example: "{gives: {lane: check by hand}}"},
		{Name: "floor", Into: &d.Floor, Default: "0.5", Most: 1, Help: "How sure a judgement must be, from 0 to 1.",
			Example: "0.7"},
		{Name: "model", Into: &d.Using, Holds: flow.HoldsModel,
			Help: "The model that weighs; the workflow's where it is missing.", Example: "medium"},
	}
}

// Fields are what a case may say.
func (c *Case) Fields() []flow.Field {
	return append([]flow.Field{
		{Name: "when", Into: &c.When, Help: "The rule by which it holds.", Example: "net.kg <= 0"},
		{Name: "judge", Into: &c.Judge, Holds: flow.HoldsProse,
			Help: "Or a criterion in plain words, which a model weighs.", Example: "The notes mention wet fleece."},
		{Name: "going_by", Into: &c.About, Help: "What the criterion is held against.",
			Example: "${signal.body.notes}"},
		filesField(&c.Files),
	}, c.Block.Fields()...)
}

// Agree insists on one way to hold.
func (c *Case) Agree(m flow.Reading) {
	if m.Has("when") == m.Has("judge") {
		m.Wrong("", "add when: an expression, or judge: a criterion in plain words",
			"a case holds by one rule or by one judgement")
	}
	m.Only(m.Has("judge"), "add judge: a criterion in plain words",
		"%s is what a judgement is held against, and this case has none", "going_by", "files")
}

// Agree insists on cases, and on judged ones where a model is spoken of.
func (d *Decide) Agree(m flow.Reading) {
	if m.Has("cases") && len(d.Cases) == 0 {
		m.Wrong("", "add cases: with at least one when: or judge:", "there is nothing to decide between")
	}
	m.Only(d.judged(), "remove it, or add a case with judge:", "%s belongs to judged cases, and there are none",
		"unsure", "floor", "model")
}

// judged tells whether a model weighs any of the cases.
func (d *Decide) judged() bool { return d.judgements() > 0 }

func (d *Decide) judgements() (n int) {
	for _, c := range d.Cases {
		if c.Judge != nil {
			n++
		}
	}
	return n
}

// Check checks the cases; one that is never reached is wrong.
func (d *Decide) Check(c *flow.Checker, s *flow.Step, names expr.Names) shape.Shape {
	always := false
	rules := map[string]bool{}
	var ways []map[string]shape.Shape
	for i := range d.Cases {
		one := &d.Cases[i]
		if always {
			c.Wrong(one.At, "move it up, or remove it", "this case is never reached: the one above it always holds")
		}
		seen := names
		if one.When != nil {
			c.Condition(one.When, names)
			rule := strings.TrimSpace(one.When.Source)
			if rules[rule] {
				c.Wrong(one.At, "remove it, or change what it says",
					"this case is never reached: an earlier one has the same rule")
			}
			rules[rule], always = true, always || rule == "true"
			if rule == "false" {
				c.Wrong(one.At, "remove it, or change what it says", "this case never holds")
			}
			seen = c.Narrowed(one.When, names)
		}
		for _, v := range []*flow.Value{one.Judge, one.About} {
			if v != nil {
				c.Value(*v, names)
			}
		}
		checkFiles(c, one.At, one.Files, names, d.Using)
		ways = reaching(ways, &one.Block, c.Block(&one.Block, seen))
	}
	d.checkOrder(c)
	if always && d.Otherwise != nil {
		c.Wrong(d.Otherwise.At, "remove it", "otherwise is never reached: a case above it always holds")
	}
	for _, other := range []*Other{d.Otherwise, d.Unsure} {
		if other != nil {
			ways = reaching(ways, &other.Block, c.Block(&other.Block, names))
		}
	}
	d.checkJudged(c, s)
	if d.Otherwise == nil && !d.covers(names) {
		ways = append(ways, nil) // where none holds, nothing is given
	}
	return givenBy(ways)
}

// checkOrder finds cases that one above them leaves nothing for.
func (d *Decide) checkOrder(c *flow.Checker) {
	for i, one := range d.Cases {
		rule, simple := claimOf(one.When)
		for _, above := range d.Cases[:i] {
			earlier, also := claimOf(above.When)
			if simple && also && rule != earlier && rule.Implies(earlier) {
				c.Report(one.At, flow.Problem{What: "this case is never reached: where " + rule.String() +
					", the case above it holds too, as " + earlier.String(),
					Why: "the first case that holds is taken", Remedy: "move it up"})
				break
			}
		}
	}
}

// claimOf reads a rule that is one comparison.
func claimOf(when *flow.Expression) (expr.Claim, bool) {
	if when == nil {
		return expr.Claim{}, false
	}
	claims, whole := when.Claims()
	if !whole || len(claims) != 1 {
		return expr.Claim{}, false
	}
	return claims[0], true
}

// covers tells whether the cases are one value's choices, all of them, so that
// one is always taken.
func (d *Decide) covers(names expr.Names) bool {
	value, found := "", map[string]bool{}
	for _, one := range d.Cases {
		claim, simple := claimOf(one.When)
		text, is := claim.IsText()
		if !simple || !is || value != "" && claim.Value != value {
			return false
		}
		value, found[text] = claim.Value, true
	}
	t := names.ShapeAt(strings.Split(value, "."))
	choices := t.Choices()
	return len(choices) > 0 && !t.Nullable() &&
		!slices.ContainsFunc(choices, func(word string) bool { return !found[word] })
}

// reaching adds what a block gives where its end may be reached.
func reaching(ways []map[string]shape.Shape, b *flow.Block, gives map[string]shape.Shape) []map[string]shape.Shape {
	if !b.Returns() {
		return ways
	}
	return append(ways, gives)
}

// checkJudged insists that an unsure judgement goes somewhere.
func (d *Decide) checkJudged(c *flow.Checker, s *flow.Step) {
	if !d.judged() {
		return
	}
	c.Model(s.At, d.Using)
	switch {
	case d.Unsure != nil:
	case d.Otherwise == nil:
		c.Report(s.At, flow.Problem{What: "nothing says what happens when the judgement is unsure",
			Why:    "a yes below the floor would fall through every case",
			Remedy: "add unsure: with do: or gives:"})
	default:
		c.Report(s.At, flow.Problem{Severity: flow.Remark, What: "an unsure judgement goes the way of otherwise",
			Remedy: "add unsure: where a person should look instead"})
	}
}

// givenBy joins what the ways give; a value some way omits is optional.
func givenBy(ways []map[string]shape.Shape) shape.Shape {
	fields := map[string]shape.Shape{"case": shape.Union(shape.Number(), shape.Text()), "reason": shape.Text(),
		"confidence": shape.Number(), "sure": shape.Text()}
	found := map[string][]shape.Shape{}
	for _, gives := range ways {
		for key, s := range gives {
			found[key] = append(found[key], s)
		}
	}
	var optional []string
	for key, shapes := range found {
		fields[key] = shape.Union(shapes...)
		if len(shapes) < len(ways) {
			optional = append(optional, key)
		}
	}
	return shape.Map(fields, optional...)
}

// Ends tells whether every way ends the run.
func (d *Decide) Ends() bool {
	if d.Otherwise == nil {
		return false
	}
	for _, b := range d.Blocks() {
		if !flow.EndRun(b.Do) {
			return false
		}
	}
	return true
}

// Tell says that it decides.
func (d *Decide) Tell(p *flow.Sentence, s *flow.Step) {
	p.Say("Decide")
	if s.ID != "" {
		p.Say(" ").Name(s)
	}
}

// Blocks are the ways it can go.
func (d *Decide) Blocks() []flow.NamedBlock {
	var out []flow.NamedBlock
	for i := range d.Cases {
		out = append(out, flow.NamedBlock{Name: caseBlock(i), Block: &d.Cases[i].Block})
	}
	if d.Unsure != nil {
		out = append(out, flow.NamedBlock{Name: unsureBlock, Block: &d.Unsure.Block})
	}
	if d.Otherwise != nil {
		out = append(out, flow.NamedBlock{Name: otherwiseBlock, Block: &d.Otherwise.Block})
	}
	return out
}

// Opening says when a way is taken.
func (d *Decide) Opening(p *flow.Sentence, b flow.BlockName) {
	switch b {
	case otherwiseBlock:
		p.Say("otherwise")
		return
	case unsureBlock:
		p.Say("when it is ").Field("floor").Word("less than " + flow.SurenessBeside(d.Floor))
		return
	}
	c := d.Cases[b.Number-1]
	at := "cases/" + strconv.Itoa(b.Number-1)
	if c.Judge == nil {
		p.Say("if ").Field(at + "/when").Condition(c.When)
		return
	}
	p.Say("if this is judged to hold: ").Field(at + "/judge").Prose(*c.Judge)
	if c.About != nil {
		p.Say(", going by ").Field(at + "/going_by").Text(*c.About)
	}
	if c.Files != nil {
		p.Say(", shown ").Field(at + "/files").Text(*c.Files)
	}
}

// Advance decides, and goes the way that was taken.
func (d *Decide) Advance(at *run.At) run.Outcome {
	if at.Did == nil || at.Did.Block.IsZero() {
		if out := d.choose(at); out != run.Finished {
			return out
		}
		if at.Did == nil || at.Did.Status == run.Done {
			return run.Finished // no case holds, and there is no else
		}
	}
	taken := at.Did.Block
	branch, there := at.Step.BlockAt(taken)
	frame := at.Entered(taken)
	if !there || frame == nil {
		return at.Fail("the decision has no way called %s", taken)
	}
	gives, out := at.Through(branch.Block, frame, at.Names(nil))
	switch out {
	case run.FailedInside:
		return at.Outwards()
	case run.Finished:
		at.Leave(frame, nil)
		gives["case"], gives["reason"], gives["confidence"] = caseName(taken), at.Did.Reason, at.Did.Confidence
		gives["sure"] = flow.Sureness(at.Did.Confidence)
		return at.End(gives)
	}
	return out
}

// caseName is what a decision gives as case: its number from 1, otherwise, or unsure.
func caseName(block flow.BlockName) any {
	if block.Number > 0 {
		return int64(block.Number)
	}
	return block.Word
}

// choose finds the case to take. Rules before the first judged case cost
// nothing; all judged cases are weighed in one call.
func (d *Decide) choose(at *run.At) run.Outcome {
	if at.Did != nil && at.Did.Agent != nil { // what held before a model was asked still does
		at.AsOf(at.Did.Agent.Began)
	}
	var verdicts map[int]agent.Verdict
	for i := range d.Cases {
		c := &d.Cases[i]
		if c.When != nil {
			holds, err := c.When.Holds(at.Scope)
			if err != nil {
				return at.Fail("case %d: %v", i+1, err)
			}
			if holds {
				return goInto(at, caseBlock(i), agent.Verdict{Sure: 1})
			}
			continue
		}
		if verdicts == nil {
			var out run.Outcome
			if verdicts, out = d.weigh(at); out != run.Finished {
				return out
			}
		}
		v := verdicts[i]
		if !v.Holds {
			continue
		}
		if v.Sure >= d.Floor {
			return goInto(at, caseBlock(i), v)
		}
		if d.Unsure != nil {
			return goInto(at, unsureBlock, v)
		}
		break // as sure as otherwise
	}
	if d.Otherwise == nil {
		return at.End(map[string]any{"case": nil, "reason": "", "confidence": int64(1), "sure": flow.Sureness(1)})
	}
	return goInto(at, otherwiseBlock, leastSure(verdicts))
}

// leastSure is how sure it is that no judged case holds.
func leastSure(verdicts map[int]agent.Verdict) agent.Verdict {
	out := agent.Verdict{Sure: 1}
	for _, v := range verdicts {
		if v.Sure < out.Sure {
			out = v
		}
	}
	return out
}

func goInto(at *run.At, block flow.BlockName, v agent.Verdict) run.Outcome {
	at.Choose(block, &run.Choice{Reason: v.Reason, Confidence: v.Sure})
	return run.Finished
}

// Outstanding is what a model is asked, before a way is taken.
func (d *Decide) Outstanding(at *run.At) []run.Errand {
	if at.Did.Agent == nil {
		return nil
	}
	return asked(at, &flow.Schema{Doc: agent.VerdictSchema(d.judgements())})
}
