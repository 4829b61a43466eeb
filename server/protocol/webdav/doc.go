// Package webdav speaks with file servers (RFC 4918).
package webdav

import "woolsignal/server/tool"

func init() {
	tool.Register("webdav", tool.Protocol{Operations: tool.OverHTTP(operations),
		Try: tool.Trying("list", nil, "Signed in; the top folder can be read.")})
}
