package wire

import "time"

// FollowUp is a time at which a conversation goes on by itself, as an agent asked.
type FollowUp struct {
	ID       string    `json:"id"`
	Run      string    `json:"run"`      // whose agent set it
	Workflow string    `json:"workflow"` // of that run
	Title    string    `json:"title"`    // of the workflow
	Due      time.Time `json:"due"`
	What     string    `json:"what"`           // what the agent is reminded of
	With     string    `json:"with,omitempty"` // whom the conversation is with, as far as that is known
	// Cancelled is who took it back, or what did; "" for what was not.
	Cancelled string `json:"cancelled,omitempty"`
}

// FollowUps are a page of those that are to come, the next one first.
type FollowUps struct {
	FollowUps []FollowUp `json:"follow_ups"`
	Next      string     `json:"next,omitempty"` // pass as after= for the next page
}
