package flow

import (
	"slices"
	"time"
)

// Step is one line of the script.
type Step struct {
	ID, Title, Note string
	Kind            string // the key that names what it does
	Does            Doing  // what it does
	At              Pos

	When    *Expression // skipped where it does not hold
	Off     bool        // skipped always
	Within  time.Duration
	Retry   *Retry
	IfFails *IfFails
}

// Fields are what any step may have.
func (s *Step) Fields() []Field {
	return []Field{
		{Name: "id", Into: &s.ID, Holds: HoldsName, Help: "Its name in expressions.", Example: "net"},
		{Name: "title", Into: &s.Title, Help: "What it is for, in a few words.", Example: "Into the register"},
		{Name: "note", Into: &s.Note, Help: "Why it is there; a review shows it.",
			Example: "Above two hundred kilograms somebody looks."},
		{Name: "when", Into: &s.When, Help: "The step is skipped where this does not hold.", Example: "net.kg > 200"},
		{Name: "off", Into: &s.Off, Help: "The step is skipped always.", Example: "true"},
		{Name: "within", Into: &s.Within, Example: "1h",
			Help: "The step fails once it took longer; it stands still while a person is asked whether a call " +
				"happened."},
		{Name: "retry", Into: Group(&s.Retry), Help: "A failed step is tried again."},
		{Name: "if_fails", Into: Group(&s.IfFails), Help: "What happens instead of ending the run.",
			Example: "carry_on"},
	}
}

// Agree refuses ids that mean something else.
func (s *Step) Agree(m Reading) {
	if slices.Contains(reserved, s.ID) {
		m.Wrong("id", "choose another word", "%s already means something in expressions", s.ID)
	}
}

// Skippable tells whether the step's output may be missing.
func (s *Step) Skippable() bool {
	return s.When != nil || s.Off || s.IfFails != nil && s.IfFails.CarryOn
}

// Retry says how often a failed step is tried again, and after what pauses.
type Retry struct {
	Tries   int           // how often in all
	First   time.Duration // the pause before the second try
	Factor  float64       // how much longer each further pause is
	Longest time.Duration
}

// Fields are what retry may say.
func (r *Retry) Fields() []Field {
	return []Field{
		{Name: "tries", Into: &r.Tries, Default: "3", Least: 2, Most: 100,
			Help: "How often it is tried, the first time counted.", Example: "4"},
		{Name: "first", Into: &r.First, Default: "1s", Help: "The pause before the second try.", Example: "5s"},
		{Name: "factor", Into: &r.Factor, Default: "2", Least: 1, Most: 100,
			Help: "How many times as long each further pause is.", Example: "3"},
		{Name: "longest", Into: &r.Longest, Default: "1h", Help: "No pause is longer.", Example: "1m"},
	}
}

// Pause is how long to wait after a number of failed tries, from 1.
func (r Retry) Pause(tries int) time.Duration {
	pause := float64(r.First)
	for range tries - 1 {
		if pause *= r.Factor; pause > float64(r.Longest) {
			return r.Longest
		}
	}
	return min(time.Duration(pause), r.Longest)
}

// IfFails says what happens instead of ending the run.
type IfFails struct {
	CarryOn bool
	Block   // where CarryOn is not set; its steps see failure
}

// carryOn is the word for going on without a step's output.
const carryOn = "carry_on"

// Words are what may stand in place of steps.
func (f *IfFails) Words() []string { return []string{carryOn} }

// Word goes on without the step's output.
func (f *IfFails) Word(string) { f.CarryOn = true }

// Block is steps that only see outwards, and what leaves them.
type Block struct {
	At    Pos
	Do    []*Step
	Gives []Entry
}

// Fields are what a block may have.
func (b *Block) Fields() []Field {
	return []Field{
		{Name: "do", Into: &b.Do, Help: "Its steps; outside, none of them is seen."},
		{Name: "gives", Into: &b.Gives, Help: "What leaves it, by name.", Example: "{lane: clean}"},
	}
}

// PlacedAt keeps where the block stands.
func (b *Block) PlacedAt(at Pos) { b.At = at }

// NamedExpression is one computed value. The expression is nil where it could
// not be read, which the checker has said.
type NamedExpression struct {
	Name string
	*Expression
}

// NamedBlock is a block of a step under the name paths give it.
type NamedBlock struct {
	Name BlockName // without a number where it is entered many times
	*Block
	Many bool // it is entered for each of several items or rounds, or beside others
}

// Blocks lists the blocks of a step in file order.
func (s *Step) Blocks() []NamedBlock {
	var out []NamedBlock
	if h, holds := s.Does.(Holding); holds {
		out = h.Blocks()
	}
	if s.IfFails != nil && !s.IfFails.CarryOn {
		out = append(out, NamedBlock{Name: Instead, Block: &s.IfFails.Block})
	}
	return out
}

// BlockAt finds a block by its name in a run, where those that are entered
// many times have numbers.
func (s *Step) BlockAt(name BlockName) (NamedBlock, bool) {
	for _, b := range s.Blocks() {
		if b.Name == name || b.Name == (BlockName{Word: name.Word}) {
			return b, true
		}
	}
	return NamedBlock{}, false
}

// Uses gives what the step names of a kind of thing: [HoldsTool] gives the
// tools it calls.
func (s *Step) Uses(what Holds) []string {
	return used(s.Does, what)
}

// Schemas visits the schemas the step says.
func (s *Step) Schemas(visit func(*Schema)) {
	eachSchema(s.Does, visit)
}

// Hears is the source of the signal the step waits for; nil where it waits for
// none.
func (s *Step) Hears() *Trigger {
	if h, waits := s.Does.(Hearing); waits {
		return h.Hears()
	}
	return nil
}

// Walk visits every step in file order, the ones inside others included.
func Walk(steps []*Step, visit func(*Step)) {
	for _, s := range steps {
		visit(s)
		for _, b := range s.Blocks() {
			Walk(b.Do, visit)
		}
	}
}
