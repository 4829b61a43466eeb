package bellwether

import (
	"fmt"
	"net/http"
	"strings"
	"time"
)

// A rule's fault says how its answer goes wrong: length, filter, refusal, half,
// garbage, nothing, endless, huge, calls (a thousand), arguments (5 MB) or thinking
// (aloud, without any answer).

// fault writes what is sent in place of an answer.
type fault func(send func(string), done <-chan struct{})

// words5 is a piece of text that is sent over and over.
var words5 = strings.Repeat("wool ", 1000)

// faultsOf are the faults, as a protocol writes them: piece a piece of text, call one
// call with arguments, end the end for a reason.
func faultsOf(piece func(string) string, call func(n int, args string) string, end func(why string) string,
	reasons map[string]string) map[string]fault {
	ends := func(text, why string) fault {
		return func(send func(string), _ <-chan struct{}) { send(piece(text)); send(end(reasons[why])) }
	}
	repeat := func(times int, one func(n int) string) fault {
		return func(send func(string), done <-chan struct{}) {
			for n := range times {
				select {
				case <-done:
					return
				default:
					send(one(n))
				}
			}
			send(end(reasons["stop"]))
		}
	}
	return map[string]fault{
		"length": ends("The first part of what I wanted to say is", "length"), "filter": ends("Let me", "filter"),
		"refusal":  ends("I cannot help with that.", "refusal"),
		"nothing":  func(send func(string), _ <-chan struct{}) { send(end(reasons["stop"])) },
		"thinking": ends("<think>Which of the sacks was it, the third or the fourth?", "stop"),
		"half":     func(send func(string), _ <-chan struct{}) { send(piece("You are booked on")) },
		"garbage":  func(send func(string), _ <-chan struct{}) { send("<html>") },
		"huge":     repeat(10<<20/len(words5), func(int) string { return piece(words5) }),
		"calls":    repeat(1000, func(n int) string { return call(n, "{}") }),
		"arguments": repeat(1, func(n int) string {
			return call(n, `{"text":"`+strings.Repeat(words5, 5<<20/len(words5))+`"}`)
		}),
		"endless": repeat(1<<40, func(int) string { time.Sleep(10 * time.Millisecond); return piece("baa ") }),
	}
}

var chatFaults = faultsOf(
	func(text string) string { return fmt.Sprintf(`{"choices":[{"delta":{"content":%q}}]}`, text) },
	func(n int, args string) string {
		return fmt.Sprintf(`{"choices":[{"delta":{"tool_calls":[{"index":%d,"id":"c%d","function":{"name":"nothing",`+
			`"arguments":%q}}]}}]}`, n, n, args)
	},
	func(why string) string { return fmt.Sprintf(`{"choices":[{"delta":{},"finish_reason":%q}]}`, why) },
	map[string]string{"stop": "stop", "length": "length", "filter": "content_filter", "refusal": "refusal"})

var blockFaults = faultsOf(
	func(text string) string {
		return fmt.Sprintf(`{"type":"content_block_delta","index":0,"delta":{"type":"text_delta","text":%q}}`, text)
	},
	func(n int, args string) string {
		return fmt.Sprintf(`{"type":"content_block_start","index":%d,"content_block":{"type":"tool_use","id":"c%d",`+
			`"name":"nothing","input":%s}}`, n, n, args)
	},
	func(why string) string {
		return fmt.Sprintf(`{"type":"message_delta","delta":{"stop_reason":%q}}`, why)
	},
	map[string]string{"stop": "end_turn", "length": "max_tokens", "filter": "refusal", "refusal": "refusal"})

// faulty sends a fault in place of an answer, and tells whether there was one.
func faulty(w http.ResponseWriter, name string, all map[string]fault) bool {
	f, known := all[name]
	if !known {
		return false
	}
	w.Header().Set("Content-Type", "text/event-stream")
	flush := http.NewResponseController(w)
	done := make(chan struct{})
	closed := false
	f(func(data string) {
		_, err := fmt.Fprintf(w, "data: %s\n\n", data)
		if (err != nil || flush.Flush() != nil) && !closed {
			closed = true
			close(done) // nobody reads any more
		}
	}, done)
	return true
}
