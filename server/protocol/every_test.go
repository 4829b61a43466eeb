package protocol_test

import (
	"testing"

	"woolsignal/core/flow"
	_ "woolsignal/core/protocol"
	_ "woolsignal/server/protocol"
	"woolsignal/server/tool"
)

// TestEveryProtocolFilesKnowIsSpoken asks for each protocol of core whether it
// is taken: whoever adds one there adds its folder here.
func TestEveryProtocolFilesKnowIsSpoken(t *testing.T) {
	for _, kind := range flow.TheLanguage().Protocols {
		func() {
			defer func() {
				if recover() == nil {
					t.Errorf("nobody speaks %s", kind.Name)
				}
			}()
			tool.Register(kind.Name, tool.Protocol{})
		}()
	}
}
