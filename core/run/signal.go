package run

import (
	"time"
)

// Signal is what starts a run. Its attributes are those of CloudEvents 1.0.
type Signal struct {
	ID      string            `json:"id"`
	Source  string            `json:"source"`
	Type    string            `json:"type"`
	Time    time.Time         `json:"time"`
	Subject string            `json:"subject,omitempty"`
	Kind    string            `json:"kind"`    // trigger kind: chat, webhook, schedule
	Trigger string            `json:"trigger"` // the trigger's id
	Thread  string            `json:"thread,omitempty"`
	From    map[string]string `json:"from,omitempty"` // name, email, role of a signed-in person
	Text    string            `json:"text,omitempty"`
	Body    any               `json:"body,omitempty"`
}

// value is the signal as expressions see it.
func (s *Signal) value(zone *time.Location) map[string]any {
	from := map[string]any{}
	for k, v := range s.From {
		from[k] = v
	}
	return map[string]any{
		"id": s.ID, "source": s.Source, "type": s.Type, "time": s.Time.In(zone).Format(time.RFC3339), "subject": s.Subject,
		"kind": s.Kind, "trigger": s.Trigger, "thread": s.Thread, "from": from, "text": s.Text, "body": s.Body, "files": []any{},
	}
}

// ThreadKey names the conversation a signal belongs to, apart from all
// others; "" where it belongs to none.
func (s *Signal) ThreadKey() string {
	if s.Thread == "" {
		return ""
	}
	return s.Source + "#" + s.Thread
}
