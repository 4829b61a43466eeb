// Package mcp speaks with servers of the Model Context Protocol.
package mcp

import "woolsignal/server/tool"

func init() {
	tool.Register("mcp", tool.Protocol{Operations: operations, Try: tool.TryOffers, Offers: RefreshOffers})
}
