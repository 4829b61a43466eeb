package flow

import "time"

// Step is one line of the script. Exactly one kind is set.
type Step struct {
	ID, Title, Note string
	Kind            string
	At              Pos

	When    *Expression // skipped where it does not hold
	Off     bool        // skipped always
	Timeout time.Duration
	Retry   *Retry
	IfFails *IfFails

	Agent      *AgentStep
	Tool       *ToolStep
	Compute    *ComputeStep
	Decide     *DecideStep
	Each       *EachStep
	Together   *TogetherStep
	Repeat     *RepeatStep
	Block      *Block
	Wait       *WaitStep
	Model      *ModelStep
	Call       *CallStep
	JavaScript *JavaScriptStep
	Say        *SayStep
	Respond    *RespondStep
	Question   *QuestionStep
	Review     *ReviewStep
	Label      *LabelStep
	Remember   *RememberStep
	Stop       *StopStep
}

// Skippable tells whether the step's output may be missing.
func (s *Step) Skippable() bool {
	return s.When != nil || s.Off || s.IfFails != nil && s.IfFails.CarryOn
}

// Retry says how often a failed step is tried again, and after what pauses.
type Retry struct {
	Times   int           // beside the first
	First   time.Duration // the pause before the second try
	Factor  float64       // how much longer each further pause is
	Longest time.Duration
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

// Block is steps that only see outwards, and what leaves them.
type Block struct {
	At    Pos
	Do    []*Step
	Gives []Entry
}

// AgentStep runs an agent until it answers.
type AgentStep struct {
	Agent  string
	Task   Value
	Thread *Value // another conversation to remember by
}

// ToolStep calls one tool.
type ToolStep struct {
	Tool  string
	Args  []Entry
	Fill  []Entry // left to a model: guidance by argument, or by name where it is none
	Using string  // the model; "" is the workflow's
}

// ComputeStep names values; later ones see earlier ones.
type ComputeStep struct{ Values []NamedExpression }

// NamedExpression is one computed value. The expression is nil where it could
// not be read, which the checker has said.
type NamedExpression struct {
	Name string
	*Expression
}

// DecideStep takes the first case that holds.
type DecideStep struct {
	Cases  []Case
	Else   *Case
	Unsure *Case   // taken where a judgement is less sure than Floor
	Floor  float64 // 0 to 1
	Using  string  // the model that weighs; "" is the workflow's
}

// Judged tells whether a model weighs any of the cases.
func (d *DecideStep) Judged() bool {
	for _, c := range d.Cases {
		if c.Judge != nil {
			return true
		}
	}
	return false
}

// Case is one way a decision can go.
type Case struct {
	When  *Expression // a rule
	Judge *Value      // or a criterion in plain words
	About *Value      // what the criterion is held against
	Block
}

// EachStep does the same for every item of a list.
type EachStep struct {
	Of     *Expression
	AtOnce int
	First  bool        // the first item that is enough ends it
	Enough *Expression // over value, the item's gives
	Block
}

// TogetherStep goes several ways at once.
type TogetherStep struct {
	Branches []Branch
	First    bool
	Enough   *Expression // over value, the branch's gives
}

// Branch is one of several ways.
type Branch struct {
	ID string
	Block
}

// RepeatStep goes through its block until it is enough.
type RepeatStep struct {
	Till   *Expression // over last, the round's gives
	AtMost int
	Block
}

// WaitStep waits: for a while, till a time, or for a signal.
type WaitStep struct {
	For    Span
	Till   *Expression
	Hear   *Hear
	AtMost Span // for Hear
}

// Hear is a signal a run waits for.
type Hear struct {
	Trigger          // its kind and where it comes from
	On         Value // what the signal must be about: its thread in a chat, else its subject
	Match      *Expression
	AlsoStarts bool // it starts a run of its own trigger as well
}

// ModelStep asks a model once.
type ModelStep struct {
	Model  string
	Prompt Value
	Answer *Schema
}

// CallStep runs another workflow.
type CallStep struct {
	Workflow string
	Inputs   []Entry
	Await    bool
}

// JavaScriptStep computes what expressions cannot say. It sees its inputs and
// nothing else.
type JavaScriptStep struct {
	Inputs []Entry
	Code   string
	CodeAt Pos
	Result *Schema
}

// SayStep writes in the conversation. Fields that are not written are nil.
type SayStep struct {
	Text    *Value
	Picture *Value // a file, or the address of one
	Buttons *Value // a list of texts; one that is pressed is said
	File    *Value
	Layout  *Value // a list of blocks: heading, text, facts
}

// QuestionStep asks in the conversation until the answer is valid.
type QuestionStep struct {
	SayStep
	Choices []string
	Valid   *Schema     // the value
	Check   *Expression // over value
	Find    *Find
	Hint    *Value // said instead of what is wrong
	Tries   int
	AtMost  Span // how long somebody may take to answer
}

// Find looks an answer up; it is valid where the tool finds something.
type Find struct {
	Tool string
	Args []Entry // see value
	At   Pos
}

// RespondStep answers the caller, once.
type RespondStep struct {
	Status  int
	Headers []Entry
	Body    *Value
}

// ReviewStep asks a person to decide.
type ReviewStep struct {
	Show    Value
	Edit    []Entry
	Choices []string
	Of      string // a person's e-mail, a role or a team
}

// LabelStep marks the run.
type LabelStep struct{ As []Value }

// RememberStep keeps a fact about somebody or something.
type RememberStep struct {
	About Value
	Name  string // a later fact of the same name takes its place; "" adds
	Fact  Value
}

// StopStep ends the whole run.
type StopStep struct {
	Failed  bool
	Because *Value
}

// NamedBlock is a block of a step under the name paths give it.
type NamedBlock struct {
	Name BlockName // without a number for the items of a list and for rounds
	*Block
}

// Blocks lists the blocks of a step in file order.
func (s *Step) Blocks() []NamedBlock {
	var out []NamedBlock
	switch {
	case s.Decide != nil:
		for i := range s.Decide.Cases {
			out = append(out, NamedBlock{BlockName{CaseBlock, i + 1}, &s.Decide.Cases[i].Block})
		}
		if s.Decide.Unsure != nil {
			out = append(out, NamedBlock{BlockName{Word: UnsureBlock}, &s.Decide.Unsure.Block})
		}
		if s.Decide.Else != nil {
			out = append(out, NamedBlock{BlockName{Word: ElseBlock}, &s.Decide.Else.Block})
		}
	case s.Each != nil:
		out = append(out, NamedBlock{BlockName{Word: ItemBlock}, &s.Each.Block})
	case s.Together != nil:
		for i := range s.Together.Branches {
			out = append(out, NamedBlock{BlockName{WayBlock, i + 1}, &s.Together.Branches[i].Block})
		}
	case s.Repeat != nil:
		out = append(out, NamedBlock{BlockName{Word: RoundBlock}, &s.Repeat.Block})
	case s.Block != nil:
		out = append(out, NamedBlock{BlockName{Word: InsideBlock}, s.Block})
	}
	if s.IfFails != nil && !s.IfFails.CarryOn {
		out = append(out, NamedBlock{BlockName{Word: InsteadBlock}, &s.IfFails.Block})
	}
	return out
}

// BlockAt finds a block by its name in a run, where items and rounds have
// numbers; nil where there is none.
func (s *Step) BlockAt(name BlockName) *Block {
	for _, b := range s.Blocks() {
		if b.Name == name || b.Name == (BlockName{Word: name.Word}) {
			return b.Block
		}
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
