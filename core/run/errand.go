package run

import (
	"strconv"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/money"
)

// Errand is something the outside world is asked to do for a run. The answer
// comes back as an [Answer] with the same ticket.
type Errand struct {
	Run string
	Ticket
	Again bool // it may have been sent before, by a service that stopped since
	Task  Task
}

// Ticket says which errand of a run an answer belongs to.
type Ticket struct {
	Step    string
	Sending int64  // which sending of the step this belongs to
	Turn    int    // which turn of the model, from 1, for Ask; which of the calls of one step
	CallID  string // which call of the agent; "" for the step's own
}

// Task is what an errand asks for: one of the types here.
type Task interface{ task() }

// Recall asks for what a thread remembers, and for what the values of an answer are
// chosen from.
type Recall struct {
	Memory  string   // the thread's key; "" is none
	Turns   int      // how many exchanges at most
	About   []string // whose facts are wanted too
	Choices []flow.ChosenFrom
}

// Ask asks a model for the next message of a conversation.
type Ask struct {
	Model    string
	System   string
	Messages []agent.Message
	Tools    []Offer
	Answer   map[string]any // JSON Schema of the answer; nil takes any words
	Within   time.Duration
	// LongestAnswer is how many tokens it may write; 0 is what its file says.
	LongestAnswer int
	// Whole says that nobody but builders hears its words before it is there as a whole:
	// it may turn out to be no answer.
	Whole bool
}

// Reads estimates how many tokens the model reads, and counts the pictures.
func (a *Ask) Reads() (tokens, pictures int) {
	tokens = agent.Tokens(a.System)
	for _, m := range a.Messages {
		tokens += m.Tokens()
		for _, f := range m.Files {
			if f.IsPicture() {
				pictures++
			}
		}
	}
	for _, t := range a.Tools {
		tokens += agent.OfferTokens(t.Name, t.Description, t.Schema)
	}
	return tokens, pictures
}

// Offer is a tool as the model sees it.
type Offer struct {
	Name        string // connection/operation
	Description string
	Schema      map[string]any
}

// Call asks for one use of a tool.
type Call struct {
	Tool   string
	Args   map[string]any
	Resend flow.Resend
	For    string // e-mail of the person the run serves; "" is nobody known
	Ref    string // by which the other side knows it, where it takes long; "" is a new call
}

// Abandon tells the other side that a call that takes long is no longer wanted. It has
// no answer.
type Abandon struct{ Tool, Ref, For string }

// Look asks what a call that is to be approved is about, as it is and as it will be.
type Look struct {
	Tool string
	Args map[string]any
	For  string // e-mail of the person the run serves
}

// Script asks for a script to be run.
type Script struct {
	Code   string
	Inputs map[string]any
	Within time.Duration
}

// Start asks for a run of another workflow, or for an agent that is consulted. Its
// answer is a [ChildBegan], and once that run ended, a [Returned].
type Start struct {
	Workflow string
	Agent    string // who is consulted, where it is no workflow
	Task     string // … and about what
	Inputs   map[string]any
	Most     money.Micros // what it may spend; 0 is no limit
	For      string       // e-mail of the person the run serves
	Draft    bool         // it uses the connections that stand in for drafts
	Await    bool         // the step waits for its result
	Stranger bool         // it is done for somebody who is not known
}

// Listen asks for signals that came since a time and that nobody heard. It is
// answered by none or a [Heard].
type Listen struct {
	Source, Key string
	Since       time.Time
}

// Cancel asks for a called run to be stopped, by the key it was started with:
// which run that is may not be known yet. It has no answer.
type Cancel struct{ By string }

func (*Recall) task()  {}
func (*Ask) task()     {}
func (*Call) task()    {}
func (*Abandon) task() {}
func (*Look) task()    {}
func (*Script) task()  {}
func (*Start) task()   {}
func (*Listen) task()  {}
func (*Cancel) task()  {}

// Key is the same each time the errand is sent, and no other errand's. A call
// that may have happened and is tried again keeps its number, and so its key.
// A Cancel has the key of the Start it is about.
func (e Errand) Key() string {
	switch e.Task.(type) {
	case *Start, *Cancel:
		return StartKey(e.Run, e.Step, e.Sending, e.CallID)
	}
	return StartKey(e.Run, e.Step, e.Sending, "") + ":" + strconv.Itoa(e.Turn) + ":" + e.CallID
}

// StartKey is the key of the errand that starts the run a step calls, or with a call
// that an agent in it does.
func StartKey(run, step string, sending int64, call string) string {
	key := run + ":" + step + ":" + strconv.FormatInt(sending, 10)
	if call != "" {
		key += ":" + call
	}
	return key
}

// Answer is the event that answers the errand.
func (e Errand) Answer(reply Reply) *Answer { return &Answer{e.Ticket, reply} }
