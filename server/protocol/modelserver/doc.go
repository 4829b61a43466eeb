// Package modelserver tries model servers; agents and steps speak with them by package
// model.
package modelserver

import "woolsignal/server/tool"

func init() {
	tool.Register("model_server", tool.Protocol{Try: try})
}
