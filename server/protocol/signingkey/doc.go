// Package signingkey tries the keys that verify what arrives.
package signingkey

import "woolsignal/server/tool"

func init() {
	tool.Register("signing_key", tool.Protocol{Try: try})
}
