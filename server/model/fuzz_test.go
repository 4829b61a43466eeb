package model

import (
	"strings"
	"testing"
)

// FuzzStream reads what a model server streams: it ends in a reply or an error,
// and says no more than it replies.
func FuzzStream(f *testing.F) {
	f.Add("data: {\"choices\":[{\"delta\":{\"content\":\"Look\"}}]}\n\ndata: [DONE]\n\n")
	f.Add("data: {\"choices\":[{\"delta\":{\"tool_calls\":[{\"index\":-1,\"function\":{\"arguments\":\"{\"}}]}}]}\n\n")
	f.Add("data: {\"choices\":[{\"delta\":{\"tool_calls\":[{\"index\":1000000000}]}}]}\n\n")
	f.Add("event: error\ndata: {\"error\":{\"message\":\"away\"}}\n\n:\n\ndata\n\ndata: null\n\n")
	f.Fuzz(func(t *testing.T, text string) {
		var said strings.Builder
		reply, err := readStream(strings.NewReader(text), func(piece string) { said.WriteString(piece) })
		if err == nil && said.String() != reply.Message.Text {
			t.Errorf("it said %q and replied %q", said.String(), reply.Message.Text)
		}
	})
}
