package run

import "strings"

// Conversation names a conversation apart from all others: where it is held,
// and what it is called there.
type Conversation struct {
	Source string // as a signal's source says it
	Thread string
}

// Conversation is the one a signal belongs to; zero where it belongs to none.
func (s *Signal) Conversation() Conversation {
	if s.Thread == "" {
		return Conversation{}
	}
	return Conversation{s.Source, s.Thread}
}

// IsZero tells whether it is none.
func (c Conversation) IsZero() bool { return c == Conversation{} }

// String writes it as one text; "" where it is none. [ParseConversation]
// reads it.
func (c Conversation) String() string {
	if c.IsZero() {
		return ""
	}
	return c.Source + "#" + c.Thread
}

// ParseConversation reads what [Conversation.String] writes. A source is an
// address and holds no #; a thread may.
func ParseConversation(text string) Conversation {
	source, thread, _ := strings.Cut(text, "#")
	return Conversation{source, thread}
}

// MarshalText is [Conversation.String].
func (c Conversation) MarshalText() ([]byte, error) { return []byte(c.String()), nil }

// UnmarshalText is [ParseConversation].
func (c *Conversation) UnmarshalText(text []byte) error {
	*c = ParseConversation(string(text))
	return nil
}

// Thread is a conversation with one workflow.
type Thread struct {
	Workflow string
	Conversation
}

// String writes it as one text; "" where there is no conversation.
// [ParseThread] reads it.
func (t Thread) String() string {
	if t.Conversation.IsZero() {
		return ""
	}
	return t.Workflow + ":" + t.Conversation.String()
}

// ParseThread reads what [Thread.String] writes. A workflow's id holds no
// colon.
func ParseThread(text string) Thread {
	workflow, conversation, _ := strings.Cut(text, ":")
	return Thread{workflow, ParseConversation(conversation)}
}
