// Package web reads public pages and feeds (RSS 2.0, Atom RFC 4287).
package web

import "woolsignal/server/tool"

func init() {
	tool.Register("web", tool.Protocol{Operations: operations, Try: try})
}
