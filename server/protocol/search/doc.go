// Package search speaks with search pages that an OpenSearch 1.1 document describes.
package search

import "woolsignal/server/tool"

func init() {
	tool.Register("search", tool.Protocol{Operations: tool.OverHTTP(operations),
		Try: tool.Trying("search", map[string]any{"words": "test", "most": int64(1)},
			"Its description is readable, and it answers.")})
}
