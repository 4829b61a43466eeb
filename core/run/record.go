package run

import (
	"reflect"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/money"
)

// Record is one thing that happened to a run: one of the types of this file.
// A record is never changed once it was written, nor what it says.
type Record interface {
	word() string // how a journal calls it
	gate(*gate)   // sends every value in it that comes from outside through the gate
}

// RunAccepted says that a signal was taken in.
type RunAccepted struct {
	Signal *Signal `json:"signal"`
	Origin *Origin `json:"origin,omitempty"` // nil where a signal from outside starts the run
	Begun  *Begun  `json:"begun,omitempty"`
}

// RunStarted says that a run began to move.
type RunStarted struct{}

// RunFinished says that a run ended.
type RunFinished struct {
	Status Status `json:"status"`
	Why    string `json:"why,omitempty"`
	Result any    `json:"result,omitempty"` // what a called workflow gives
}

// RunLabelled says that a run was marked.
type RunLabelled struct {
	Step   string   `json:"step"`
	Labels []string `json:"labels"`
}

// CallerAnswered says what whoever called is answered. Step is "" where no
// step said so.
type CallerAnswered struct {
	Step     string    `json:"step,omitempty"`
	Response *Response `json:"response"`
}

// StepBegan says that a step began and waits for something.
type StepBegan struct {
	Step    string       `json:"step"`
	Input   any          `json:"input,omitempty"`
	Sending int64        `json:"sending,omitempty"` // the number its call keeps; 0 is a new one
	Resend  flow.Resend  `json:"resend,omitempty"`  // how its call may be sent again
	Agent   *agent.State `json:"agent,omitempty"`
}

// StepSent says that the call of a step that had begun is on its way.
type StepSent struct {
	Step    string      `json:"step"`
	Input   any         `json:"input,omitempty"`
	Sending int64       `json:"sending,omitempty"` // as in StepBegan
	Resend  flow.Resend `json:"resend,omitempty"`
}

// StepEnded says that a step gave its output, failed, or was skipped or
// stopped.
type StepEnded struct {
	Step     string `json:"step"`
	Status   Status `json:"status"`
	Input    any    `json:"input,omitempty"` // nil leaves what it began with
	Output   any    `json:"output,omitempty"`
	Error    string `json:"error,omitempty"`
	Effect   Effect `json:"effect,omitempty"`   // of a call that failed
	Recorded bool   `json:"recorded,omitempty"` // taken over from another run
	Held     Held   `json:"held,omitempty"`     // its call was held back; "" where it was none, or was made
}

// TimeHurried says that in a try the time is taken to be later than it is.
type TimeHurried struct {
	By time.Duration `json:"by"`
}

// StepLimited says from when on a step has taken too long; zero is never.
type StepLimited struct {
	Step  string    `json:"step"`
	Until time.Time `json:"until,omitzero"`
}

// StepPaused says when a step goes on by itself.
type StepPaused struct {
	Step  string    `json:"step"`
	Until time.Time `json:"until"`
}

// StepRetried says when a failed step begins again.
type StepRetried struct {
	Step  string    `json:"step"`
	Until time.Time `json:"until"`
}

// StepWoken says that the time of a retry came.
type StepWoken struct {
	Step string `json:"step"`
}

// BlockEntered says that a step went into one of its blocks.
type BlockEntered struct {
	Step   string    `json:"step"`
	Block  BlockName `json:"block"`
	Choice *Choice   `json:"choice,omitempty"` // nil where there was nothing to decide
}

// Choice is why a decision went one way.
type Choice struct {
	Reason     string  `json:"reason,omitempty"`
	Confidence float64 `json:"confidence"` // 0 to 1
}

// BlockLeft says that a block came to its end.
type BlockLeft struct {
	Step   string    `json:"step"`
	Block  BlockName `json:"block"`
	Status Status    `json:"status"`
	Gives  any       `json:"gives,omitempty"`
	Error  string    `json:"error,omitempty"`
}

// ListeningBegan says that a step waits for a signal, until a time.
type ListeningBegan struct {
	Step    string    `json:"step"`
	Hearing *Hearing  `json:"hearing"`
	Until   time.Time `json:"until"`
}

// ListeningEnded says that a step no longer waits for one.
type ListeningEnded struct {
	Step    string   `json:"step"`
	Hearing *Hearing `json:"hearing"`
}

// SignalHeard says that a step heard a signal.
type SignalHeard struct {
	Step     string    `json:"step"`
	Signal   *Signal   `json:"signal"`
	Delivery Deliverer `json:"delivery,omitzero"` // what delivered it, where it starts no other run
}

// ChildStarted says that a called workflow has its run.
type ChildStarted struct {
	Step  string `json:"step"`
	Call  string `json:"call,omitempty"` // of the agent in the step that asked for it
	Child string `json:"child"`
}

// ChildDropped says that a called workflow is no longer wanted. By is who
// stops its run; "" leaves it going.
type ChildDropped struct {
	Step    string `json:"step"`
	Call    string `json:"call,omitempty"` // of an agent in the step
	Child   string `json:"child,omitempty"`
	Sending int64  `json:"sending"`
	By      string `json:"by,omitempty"`
}

// MemoryRecalled says what an agent remembers as it begins, and what the values of
// its answer, or of a model's, are chosen from.
type MemoryRecalled struct {
	Step    string          `json:"step"`
	Said    []agent.Message `json:"said,omitempty"`
	Facts   []string        `json:"facts,omitempty"`
	Choices [][]flow.Choice `json:"choices,omitempty"`
	Holder  string          `json:"holder,omitempty"` // the agent that had the conversation last
}

// ModelAsked says that a model's turn began.
type ModelAsked struct {
	Step    string          `json:"step"`
	Said    []agent.Message `json:"said,omitempty"`     // what was wrong with the answer before
	Offered []string        `json:"offered,omitempty"`  // tools, to an agent
	LeftOut int             `json:"left_out,omitempty"` // of the oldest messages, which its window has no room for
	Fill    agent.Fill      `json:"fill,omitzero"`
}

// ModelAnswered says what a model answered in its turn.
type ModelAnswered struct {
	Step string        `json:"step"`
	Said agent.Message `json:"said"`
	Turn agent.Turn    `json:"turn"`
}

// CallPriced says what a tool call, or a run that was called, cost.
type CallPriced struct {
	Step  string       `json:"step"`
	Call  string       `json:"call,omitempty"` // of an agent in the step
	Cost  money.Micros `json:"cost"`
	Child bool         `json:"child,omitempty"` // the run it called has the cost on its own account
}

// SpentInVain says what was spent on what came to nothing: a message that was no answer,
// or one that came too late. The step is one of the run, or was.
type SpentInVain struct {
	Step string `json:"step"`
	money.Use
	Cost   money.Micros `json:"cost,omitempty"`
	Review string       `json:"review,omitempty"` // that asks whether the call happened, which is paid for so
}

// CallPending says that the other side works on a call, and from when it is asked again;
// zero is that it is being asked.
type CallPending struct {
	Step  string    `json:"step"`
	Call  string    `json:"call,omitempty"` // of the agent in the step; "" is the step's own
	Tool  string    `json:"tool"`
	Ref   string    `json:"ref"`
	Until time.Time `json:"until,omitzero"`
}

// CallWeighed says whether the criterion holds by which somebody is asked about a call.
type CallWeighed struct {
	Step    string        `json:"step"`
	Call    string        `json:"call"`
	Verdict agent.Verdict `json:"verdict"`
	money.Use
	Cost money.Micros `json:"cost"`
}

// CallChanged says how far a tool call of an agent is.
type CallChanged struct {
	Step string      `json:"step"`
	Call *agent.Call `json:"call"`
}

// ReviewAsked says that a person is asked.
type ReviewAsked struct {
	Step   string  `json:"step"`
	Review *Review `json:"review"`
}

// ReviewAnswered says what a person decided.
type ReviewAnswered struct {
	Step   string  `json:"step"`
	Review *Review `json:"review"`
}

// WordsSaid says that something was written in the conversation.
type WordsSaid struct {
	Step    string   `json:"step"`
	Text    string   `json:"text,omitempty"`
	Message *Message `json:"message,omitempty"` // where it is more than words
}

// QuestionMoved says how far a question in the conversation is.
type QuestionMoved struct {
	Step   string  `json:"step"`
	Asking *Asking `json:"asking"`
}

// MemoryKept says what a thread remembers of an agent's work.
type MemoryKept struct {
	Step   string          `json:"step"`
	Memory string          `json:"memory"` // the thread's key
	Said   []agent.Message `json:"said"`
	Agent  string          `json:"agent,omitempty"` // who acted last, and goes on when it goes on
}

// HandedOver says that another agent goes on in an agent's place.
type HandedOver struct {
	Step   string          `json:"step"`
	To     string          `json:"to"`
	Model  string          `json:"model"`
	System string          `json:"system"`
	Why    string          `json:"why,omitempty"`  // in the words of who hands over; "" goes on where it was
	Said   []agent.Message `json:"said,omitempty"` // what it reads first
}

func (*RunAccepted) word() string    { return "accepted" }
func (*RunStarted) word() string     { return "started" }
func (*RunFinished) word() string    { return "finished" }
func (*RunLabelled) word() string    { return "labelled" }
func (*CallerAnswered) word() string { return "caller_answered" }
func (*StepBegan) word() string      { return "step_began" }
func (*StepSent) word() string       { return "step_sent" }
func (*StepEnded) word() string      { return "step_ended" }
func (*StepLimited) word() string    { return "step_limited" }
func (*StepPaused) word() string     { return "step_paused" }
func (*TimeHurried) word() string    { return "time_hurried" }
func (*StepRetried) word() string    { return "step_retried" }
func (*StepWoken) word() string      { return "step_woken" }
func (*BlockEntered) word() string   { return "block_entered" }
func (*BlockLeft) word() string      { return "block_left" }
func (*ListeningBegan) word() string { return "listening_began" }
func (*ListeningEnded) word() string { return "listening_ended" }
func (*SignalHeard) word() string    { return "signal_heard" }
func (*ChildStarted) word() string   { return "child_started" }
func (*ChildDropped) word() string   { return "child_dropped" }
func (*MemoryRecalled) word() string { return "memory_recalled" }
func (*ModelAsked) word() string     { return "model_asked" }
func (*ModelAnswered) word() string  { return "model_answered" }
func (*CallChanged) word() string    { return "call_changed" }
func (*CallPriced) word() string     { return "call_priced" }
func (*SpentInVain) word() string    { return "spent_in_vain" }
func (*CallWeighed) word() string    { return "call_weighed" }
func (*CallPending) word() string    { return "call_pending" }
func (*ReviewAsked) word() string    { return "review_asked" }
func (*ReviewAnswered) word() string { return "review_answered" }
func (*WordsSaid) word() string      { return "said" }
func (*QuestionMoved) word() string  { return "question_moved" }
func (*MemoryKept) word() string     { return "memory_kept" }
func (*HandedOver) word() string     { return "handed_over" }

// Happenings lists one empty record of every kind.
func Happenings() []Record {
	return []Record{&RunAccepted{}, &RunStarted{}, &RunFinished{}, &RunLabelled{}, &CallerAnswered{},
		&StepBegan{}, &StepSent{}, &StepEnded{}, &StepLimited{}, &StepPaused{}, &TimeHurried{}, &StepRetried{},
		&StepWoken{},
		&BlockEntered{}, &BlockLeft{}, &ListeningBegan{}, &ListeningEnded{}, &SignalHeard{},
		&ChildStarted{}, &ChildDropped{}, &MemoryRecalled{}, &ModelAsked{}, &ModelAnswered{}, &CallChanged{},
		&CallPriced{}, &SpentInVain{},
		&ReviewAsked{}, &ReviewAnswered{}, &WordsSaid{}, &QuestionMoved{}, &MemoryKept{}, &FactKept{}, &FactChanged{},
		&HandedOver{}, &CallWeighed{}, &FollowUpSet{}, &FollowUpCancelled{}, &CallPending{}}
}

// kinds finds the type of a record by its word.
var kinds = func() map[string]reflect.Type {
	out := map[string]reflect.Type{}
	for _, r := range Happenings() {
		out[r.word()] = reflect.TypeOf(r).Elem()
	}
	return out
}()
