package protocol

import "woolsignal/core/flow"

// OpenAPI makes tools of the operations an API's description names.
type OpenAPI struct {
	onTheWeb
	Description string   // path of the description in the workspace
	Offer       []string // operation ids offered as tools; empty offers all
}

// Fields are what it may say.
func (o *OpenAPI) Fields() []flow.Field {
	return []flow.Field{
		{Name: "description", Into: &o.Description, Holds: flow.HoldsFile, Required: true,
			Help: "Its OpenAPI 3 description, a file of the workspace.", Example: "schemas/clip-register.json"},
		{Name: "offer", Into: &o.Offer,
			Help: "The operations that are offered as tools; all where it is missing.", Example: "[list_deliveries]"},
	}
}
