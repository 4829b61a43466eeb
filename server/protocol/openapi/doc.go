// Package openapi speaks with APIs that an OpenAPI 3 document describes.
package openapi

import "woolsignal/server/tool"

func init() {
	tool.Register("openapi", tool.Protocol{Operations: tool.OverHTTP(operations), Try: try})
}
