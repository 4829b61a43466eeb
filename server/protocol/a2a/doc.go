// Package a2a speaks with agents elsewhere by the Agent2Agent protocol, version 1.0, in
// its JSON-RPC binding (https://a2a-protocol.org/v1.0.0/specification/). The skills of
// an agent's card become tools. A task that takes long is asked about again and again,
// over restarts; one that asks back gives its question as a result.
package a2a

import "woolsignal/server/tool"

func init() {
	tool.Register("a2a", tool.Protocol{Operations: operations, Try: tool.TryOffers, Offers: refresh})
}
