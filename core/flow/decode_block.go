package flow

import (
	"slices"

	"go.yaml.in/yaml/v3"
)

// blockKinds are the steps that hold other steps.
var blockKinds = []string{"decide", "each", "together", "repeat", "block"}

// mostRounds bounds how often a repeat may go round.
const mostRounds = 10_000

func (r *reader) blockStep(s *Step, f fields) {
	body := f.nodes[s.Kind]
	switch s.Kind {
	case "decide":
		s.Decide = r.decide(body)
	case "each":
		g, _ := r.mapping(body, "each", "of", "at_once", "do", "gives", "finish", "enough")
		s.Each = &EachStep{Of: r.expression(g, "of"), AtOnce: r.whole(g, "at_once", 1), Block: r.blockOf(g)}
		if !g.has("of") {
			r.wrong(g.at, "add of: an expression that gives a list", "nothing says what to go through")
		}
		if s.Each.AtOnce < 1 || s.Each.AtOnce > 1000 {
			r.wrong(g.pos("at_once"), "at_once: 5", "one to a thousand items can be under way at once")
			s.Each.AtOnce = 1
		}
		s.Each.First, s.Each.Enough = r.finish(g)
	case "together":
		g, _ := r.mapping(body, "together", "branches", "finish", "enough")
		s.Together = &TogetherStep{}
		s.Together.First, s.Together.Enough = r.finish(g)
		for _, n := range r.list(g, "branches") {
			h, ok := r.mapping(n, "a branch", "id", "do", "gives")
			if !ok {
				continue
			}
			b := Branch{ID: r.required(h, "id", "a name such as letter"), Block: r.blockOf(h)}
			if b.ID != "" && (!snake.MatchString(b.ID) || b.ID == "first") {
				r.wrong(h.pos("id"), "use small letters, digits and _, and not the word first", "%q cannot be a branch's id", b.ID)
			}
			if slices.ContainsFunc(s.Together.Branches, func(o Branch) bool { return o.ID == b.ID }) {
				r.wrong(h.pos("id"), "choose another id", "there are two branches called %s", b.ID)
			}
			s.Together.Branches = append(s.Together.Branches, b)
		}
		if len(s.Together.Branches) < 2 {
			r.wrong(g.at, "add branches: with at least two", "there is nothing to do at the same time")
		}
	case "repeat":
		g, _ := r.mapping(body, "repeat", "do", "gives", "till", "at_most")
		s.Repeat = &RepeatStep{Till: r.expression(g, "till"), AtMost: r.whole(g, "at_most", 1), Block: r.blockOf(g)}
		if !g.has("till") || !g.has("at_most") {
			r.report(g.at, Problem{What: "this repeat has no end", Why: "it could go round for ever and cost money all the while", Remedy: "add till: an expression over last, and at_most: 5"})
		}
		if s.Repeat.AtMost < 1 || s.Repeat.AtMost > mostRounds {
			r.wrong(g.pos("at_most"), "at_most: 5", "a repeat goes round 1 to %d times", mostRounds)
			s.Repeat.AtMost = 1
		}
	case "block":
		b := r.block(body, "block")
		s.Block = &b
	}
}

// block reads a map of do and gives.
func (r *reader) block(n *yaml.Node, what string) Block {
	g, _ := r.mapping(n, what, "do", "gives")
	return r.blockOf(g)
}

// blockOf reads do and gives among other keys.
func (r *reader) blockOf(g fields) Block {
	return Block{At: g.at, Do: r.steps(r.list(g, "do")), Gives: r.entriesAt(g, "gives")}
}

// finish reads how several ways end.
func (r *reader) finish(g fields) (first bool, enough *Expression) {
	first = r.choice(g, "finish", "all", "all", "first") == "first"
	enough = r.expression(g, "enough")
	if first && !g.has("enough") {
		r.wrong(g.pos("finish"), "add enough: an expression over value, what it gives", "nothing says which result is enough")
	}
	if !first && g.has("enough") {
		r.wrong(g.pos("enough"), "add finish: first", "enough means nothing where all are carried to their end")
	}
	return first, enough
}

func (r *reader) decide(n *yaml.Node) *DecideStep {
	g, _ := r.mapping(n, "decide", "cases", "else", "unsure", "floor", "using")
	d := &DecideStep{Floor: r.fraction(g, "floor", 0.5), Using: r.text(g, "using")}
	for _, c := range r.list(g, "cases") {
		h, ok := r.mapping(c, "a case", "when", "judge", "about", "do", "gives")
		if !ok {
			continue
		}
		one := Case{When: r.expression(h, "when"), Judge: r.valueAt(h, "judge"), About: r.valueAt(h, "about"), Block: r.blockOf(h)}
		if h.has("when") == h.has("judge") {
			r.wrong(h.at, "add when: an expression, or judge: a criterion in plain words", "a case holds by one rule or by one judgement")
		}
		if h.has("about") && !h.has("judge") {
			r.wrong(h.pos("about"), "add judge: a criterion in plain words", "about is what a judgement is held against, and this case has none")
		}
		d.Cases = append(d.Cases, one)
	}
	if len(d.Cases) == 0 {
		r.wrong(g.at, "add cases: with at least one when: or judge:", "there is nothing to decide between")
	}
	if n, ok := g.nodes["else"]; ok {
		d.Else = &Case{Block: r.block(n, "else")}
	}
	if n, ok := g.nodes["unsure"]; ok {
		d.Unsure = &Case{Block: r.block(n, "unsure")}
	}
	if !d.Judged() {
		for _, key := range []string{"unsure", "floor", "using"} {
			if g.has(key) {
				r.wrong(g.pos(key), "remove it, or add a case with judge:", "%s belongs to judged cases, and there are none", key)
			}
		}
	}
	return d
}
