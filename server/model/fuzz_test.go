package model

import (
	"strings"
	"testing"

	"woolsignal/core/fuzztest"
)

// FuzzStream reads what a model server streams, in both protocols: it ends in a
// reply or an error, and says no more than it replies.
func FuzzStream(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	f.Add("data: {\"choices\":[{\"delta\":{\"content\":\"Look\"}}]}\n\ndata: [DONE]\n\n")
	f.Add("data: {\"choices\":[{\"delta\":{\"tool_calls\":[{\"index\":-1,\"function\":{\"arguments\":\"{\"}}]}}]}\n\n")
	f.Add("data: {\"choices\":[{\"delta\":{\"tool_calls\":[{\"index\":1000000000}]}}]}\n\n")
	f.Add("event: error\ndata: {\"error\":{\"message\":\"away\"}}\n\n:\n\ndata\n\ndata: null\n\n")
	f.Add("data: {\"choices\":[{\"delta\":{\"content\":[{\"text\":\"<think>a</think>\\n\\nb\\n\"}]}," +
		"\"finish_reason\":\"x\"}]}\n\n")
	f.Add("data: {\"type\":\"content_block_start\",\"index\":0," +
		"\"content_block\":{\"type\":\"tool_use\",\"name\":\"x\"}}\n\n" +
		"data: {\"type\":\"content_block_delta\",\"index\":0,\"delta\":{\"partial_json\":\"{\"}}\n\n" +
		"data: {\"type\":\"message_delta\",\"delta\":{\"stop_reason\":\"tool_use\"}," +
		"\"usage\":{\"output_tokens\":-1}}\n\n")
	f.Add("data: {\"type\":\"message_start\",\"message\":null}\n\ndata: {\"type\":\"message_stop\"}\n\n")
	f.Fuzz(func(t *testing.T, text string) {
		for _, d := range []dialect{completions{}, messages{}} {
			var said strings.Builder
			w := &writing{say: func(piece string) { said.WriteString(piece) }}
			if err := readStream(d, w, strings.NewReader(text)); err != nil {
				continue
			}
			reply, err := w.reply(&question{})
			if err == nil && strings.TrimRight(said.String(), "\n") != reply.Message.Text {
				t.Errorf("it said %q and replied %q", said.String(), reply.Message.Text)
			}
		}
	})
}
