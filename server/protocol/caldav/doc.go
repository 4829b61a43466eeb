// Package caldav speaks with calendars (RFC 4791).
package caldav

import "woolsignal/server/tool"

func init() {
	tool.Register("caldav", tool.Protocol{Operations: tool.OverHTTP(operations), Try: try})
}
