// Package modelserver tries model servers, and offers what can be done with those that
// make embeddings; agents and steps speak with models by package model.
package modelserver

import "woolsignal/server/tool"

func init() {
	tool.Register("model_server", tool.Protocol{Operations: tool.OverHTTP(operations), Try: try})
}
