package protocol

import "woolsignal/core/flow"

// Web reads public pages and feeds of some hosts.
type Web struct {
	nowhere
	Hosts []string // names, or * for every public one
}

// Fields are what it may say.
func (w *Web) Fields() []flow.Field {
	return []flow.Field{{Name: "hosts", Into: &w.Hosts, Missing: "nothing says which hosts may be read",
		Help: "The hosts that may be read; * is every public one.", Example: "[gazette.example]"}}
}
