package protocol

import "woolsignal/core/flow"

// Search asks a search page that an OpenSearch 1.1 description document
// describes.
type Search struct {
	onTheWeb
	Description string // its path below the address
}

// Fields are what it may say.
func (s *Search) Fields() []flow.Field {
	return []flow.Field{{Name: "description", Into: &s.Description, Default: "/opensearch.xml",
		Help: "The path of the description below the address.", Example: "/search.xml"}}
}
