package model

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/run"
)

// BenchmarkAssembly makes what is sent of conversations ten times as long each; the time
// for a message stays what it is.
func BenchmarkAssembly(b *testing.B) {
	s := &Server{Connection: &flow.Connection{}}
	m := flow.Model{Name: "m", LongestAnswer: 100, Abilities: []string{flow.CallsTools}}
	for _, exchanges := range []int{10, 100, 1000, 10_000} {
		ask := &run.Ask{}
		for i := range exchanges {
			id := fmt.Sprint("r-", i)
			ask.Messages = append(ask.Messages, agent.Message{Role: "user", Text: strings.Repeat("wool ", 40)},
				agent.Message{Role: "assistant", Asks: []agent.Request{{ID: id, Tool: "slots/find",
					Args: map[string]any{}}}},
				agent.Message{Role: "tool", CallID: id, Text: "{}"})
		}
		for name, d := range map[string]dialect{"completions": completions{}, "messages": messages{}} {
			b.Run(fmt.Sprintf("%s/%d", name, exchanges), func(b *testing.B) {
				for b.Loop() {
					q, err := s.question(b.Context(), m, ask)
					if err != nil {
						b.Fatal(err)
					}
					if _, err := json.Marshal(d.body(q)); err != nil {
						b.Fatal(err)
					}
				}
				b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(exchanges), "ns/exchange")
			})
		}
	}
}
