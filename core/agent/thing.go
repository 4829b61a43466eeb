package agent

// Thing is what a call is about: as it is, and as it will be.
type Thing struct {
	Words   string   `json:"words,omitempty"` // what it is, in a line
	Before  any      `json:"before,omitempty"`
	After   any      `json:"after,omitempty"` // nil where it will be gone, or is not changed
	Changes []Change `json:"changes,omitempty"`
	Unknown string   `json:"unknown,omitempty"` // why it could not be looked at
}

// Change is one value of a thing that becomes another.
type Change struct {
	Name   string `json:"name"`
	Before string `json:"before"` // in words; "" is nothing
	After  string `json:"after"`
}

// Back is a call that is read back to whoever the agent talks with, who says yes, no,
// or something else.
type Back struct {
	Text  string    `json:"text"`
	Phase BackPhase `json:"phase"`
	Third bool      `json:"third,omitempty"` // what they said was neither
}

// BackPhase says how far a read-back is.
type BackPhase string

// The phases of a read-back.
const (
	BackQueued    BackPhase = "queued"    // another one is read back first
	BackPosting   BackPhase = "posting"   // a chat server takes the words
	BackListening BackPhase = "listening" // an answer is awaited
	BackSettled   BackPhase = "settled"
)
