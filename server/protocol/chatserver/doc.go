// Package chatserver speaks with a team's chat, as docs/chat-server.md describes one.
package chatserver

import "woolsignal/server/tool"

func init() {
	tool.Register("chat_server", tool.Protocol{Operations: tool.OverHTTP(operations), Try: try})
}
