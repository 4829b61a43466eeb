// Package request sends any request to one host.
package request

import "woolsignal/server/tool"

func init() {
	tool.Register("http", tool.Protocol{Operations: tool.OverHTTP(operations)})
}
