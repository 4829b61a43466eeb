package wire

import "time"

// Fact is what agents, or a step, keep for later conversations.
type Fact struct {
	ID string `json:"id"`
	// About is workspace, an e-mail, a conversation, or any name.
	About    string    `json:"about"`
	Thread   string    `json:"thread,omitempty"` // of the conversation it is about, where it is about one
	Name     string    `json:"name,omitempty"`   // a later one of this name takes its place
	Fact     string    `json:"fact"`
	Run      string    `json:"run"`          // that kept it
	Workflow string    `json:"workflow"`     // of that run
	Title    string    `json:"title"`        // of the workflow
	At       time.Time `json:"at"`           // when it was kept or corrected
	By       string    `json:"by,omitempty"` // who corrected it; "" is nobody
}

// Facts are a page of them, the newest first.
type Facts struct {
	Facts []Fact `json:"facts"`
	Next  string `json:"next,omitempty"` // pass as after= for the next page
}

// Correction has a fact say something else.
type Correction struct {
	Said string `json:"said"` // what it says to whoever corrects it; "" is whatever it says
	Fact string `json:"fact"`
}
