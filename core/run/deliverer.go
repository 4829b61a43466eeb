package run

import "strings"

// Deliverer is what brings a signal: signals of one that have the same id are
// the same signal.
type Deliverer struct {
	Workflow string // "" where it does not matter whose it is
	By       string // the trigger, and the sender's source where its ids are its own
}

// IsZero tells whether it is none.
func (d Deliverer) IsZero() bool { return d == Deliverer{} }

// String writes it as one text; "" where it is none. [ParseDeliverer] reads it.
func (d Deliverer) String() string {
	if d.IsZero() {
		return ""
	}
	return d.Workflow + "/" + d.By
}

// ParseDeliverer reads what [Deliverer.String] writes. A workflow's id holds
// no slash.
func ParseDeliverer(text string) Deliverer {
	workflow, by, _ := strings.Cut(text, "/")
	return Deliverer{workflow, by}
}

// MarshalText is [Deliverer.String].
func (d Deliverer) MarshalText() ([]byte, error) { return []byte(d.String()), nil }

// UnmarshalText is [ParseDeliverer].
func (d *Deliverer) UnmarshalText(text []byte) error {
	*d = ParseDeliverer(string(text))
	return nil
}
