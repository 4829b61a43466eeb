// Package wire holds the words the service and its clients exchange: the
// bodies of the HTTP API. Both sides import it, so they cannot drift apart.
package wire

import (
	"encoding/json"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/money"
	"woolsignal/core/run"
)

// Person is who is signed in.
type Person struct {
	Name  string `json:"name"`
	Email string `json:"email"`
	Role  string `json:"role" jsonschema:"enum=owner,enum=builder,enum=reviewer,enum=reader"`
}

// SignIn opens a session.
type SignIn struct {
	Email    string `json:"email"`
	Password string `json:"password"`
}

// Token is what a program acts with, as the person who asked for it.
type Token struct {
	Token  string `json:"token"`
	Person Person `json:"person"`
}

// TokenListed is a token as it is listed: never itself, which is shown once.
type TokenListed struct {
	ID    string    `json:"id"`
	Name  string    `json:"name"`
	Owner string    `json:"owner"` // the e-mail of whom it acts for
	Made  time.Time `json:"made"`
	Seen  time.Time `json:"seen"` // about when it was used last
}

// Event is something that somebody did, or was refused.
type Event struct {
	N       int64     `json:"n"`
	At      time.Time `json:"at"`
	Did     string    `json:"did"`
	Who     string    `json:"who"`  // the e-mail of who did it, or who they say they are
	From    string    `json:"from"` // the address it came from; "" where that is not known
	About   string    `json:"about"`
	Refused bool      `json:"refused"` // it was not done
}

// NewPassword changes a password: the one there is, and the next.
type NewPassword struct {
	Password string `json:"password"`
	Next     string `json:"next"`
}

// Join uses up a one-time link and makes an account.
type Join struct {
	Key      string `json:"key"`
	Name     string `json:"name"`
	Email    string `json:"email"`
	Password string `json:"password"`
}

// Session is who is signed in, and where.
type Session struct {
	Person    Person `json:"person"`
	Workspace string `json:"workspace"`
	Zone      string `json:"zone"`     // IANA name
	Currency  string `json:"currency"` // ISO 4217
	Reviews   int    `json:"reviews"`  // how many wait for this person
}

// Workflow is one workflow in a list.
type Workflow struct {
	ID       string     `json:"id"`
	Title    string     `json:"title"`
	Purpose  string     `json:"purpose"`
	Triggers []string   `json:"triggers"`               // each as a sentence
	Chat     bool       `json:"chat"`                   // it can be talked to
	Speaks   bool       `json:"speaks_first,omitempty"` // its page begins by itself
	Callable bool       `json:"callable"`               // it can be started with inputs
	Version  int        `json:"version"`                // the one that is live; 0 for a draft
	On       bool       `json:"on"`                     // signals start it
	Drafted  bool       `json:"drafted"`                // the draft differs from what is live
	LastRun  *time.Time `json:"last_run,omitempty"`
	Week     []Day      `json:"week"` // the last seven days, oldest first
}

// Day counts the runs of one day.
type Day struct {
	Date   string `json:"date"` // 2026-11-23, in the workspace's zone
	Runs   int    `json:"runs"`
	Failed int    `json:"failed"`
}

// Script is a workflow in full: its sentences and its file.
type Script struct {
	Workflow
	Lines    []flow.Line    `json:"lines"`
	File     string         `json:"file"` // path in the workspace
	Text     string         `json:"text"`
	Problems []flow.Problem `json:"problems"`
	Usual    *Usual         `json:"usual,omitempty"` // what a run of it costs; nil where there were none
}

// Text is a workflow's text as it is edited.
type Text struct {
	Text string `json:"text"`
}

// Meaning is what a text means.
type Meaning struct {
	Lines    []flow.Line    `json:"lines"` // each with what it adds to what may be read
	Sees     []flow.Sight   `json:"sees"`  // what may be read everywhere
	Problems []flow.Problem `json:"problems"`
}

// RenameStep gives a step of a text another id.
type RenameStep struct {
	Text string `json:"text"`
	From string `json:"from"`
	To   string `json:"to"`
}

// RenamedStep is what changes along with a step's id: each expression that reads
// what the step gave.
type RenamedStep struct {
	Changes []flow.Rewritten `json:"changes"`
}

// BringOut makes a value of a step that stands in a block readable outside.
type BringOut struct {
	Text string `json:"text"`
	Code string `json:"code"` // the expression that reads it inside
	From string `json:"from"` // the path of the step that gave it
	To   string `json:"to"`   // where it is to be read, as a JSON Pointer
}

// Names are what the fields of a file can name.
type Names struct {
	Names []Name `json:"names"`
}

// Name is one thing that can be named.
type Name struct {
	Holds flow.Holds `json:"holds"` // the fields that can name it
	Name  string     `json:"name"`
	Title string     `json:"title"`
	// Kind is of a connection; of who can be asked role, team or person; of a workflow
	// callable, where it names inputs.
	Kind  string `json:"kind,omitempty"`
	About string `json:"about,omitempty"`
}

// Draft is a workflow's text that is to be kept.
type Draft struct {
	Text string `json:"text"`
	From string `json:"from"` // the text it was made from; "" where there was none
	// Whose words count where somebody else changed the same step meanwhile; "" asks.
	Prefer string `json:"prefer,omitempty" jsonschema:"enum=mine,enum=theirs"`
}

// Drafted is a text as it is kept. It differs from what was sent where somebody
// else's change to other steps was merged.
type Drafted struct {
	Text     string         `json:"text"`
	Merged   bool           `json:"merged,omitempty"`
	By       string         `json:"by,omitempty"` // whose change was merged
	Problems []flow.Problem `json:"problems"`
}

// Run is one run in a list.
type Run struct {
	ID       string       `json:"id"`
	Workflow string       `json:"workflow"`
	Title    string       `json:"title"` // of the workflow
	Status   run.Status   `json:"status"`
	Because  string       `json:"because,omitempty"`
	Kind     string       `json:"kind"`  // what started it
	About    string       `json:"about"` // a line people know it by
	Accepted time.Time    `json:"accepted"`
	Ended    *time.Time   `json:"ended,omitempty"`
	Input    int          `json:"input_tokens"`
	Output   int          `json:"output_tokens"`
	Cost     money.Micros `json:"cost_micros"`      // millionths of the workspace's currency
	Origin   *Origin      `json:"origin,omitempty"` // nil where a signal from outside started it
}

// TakenBack is what came back from the bin.
type TakenBack struct {
	Path string `json:"path"`
}

// Origin is where a run comes from that no signal from outside started.
type Origin struct {
	Kind string `json:"kind"`          // call, again or try
	Run  string `json:"run,omitempty"` // that called it, or that it repeats
}

// Runs is a page of runs, newest first.
type Runs struct {
	Runs []Run  `json:"runs"`
	Next string `json:"next,omitempty"` // pass as before= for the next page
}

// Detail is a run in full.
type Detail struct {
	Run
	Signal   *run.Signal   `json:"signal"`
	Steps    []Step        `json:"steps"` // in the order of the script
	Reviews  []run.Review  `json:"reviews"`
	Response *run.Response `json:"response,omitempty"`
	Labels   []string      `json:"labels"`
	// when its conversation goes on by itself, as agents of it asked: the last that were set
	FollowUps []FollowUp   `json:"follow_ups,omitempty"`
	Result    any          `json:"result,omitempty"`       // what a called workflow gave
	Wake      *time.Time   `json:"wake,omitempty"`         // when it goes on by itself
	Below     money.Micros `json:"below_micros,omitempty"` // of its cost, what the runs it called cost
	Draft     bool         `json:"draft,omitempty"`        // it follows what was written rather than what is live
	InPlace   []InPlace    `json:"in_place,omitempty"`
	Held      bool         `json:"held_back,omitempty"` // what would change something outside is held back
	Step      string       `json:"step,omitempty"`      // the one that is tried alone, by its path
	AsIf      *time.Time   `json:"as_if,omitempty"`     // what the time is taken to be by now, where it is another
}

// InPlace is a connection a draft uses in place of another.
type InPlace struct {
	Of   string `json:"of"`   // title
	Used string `json:"used"` // title
}

// Step is one line of the script with what it did in a run.
type Step struct {
	flow.Line
	Script   string       `json:"script"`           // the path of the line in the script
	Many     bool         `json:"many,omitempty"`   // one of several items, ways or rounds
	Begins   bool         `json:"begins,omitempty"` // the run can be gone through again from here
	Status   run.Status   `json:"status,omitempty"` // "" where the run did not come here
	Began    *time.Time   `json:"began,omitempty"`
	Ended    *time.Time   `json:"ended,omitempty"`
	Input    any          `json:"input,omitempty"`
	Output   any          `json:"output,omitempty"`
	Error    string       `json:"error,omitempty"`
	Agent    *agent.State `json:"agent,omitempty"`
	Cost     money.Micros `json:"cost_micros,omitempty"`
	Tries    int          `json:"tries,omitempty"`    // failed ones before
	Until    *time.Time   `json:"until,omitempty"`    // when it goes on by itself
	Child    string       `json:"child,omitempty"`    // the run it called
	Recorded bool         `json:"recorded,omitempty"` // taken over from another run
	// Its call was held back: it gave what it last gave, what somebody made up, or
	// nothing.
	Held    run.Held `json:"held_back,omitempty" jsonschema:"enum=last,enum=made_up,enum=nothing"`
	Reviews []string `json:"reviews,omitempty"` // ids of those it asked for
	// The values the line reads, by their dotted names, as short words.
	Values map[string]string `json:"values,omitempty"`
}

// Review is a question to a person, with where it comes from.
type Review struct {
	run.Review
	Run      string `json:"run"`
	Workflow string `json:"workflow"`
	From     string `json:"from"`  // the workflow's title
	About    string `json:"about"` // the line people know the run by
	Yours    bool   `json:"yours"`
}

// Reviews lists what waits, oldest first.
type Reviews struct {
	Reviews []Review `json:"reviews"`
}

// Decision answers a review.
type Decision struct {
	Choice string         `json:"choice"`
	Edited map[string]any `json:"edited,omitempty"`
	Note   string         `json:"note,omitempty"`
}

// Stop ends a run before it is done.
type Stop struct {
	Note string `json:"note,omitempty"`
}

// Said is a message to a workflow.
type Said struct {
	Thread string `json:"thread"`
	Text   string `json:"text"`
	Draft  bool   `json:"draft,omitempty"` // to what is written, not what is live
	// Nothing is said: the workflow is to speak first, where its page does.
	Begins bool `json:"begins,omitempty"`
}

// Heard tells that a message was taken in.
type Heard struct {
	Run    string `json:"run"`
	Thread string `json:"thread"`
}

// Message is one message of a conversation.
type Message struct {
	N    int64           `json:"n"`
	Run  string          `json:"run"`
	Who  string          `json:"who" jsonschema:"enum=person,enum=agent,enum=note"`
	Name string          `json:"name"`
	Text string          `json:"text"`
	At   time.Time       `json:"at"`
	Rich json.RawMessage `json:"rich,omitempty"` // picture, buttons, file and layout, where it has any
}

// Thread is a conversation.
type Thread struct {
	Messages []Message `json:"messages"`
	Open     []Run     `json:"open"` // runs of it that have not ended
}

// Visited is a conversation as a visitor of a hosted page sees it.
type Visited struct {
	Messages []Message `json:"messages"`
	Busy     bool      `json:"busy"` // an answer is on its way, or something is waited for
}

// Files is a workspace: text by path.
type Files struct {
	Files map[string]string `json:"files"`
	// editions the change started from, by path; where they are no longer so, nothing is changed
	Base  map[string]string `json:"base,omitempty"`
	Draft bool              `json:"draft,omitempty"` // keep workflows and agents that do not check
}

// Published is what became of publishing workflows.
type Published struct {
	Versions []PublishedVersion `json:"versions"`
}

// PublishedVersion is a workflow's version that is live now.
type PublishedVersion struct {
	Workflow string `json:"workflow"`
	Version
}

// Publish says what is made live.
type Publish struct {
	Workflows []string `json:"workflows,omitempty"` // none: every one whose draft differs
	Note      string   `json:"note,omitempty"`
}

// Revert makes an earlier version live again.
type Revert struct {
	Version int `json:"version"`
}

// Switch turns something on or off.
type Switch struct {
	On bool `json:"on"`
}

// Rename gives a workflow another id.
type Rename struct {
	To string `json:"to"`
}

// Start starts a run.
type Start struct {
	Inputs map[string]any `json:"inputs,omitempty"` // for a workflow that can be called
	Sample string         `json:"sample,omitempty"` // a kept signal
	Signal *Signal        `json:"signal,omitempty"` // or one made up
	Draft  bool           `json:"draft,omitempty"`  // what is written, not what is live
}

// Signal is one that is kept, or made up, to start a run with.
type Signal struct {
	Trigger string            `json:"trigger,omitempty"` // the id of one of the workflow's; "" is the first
	Subject string            `json:"subject,omitempty"`
	From    map[string]string `json:"from,omitempty"` // for steps to read: nobody is acted for by it
	Text    string            `json:"text,omitempty"`
	Body    any               `json:"body,omitempty"`
	// Of a sample: it came to a draft, and nobody knows from whom.
	Unsigned bool `json:"unsigned,omitempty"`
}

// Sample is a signal that was kept.
type Sample struct {
	Name   string `json:"name"`
	Signal Signal `json:"signal"`
}

// KeepSample keeps the signal of a run, or one made up.
type KeepSample struct {
	Run    string  `json:"run,omitempty"`
	Signal *Signal `json:"signal,omitempty"`
	Next   bool    `json:"next,omitempty"` // the next one that comes
}

// Try runs a draft, or one step of it; what would change something outside is
// held back.
type Try struct {
	Step   string         `json:"step,omitempty"`   // one step alone, by id or path; "" is the whole
	Until  string         `json:"until,omitempty"`  // … as far as this one
	From   string         `json:"from,omitempty"`   // … from this one on, as run went before it
	Edited map[string]any `json:"edited,omitempty"` // … with other outputs of steps before it
	Run    string         `json:"run,omitempty"`    // whose signal it begins with, and whose values one step sees
	Sample string         `json:"sample,omitempty"` // the kept signal it begins with
	Signal *Signal        `json:"signal,omitempty"` // or one made up
	Inputs map[string]any `json:"inputs,omitempty"` // or the inputs it is called with
	Given  map[string]any `json:"given,omitempty"`  // values one step sees, by name
	Send   bool           `json:"send,omitempty"`   // hold nothing back
	Really []string       `json:"really,omitempty"` // tools that are not held back
	Gives  map[string]any `json:"gives,omitempty"`  // what calls give that are, by the path of their step, or by tool
	Hurry  bool           `json:"hurry,omitempty"`  // waits end at once, as if their time had come
	At     *time.Time     `json:"at,omitempty"`     // what the time is taken to be as it begins
}

// Again goes through a run again.
type Again struct {
	From   string         `json:"from,omitempty"`   // id or path of the step to begin at
	Edited map[string]any `json:"edited,omitempty"` // outputs of steps before it
	Body   any            `json:"body,omitempty"`   // in place of the signal's
	Same   bool           `json:"same,omitempty"`   // on the version it followed
}

// AgainMany goes through many runs again.
type AgainMany struct {
	Runs []string `json:"runs"`
	Same bool     `json:"same,omitempty"`
}

// Repeated is what became of repeating many runs.
type Repeated struct {
	Runs   map[string]string `json:"runs"`             // new by old
	Failed []string          `json:"failed,omitempty"` // why others were not repeated
}

// Started tells which run was started.
type Started struct {
	Run string `json:"run"`
}

// Checked is what the checker found.
type Checked struct {
	Problems []flow.Problem `json:"problems"`
}

// Secret replaces a connection's secret.
type Secret struct {
	Secret string `json:"secret"`
	For    string `json:"for,omitempty"` // the origin it is for, given ahead of the move there; "" is where it is now
}

// ChatNames are one's names at chat servers.
type ChatNames struct {
	Names   []ChatName   `json:"names"`
	Servers []ChatServer `json:"servers"` // where one can be linked
}

// ChatName is a name that was shown to be one's own.
type ChatName struct {
	Connection string    `json:"connection"`
	Title      string    `json:"title"` // of the connection
	Handle     string    `json:"handle"`
	Linked     time.Time `json:"linked"`
}

// ChatServer is a chat server at which names can be linked.
type ChatServer struct {
	Connection string `json:"connection"`
	Title      string `json:"title,omitempty"`
}

// ChatCode is what links a name.
type ChatCode struct {
	Write   string    `json:"write"`   // to the bot, in private, by the name that is to be linked
	To      string    `json:"to"`      // the chat server's title
	Expires time.Time `json:"expires"` // the code is good once, till then
}

// Unready is a connection that lacks what it signs with.
type Unready struct {
	ID     string   `json:"id"`
	Title  string   `json:"title"`
	SignIn bool     `json:"sign_in"` // by signing in there; else by a secret
	Used   []string `json:"used_by"` // workflows, by title
}

// Today is what needs a person now, and what the day was like.
type Today struct {
	Reviews []Review     `json:"reviews"` // that the person may decide
	Failed  []Run        `json:"failed"`  // in the last 24 hours
	Running []Run        `json:"running"`
	Missing []Unready    `json:"missing"` // connections without the secret they need
	Runs    int          `json:"runs"`    // since midnight
	Cost    money.Micros `json:"cost_micros"`
	Input   int          `json:"input_tokens"`
	Output  int          `json:"output_tokens"`
}
