package trigger

import (
	"time"

	"woolsignal/core/flow"
)

// The kinds there are. Importing this package registers them, in the order
// they are shown.
func init() {
	for _, k := range []struct {
		name, help string
		new        func() flow.Starting
	}{
		{"chat", "Each message of a conversation, on a page of the service or on a chat server.",
			func() flow.Starting { return &Chat{} }},
		{"webhook", "Each verified POST to an address of the service.", func() flow.Starting { return &Webhook{} }},
		{"schedule", "Times: every so often, on days, or before the events of a calendar.",
			func() flow.Starting { return &Schedule{} }},
		{"form", "Each form somebody sends from a page of the service.", func() flow.Starting { return &Form{} }},
		{"mail", "Each mail that arrives in a folder, is given a flag, or is moved there.",
			func() flow.Starting { return &Mail{} }},
		{"row", "Each row that is added or changed, of a table or of a list a tool gives.",
			func() flow.Starting { return &Row{} }},
		{"calendar", "So long before each event of a calendar, or when one changes.",
			func() flow.Starting { return &Calendar{} }},
		{"file", "Each file that appears in a folder.", func() flow.Starting { return &File{} }},
		{"feed", "Each new item of an RSS or Atom feed.", func() flow.Starting { return &Feed{} }},
		{"phone", "Each turn of a telephone call that a VoiceXML gateway brings.",
			func() flow.Starting { return &Phone{} }},
		{"failure", "Each run of other workflows that fails.", func() flow.Starting { return &Failure{} }},
	} {
		flow.RegisterTrigger(k.name, k.help, k.new)
	}
}

// soonest is how often at most something is looked at that cannot call us.
const soonest = time.Second

// everyField says how often something is looked at.
func everyField(into *time.Duration) flow.Field {
	return flow.Field{Name: "every", Into: into, Default: "2m",
		Help: "How often it is looked at; not more often than once a second.", Example: "5m"}
}

// notTooOften refuses to look more often than once a second.
func notTooOften(m flow.Reading, every *time.Duration) {
	if *every < soonest {
		m.Wrong("every", "every: 2m", "nothing is looked at more often than once a second")
		*every = 2 * time.Minute
	}
}
