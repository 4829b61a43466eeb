package flow

import (
	"slices"
	"strings"

	"github.com/pmezard/go-difflib/difflib"
)

// Clash is a part of a workflow's text that two people changed at once: a step,
// or one of the fields around the steps, as each of them left it.
type Clash struct {
	Mine   string `json:"mine"` // "" where it was removed
	Theirs string `json:"theirs"`
}

// Prefer says whose words count where both changed the same part.
type Prefer string

// Nobody's words are preferred: such a part is a clash.
const (
	PreferNone   Prefer = ""
	PreferMine   Prefer = "mine"
	PreferTheirs Prefer = "theirs"
)

// Merge puts together what two people made of a workflow's text: changes to
// different steps both stand. Where there are clashes nothing is merged.
func Merge(from, theirs, mine string, prefer Prefer) (string, []Clash) {
	base, a, b := chunks(from), chunks(theirs), chunks(mine)
	m := merger{base: base, theirs: edits(base, a), mine: edits(base, b), prefer: prefer}
	m.merge()
	if len(m.clashes) > 0 {
		return "", m.clashes
	}
	return strings.Join(m.out, ""), nil
}

// edit puts other chunks in place of some.
type edit struct {
	from, to int // of the base
	with     []string
}

func (e edit) equal(other edit) bool {
	return e.from == other.from && e.to == other.to && slices.Equal(e.with, other.with)
}

// edits tells what was done to the base, each change as small as can be.
func edits(base, now []string) []edit {
	var out []edit
	for _, op := range difflib.NewMatcherWithJunk(base, now, false, nil).GetOpCodes() {
		if op.Tag == 'e' {
			continue
		}
		// As many for as many: each was changed by itself.
		for op.I2-op.I1 == op.J2-op.J1 && op.I2-op.I1 > 1 {
			out = append(out, edit{op.I1, op.I1 + 1, now[op.J1 : op.J1+1]})
			op.I1, op.J1 = op.I1+1, op.J1+1
		}
		out = append(out, edit{op.I1, op.I2, now[op.J1:op.J2]})
	}
	return out
}

type merger struct {
	base         []string
	theirs, mine []edit
	prefer       Prefer
	at           int // how far the base is written
	out          []string
	clashes      []Clash
}

func (m *merger) merge() {
	for len(m.theirs) > 0 || len(m.mine) > 0 {
		switch {
		case len(m.mine) > 0 && len(m.theirs) > 0 && m.mine[0].equal(m.theirs[0]):
			m.mine = m.mine[1:] // both did it: once is enough
		case len(m.mine) == 0 || len(m.theirs) > 0 && before(m.theirs[0], m.mine[0]):
			m.take(&m.theirs)
		case len(m.theirs) == 0 || before(m.mine[0], m.theirs[0]):
			m.take(&m.mine)
		default:
			m.both()
		}
	}
	m.out = append(m.out, m.base[m.at:]...)
}

// before tells whether a change ends before another begins. Two that only add
// something at one place are no matter of one another.
func before(a, b edit) bool { return a.to <= b.from && (a.from < b.from || a.from == a.to) }

// take carries out the next change of one of the two.
func (m *merger) take(of *[]edit) {
	e := (*of)[0]
	*of = (*of)[1:]
	m.upTo(e.from)
	m.out = append(m.out, e.with...)
	m.at = e.to
}

func (m *merger) upTo(n int) {
	if n > m.at {
		m.out = append(m.out, m.base[m.at:n]...)
		m.at = n
	}
}

// both looks at what both changed: a stretch of the base, as far as changes of
// either run into each other.
func (m *merger) both() {
	from, to := min(m.theirs[0].from, m.mine[0].from), max(m.theirs[0].to, m.mine[0].to)
	var theirs, mine []edit
	for grown := true; grown; {
		grown = false
		for _, side := range []struct{ left, taken *[]edit }{{&m.theirs, &theirs}, {&m.mine, &mine}} {
			for len(*side.left) > 0 && ((*side.left)[0].from < to || (*side.left)[0].from == from) {
				e := (*side.left)[0]
				*side.left, *side.taken, grown = (*side.left)[1:], append(*side.taken, e), true
				to = max(to, e.to)
			}
		}
	}
	m.upTo(from)
	a, b := m.stretch(from, to, theirs), m.stretch(from, to, mine)
	switch {
	case slices.Equal(a, b), m.prefer == PreferTheirs:
		m.out = append(m.out, a...)
	case m.prefer == PreferMine:
		m.out = append(m.out, b...)
	default:
		m.clashes = append(m.clashes, Clash{Mine: strings.Join(b, ""), Theirs: strings.Join(a, "")})
	}
	m.at = to
}

// stretch is what one side made of a stretch of the base.
func (m *merger) stretch(from, to int, edits []edit) []string {
	var out []string
	for _, e := range edits {
		out = append(append(out, m.base[from:e.from]...), e.with...)
		from = e.to
	}
	return append(out, m.base[from:to]...)
}

// chunks cuts a text into its parts: each step with what stands in it before
// the next, each field around the steps. Joined they are the text. A text that
// cannot be read is one chunk, so that whoever changes it changes all of it.
func chunks(text string) []string {
	one, problems := DecodeWorkflow("workflows/merged.yaml", text)
	if len(one.places) == 0 && len(problems) > 0 {
		return []string{text}
	}
	begins := map[int]int{} // line → column, of steps
	Walk(one.Steps, func(s *Step) { begins[s.At.Line] = s.At.Column })
	var out []string
	var around []int // columns of the steps a line stands in, outermost first
	for i, line := range strings.SplitAfter(text, "\n") {
		indent := len(line) - len(strings.TrimLeft(line, " "))
		fresh := i == 0
		if strings.TrimSpace(line) != "" {
			for len(around) > 0 && indent+1 < around[len(around)-1] {
				around, fresh = around[:len(around)-1], true
			}
			column, step := begins[i+1]
			if step {
				around = append(around, column)
			}
			fresh = fresh || step || indent == 0
		}
		if fresh {
			out = append(out, line)
		} else {
			out[len(out)-1] += line
		}
	}
	return out
}
