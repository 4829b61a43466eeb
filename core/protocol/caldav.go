package protocol

import "woolsignal/core/flow"

// CalDAV reaches calendars (RFC 4791).
type CalDAV struct {
	onTheWeb
	Calendars []string // paths below the address, in the order they are tried
}

// Fields are what it may say.
func (c *CalDAV) Fields() []flow.Field {
	return []flow.Field{{Name: "calendars", Into: &c.Calendars, Missing: "no calendar is named",
		Help: "Paths of calendars below the address, in the order they are tried.", Example: "[/calendars/dock-1/]"}}
}
