package protocol

import "woolsignal/core/flow"

// ChatServer is a team's chat: rooms, threads and private messages.
type ChatServer struct {
	onTheWeb
	Events string // the signing_key connection that verifies its events
}

// Fields are what it may say.
func (c *ChatServer) Fields() []flow.Field {
	return []flow.Field{{Name: "events", Into: &c.Events, Holds: flow.HoldsConnection, Kind: "signing_key",
		Help: "The key that verifies what the server sends to /events/CONNECTION.", Example: "shieling-key"}}
}
