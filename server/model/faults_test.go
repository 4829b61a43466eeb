package model_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/core/run"
	"woolsignal/server/model"
)

// both runs a test in both protocols.
func both(t *testing.T, test func(t *testing.T, speaks string)) {
	for _, speaks := range []string{protocol.Completions, protocol.Messages} {
		t.Run(speaks, func(t *testing.T) { t.Parallel(); test(t, speaks) })
	}
}

// says writes a streamed answer of some words that ends for a reason, which is named
// as chat-completions does.
func says(w http.ResponseWriter, speaks, text, why string) {
	if speaks == protocol.Completions {
		stream(w, fmt.Sprintf(`{"choices":[{"delta":{"content":%q}}]}`, text),
			fmt.Sprintf(`{"choices":[{"delta":{},"finish_reason":%q}]}`, why), "[DONE]")
		return
	}
	why = map[string]string{"stop": "end_turn", "length": "max_tokens", "content_filter": "refusal"}[why]
	stream(w, fmt.Sprintf(`{"type":"content_block_delta","index":0,"delta":{"type":"text_delta","text":%q}}`, text),
		fmt.Sprintf(`{"type":"message_delta","delta":{"stop_reason":%q}}`, why), `{"type":"message_stop"}`)
}

// TestACutAnswerIsNone reads answers that came to no proper end: what was written is
// kept, what it asks for is not done, and the turn says why.
func TestACutAnswerIsNone(t *testing.T) {
	for name, c := range map[string]struct {
		speaks string
		chunks []string
		want   agent.Cut
	}{
		"too long": {protocol.Completions, []string{`{"choices":[{"delta":{"content":"Half an"}}]}`,
			`{"choices":[{"delta":{"tool_calls":[{"index":0,"id":"a","function":{"name":"slots__find",` +
				`"arguments":"{}"}}]},"finish_reason":"length"}]}`, "[DONE]"}, agent.CutLength},
		"filtered": {protocol.Completions, []string{`{"choices":[{"delta":{"content":"Half an"},` +
			`"finish_reason":"content_filter"}]}`}, agent.CutFilter},
		"refused": {protocol.Completions,
			[]string{`{"choices":[{"delta":{"refusal":"Half an"},"finish_reason":"stop"}]}`},
			agent.CutRefusal},
		"too long, in blocks": {protocol.Messages, []string{
			`{"type":"content_block_delta","index":0,"delta":{"text":"Half an"}}`,
			`{"type":"content_block_start","index":1,"content_block":{"type":"tool_use","id":"a",` +
				`"name":"slots__find"}}`,
			`{"type":"message_delta","delta":{"stop_reason":"max_tokens"}}`}, agent.CutLength},
		"refused, in blocks": {protocol.Messages, []string{
			`{"type":"content_block_delta","index":0,"delta":{"text":"Half an"}}`,
			`{"type":"message_delta","delta":{"stop_reason":"refusal"}}`}, agent.CutRefusal},
		"full, in blocks": {protocol.Messages, []string{
			`{"type":"content_block_delta","index":0,"delta":{"text":"Half an"}}`,
			`{"type":"message_delta","delta":{"stop_reason":"model_context_window_exceeded"}}`}, agent.CutWindow},
	} {
		p := answering(t, c.speaks, func(w http.ResponseWriter, _ int, _ map[string]any) { stream(w, c.chunks...) })
		reply, _, err := p.ask(withTool())
		if err != nil || reply.Turn.Cut != c.want || reply.Message.Text != "Half an" || len(reply.Message.Asks) != 0 ||
			len(p.asked) != 1 {
			t.Errorf("%s: %+v after %d requests, %v", name, reply, len(p.asked), err)
		}
	}
}

// TestCallsAreToldApart reads calls as servers number them.
func TestCallsAreToldApart(t *testing.T) {
	call := func(index, id, name, args string) string {
		return fmt.Sprintf(`{"choices":[{"delta":{"tool_calls":[{%s"id":%q,"function":{"name":%q,"arguments":%q}}]}}]}`,
			index, id, name, args)
	}
	for name, chunks := range map[string][]string{
		"no index": {call("", "a", "slots__find", `{"n":1}`), call("", "b", "slots__find", `{"n":2}`)},
		"no index, in pieces": {call("", "a", "slots__find", `{"n"`), call("", "", "", `:1}`),
			call("", "b", "slots__find", ``), call("", "", "", `{"n":2}`)},
		"neither index nor id": {call("", "", "slots__find", `{"n":1}`), call("", "", "slots__find", `{"n":2}`)},
		"all 0": {call(`"index":0,`, "a", "slots__find", `{"n":1}`), call(`"index":0,`, "b",
			"slots__find", `{"n":2}`)},
		"gaps": {call(`"index":3,`, "a", "slots__find", `{"n":1}`), call(`"index":900,`, "b",
			"slots__find", `{"n":2}`)},
		"names again": {call(`"index":0,`, "a", "slots__find", `{"n"`), call(`"index":0,`, "a", "slots__find", `:1}`),
			call(`"index":1,`, "b", "slots__find", `{"n":2}`)},
		"a name in pieces": {call(`"index":0,`, "a", "slots__", ``), call(`"index":0,`, "", "find", `{"n":1}`),
			call(`"index":1,`, "b", "slots__find", `{"n":2}`)},
		"mixed up": {call(`"index":0,`, "a", "slots__find", `{"n"`), call(`"index":1,`, "b", "slots__find", `{"n":2}`),
			call(`"index":0,`, "", "", `:1}`)},
	} {
		p := answering(t, protocol.Completions, func(w http.ResponseWriter, _ int, _ map[string]any) {
			stream(w, append(chunks, `{"choices":[{"delta":{},"finish_reason":"tool_calls"}]}`)...)
		})
		reply, _, err := p.ask(withTool())
		got := ""
		for _, a := range reply.Message.Asks {
			got += fmt.Sprint(a.Tool, a.Args)
		}
		if err != nil || got != "slots/findmap[n:1]slots/findmap[n:2]" {
			t.Errorf("%s: %s, %v", name, got, err)
		}
	}
}

// TestThoughtsAreNoAnswer reads thoughts however they come, cut anywhere.
func TestThoughtsAreNoAnswer(t *testing.T) {
	const aloud = "\n<think>Is it 5 < 6?</think>\n\nYes <think> it is."
	for cut := range len(aloud) {
		p := answering(t, protocol.Completions, func(w http.ResponseWriter, _ int, _ map[string]any) {
			stream(w, fmt.Sprintf(`{"choices":[{"delta":{"content":%q}}]}`, aloud[:cut]),
				fmt.Sprintf(`{"choices":[{"delta":{"content":%q},"finish_reason":"stop"}]}`, aloud[cut:]))
		})
		reply, said, err := p.ask(&run.Ask{})
		if err != nil || said != "Yes <think> it is." || reply.Message.Text != said ||
			reply.Message.Thought != "Is it 5 < 6?" {
			t.Fatalf("cut at %d: %q, %+v, %v", cut, said, reply.Message, err)
		}
	}
	for _, field := range []string{"reasoning", "reasoning_content"} {
		p := answering(t, protocol.Completions, func(w http.ResponseWriter, _ int, _ map[string]any) {
			stream(w, `{"choices":[{"delta":{"`+field+`":"Hm."}}]}`,
				`{"choices":[{"delta":{"content":[{"type":"text","text":"Yes."}]},"finish_reason":"stop"}]}`)
		})
		if reply, said, err := p.ask(&run.Ask{}); err != nil || said != "Yes." || reply.Message.Thought != "Hm." {
			t.Errorf("%s: %q %+v %v", field, said, reply.Message, err)
		}
	}
	p := answering(t, protocol.Completions, func(w http.ResponseWriter, _ int, _ map[string]any) {
		stream(w, `{"choices":[{"delta":{"content":"<think>For ever"},"finish_reason":"stop"}]}`)
	})
	if _, said, err := p.ask(&run.Ask{}); err == nil || said != "" || !strings.Contains(err.Error(),
		"answered nothing") {
		t.Errorf("thoughts alone: %q, %v", said, err)
	}
}

// TestAWholeAnswerWhereAStreamWasAskedFor is taken all the same.
func TestAWholeAnswerWhereAStreamWasAskedFor(t *testing.T) {
	both(t, func(t *testing.T, speaks string) {
		p := answering(t, speaks, func(w http.ResponseWriter, _ int, _ map[string]any) {
			whole(w, speaks,
				"Two bales.")
		})
		reply, said, err := p.ask(&run.Ask{})
		if err != nil || said != "Two bales." || reply.Message.Text != said || reply.Turn.Input != 10 ||
			reply.Turn.Output != 4 {
			t.Errorf("%q %+v %v", said, reply, err)
		}
	})
}

// TestWhatIsNotUnderstoodIsLeftOut asks servers that refuse a field: they are asked
// again without it, and from then on at once without.
func TestWhatIsNotUnderstoodIsLeftOut(t *testing.T) {
	for field, instead := range map[string]string{"stream_options": "", "response_format": "",
		"max_tokens": "max_completion_tokens"} {
		p := answering(t, protocol.Completions, func(w http.ResponseWriter, _ int, asked map[string]any) {
			if asked[field] != nil {
				http.Error(w, `{"error":"Unrecognized request argument: `+field+`"}`, http.StatusBadRequest)
				return
			}
			says(w, protocol.Completions, `{"n":2}`, "stop")
		})
		typed := &run.Ask{Answer: map[string]any{"type": "object"}}
		for range 2 {
			if reply, _, err := p.ask(typed); err != nil || reply.Message.Text != `{"n":2}` {
				t.Fatalf("%s: %+v %v", field, reply, err)
			}
		}
		last := p.asked[len(p.asked)-1]
		if len(p.asked) != 3 || instead != "" && last[instead] != 500.0 {
			t.Errorf("%s: %d requests, the last %v", field, len(p.asked), last)
		}
	}
	p := answering(t, protocol.Completions, func(w http.ResponseWriter, _ int, _ map[string]any) {
		http.Error(w, `{"error":"response_format is no good, whatever you do"}`, http.StatusBadRequest)
	})
	if _, _, err := p.ask(&run.Ask{}); err == nil || len(p.asked) != 2 {
		t.Errorf("%d requests to a server that refuses without end: %v", len(p.asked), err)
	}
}

// TestATypedAnswerInBlocks is given by a tool that is made for it.
func TestATypedAnswerInBlocks(t *testing.T) {
	p := answering(t, protocol.Messages, func(w http.ResponseWriter, _ int, asked map[string]any) {
		name := asked["tool_choice"].(map[string]any)["name"].(string)
		stream(w,
			fmt.Sprintf(`{"type":"content_block_start","index":0,"content_block":{"type":"tool_use","name":%q}}`, name),
			`{"type":"content_block_delta","index":0,"delta":{"partial_json":"{\"n\":2}"}}`,
			`{"type":"message_delta","delta":{"stop_reason":"tool_use"}}`, `{"type":"message_stop"}`)
	})
	reply, _, err := p.ask(&run.Ask{Answer: map[string]any{"type": "object"}})
	if err != nil || reply.Message.Text != `{"n":2}` || len(reply.Message.Asks) != 0 {
		t.Errorf("%+v %v", reply, err)
	}
}

// TestABusyServerIsWaitedFor asks servers that say in every way when to come again.
func TestABusyServerIsWaitedFor(t *testing.T) {
	both(t, func(t *testing.T, speaks string) {
		for name, c := range map[string]struct {
			head, value string
			least       time.Duration
			error       string
		}{
			"milliseconds": {"Retry-After-Ms", "120", 120 * time.Millisecond, ""},
			"seconds":      {"Retry-After", "1", time.Second, ""},
			"a date":       {"Retry-After", "date", 500 * time.Millisecond, ""},
			"nothing":      {"X-Nothing", "", 400 * time.Millisecond, ""},
			"too long":     {"Retry-After", "7200", 0, "asks to be left alone for 2 hours"},
		} {
			began := time.Now()
			p := answering(t, speaks, func(w http.ResponseWriter, n int, _ map[string]any) {
				if n > 1 {
					says(w, speaks, "ok", "stop")
					return
				}
				value := c.value
				if value == "date" {
					value = time.Now().Add(2 * time.Second).UTC().Format(http.TimeFormat)
				}
				w.Header().Set(c.head, value)
				http.Error(w, `{"error":{"message":"busy"}}`, http.StatusTooManyRequests)
			})
			reply, _, err := p.ask(&run.Ask{})
			switch {
			case c.error != "":
				if err == nil || !strings.Contains(err.Error(), c.error) || len(p.asked) != 1 {
					t.Errorf("%s: %d requests, %v", name, len(p.asked), err)
				}
			case err != nil || reply.Message.Text != "ok" || time.Since(began) < c.least:
				t.Errorf("%s: %+v after %s, %v", name, reply, time.Since(began), err)
			}
		}
	})
}

// TestBrokenAnswersAreExplained asks servers that answer everything but an answer.
func TestBrokenAnswersAreExplained(t *testing.T) {
	long := strings.Repeat("wool ", 100_000)
	both(t, func(t *testing.T, speaks string) {
		for name, c := range map[string]struct {
			want     string
			requests int
			answer   func(w http.ResponseWriter)
		}{
			"wrong key": {"its key is wrong", 1, func(w http.ResponseWriter) {
				http.Error(w, `{"error":{"message":"bad key"}}`, http.StatusUnauthorized)
			}},
			"no such model": {"look at the address", 1, func(w http.ResponseWriter) { http.Error(w, "gone", 404) }},
			"overloaded":    {"answered 529", 3, func(w http.ResponseWriter) { w.WriteHeader(529) }},
			"a bad request": {"answered 400 Bad Request: too much", 1, func(w http.ResponseWriter) {
				http.Error(w, `{"message":"too much"}`, http.StatusBadRequest)
			}},
			"garbage":   {"cannot be read", 3, func(w http.ResponseWriter) { stream(w, "<html>") }},
			"no stream": {"broke off", 3, func(w http.ResponseWriter) { fmt.Fprint(w, "<html>Hello</html>") }},
			"no JSON": {"cannot be read", 3, func(w http.ResponseWriter) {
				w.Header().Set("Content-Type",
					"application/json")
				fmt.Fprint(w, "{")
			}},
			"cut off": {"broke off", 3, func(w http.ResponseWriter) { stream(w, half[speaks]) }},
			"nothing": {"answered nothing", 3, func(w http.ResponseWriter) { says(w, speaks, "", "stop") }},
			"an error": {"window is full", 3, func(w http.ResponseWriter) {
				stream(w,
					`{"error":{"message":"window is full"}}`)
			}},
			"its words": {"away", 3, func(w http.ResponseWriter) {
				stream(w,
					`{"type":"error","error":"away"}`)
			}},
			"no words": {"not what", 3, func(w http.ResponseWriter) {
				stream(w,
					`{"type":"error","error":{}}`)
			}},
			"ten MB": {"more than 2 MB", 1, func(w http.ResponseWriter) { repeat(w, speaks, long, 20) }},
			"one event": {"more than 2 MB", 1, func(w http.ResponseWriter) {
				says(w, speaks, strings.Repeat(long,
					10), "stop")
			}},
			"ten at once": {"more than 2 MB", 1, func(w http.ResponseWriter) {
				whole(w, speaks,
					strings.Repeat(long, 20))
			}},
			"a thousand calls": {"more than 64 calls", 1, func(w http.ResponseWriter) { thousand(w, speaks) }},
			"no tool": {"without saying of which tool", 3, func(w http.ResponseWriter) {
				nameless(w,
					speaks)
			}},
		} {
			p := answering(t, speaks, func(w http.ResponseWriter, _ int, _ map[string]any) { c.answer(w) })
			_, _, err := p.ask(withTool())
			if err == nil || !strings.Contains(err.Error(), c.want) || !strings.HasPrefix(err.Error(), "Peer") ||
				len(p.asked) != c.requests {
				t.Errorf("%s: %d requests, %v; want %d, %q", name, len(p.asked), err, c.requests, c.want)
			}
		}
	})
}

// half is a stream that ends where none may.
var half = map[string]string{protocol.Completions: `{"choices":[{"delta":{"content":"half an ans"}}]}`,
	protocol.Messages: `{"type":"content_block_delta","index":0,"delta":{"text":"half an ans"}}`}

func repeat(w http.ResponseWriter, speaks, text string, times int) {
	event := fmt.Sprintf(`{"choices":[{"delta":{"content":%q}}]}`, text)
	if speaks == protocol.Messages {
		event = fmt.Sprintf(`{"type":"content_block_delta","index":0,"delta":{"text":%q}}`, text)
	}
	for range times {
		stream(w, event)
	}
}

func thousand(w http.ResponseWriter, speaks string) {
	for n := range 1000 {
		if speaks == protocol.Messages {
			stream(w,
				fmt.Sprintf(`{"type":"content_block_start","index":%d,"content_block":{"type":"tool_use","id":"c%d",`+
					`"name":"slots__find","input":{"n":1}}}`, n, n))
			continue
		}
		stream(w,
			fmt.Sprintf(`{"choices":[{"delta":{"tool_calls":[{"index":%d,"id":"c%d","function":{"name":"slots__find",`+
				`"arguments":"{}"}}]}}]}`, n, n))
	}
}

func nameless(w http.ResponseWriter, speaks string) {
	if speaks == protocol.Messages {
		stream(w, `{"type":"content_block_delta","index":0,"delta":{"partial_json":"{}"}}`,
			`{"type":"message_delta","delta":{"stop_reason":"tool_use"}}`)
		return
	}
	stream(w,
		`{"choices":[{"delta":{"tool_calls":[{"index":0,"function":{"arguments":"{}"}}]},`+
			`"finish_reason":"tool_calls"}]}`)
}

// TestNobodyIsWaitedForWithoutEnd asks a server that never answers, and one that
// never stops.
func TestNobodyIsWaitedForWithoutEnd(t *testing.T) {
	both(t, func(t *testing.T, speaks string) {
		for name, drips := range map[string]bool{"silent": false, "endless": true} {
			p := answering(t, speaks, func(w http.ResponseWriter, _ int, _ map[string]any) {
				flush := http.NewResponseController(w)
				for range 50 { // longer than anybody waits
					if drips {
						repeat(w, speaks, "baa ", 1)
					}
					if flush.Flush() != nil {
						return
					}
					time.Sleep(20 * time.Millisecond)
				}
			})
			_, _, err := p.ask(&run.Ask{Within: 300 * time.Millisecond})
			if err == nil || !strings.Contains(err.Error(), "did not answer within") {
				t.Errorf("%s: %v", name, err)
			}
		}
	})
}

// TestWhatAModelCannotDoIsSaid asks models for what their file does not say they can.
func TestWhatAModelCannotDoIsSaid(t *testing.T) {
	p := answering(t, protocol.Completions, func(w http.ResponseWriter, _ int, _ map[string]any) {
		says(w, protocol.Completions, "ok", "stop")
	})
	plain := flow.Model{Name: "m", LongestAnswer: 10, Abilities: []string{}}
	for name, c := range map[string]struct {
		ask  *run.Ask
		want string
	}{
		"tools": {&run.Ask{Model: "small", Tools: withTool().Tools}, "small calls no tools"},
		"a picture": {&run.Ask{Model: "small", Messages: conversation[:1]},
			"bale.png cannot be shown: it is a picture, and small looks at none"},
		"too many files": {&run.Ask{Messages: []agent.Message{{Role: "user", Files: []agent.File{
			{Name: "a", Type: "text/plain", Blob: "1", Size: 19 << 20},
			{Name: "b", Type: "text/plain", Blob: "2", Size: 2 << 20}}}}}, "larger than 20 MB"},
	} {
		c.ask.Within = time.Second
		if _, err := p.Ask(t.Context(), plain, c.ask, nil); err == nil || !strings.Contains(err.Error(), c.want) ||
			len(p.asked) != 0 {
			t.Errorf("%s: %v after %d requests", name, err, len(p.asked))
		}
	}
	bill := &run.Ask{Within: time.Second, Answer: map[string]any{"type": "object"}, Messages: []agent.Message{
		{Role: "user", Files: conversation[0].Files[1:2]}}}
	if _, err := p.Ask(t.Context(), plain, bill, nil); err != nil {
		t.Fatal(err)
	}
	if sent := fmt.Sprint(p.asked[0]); !strings.Contains(sent, "words of bill.pdf") ||
		strings.Contains(sent, "response_format") {
		t.Errorf("a model that reads no PDF, and holds its answer to nothing, is sent %s", sent)
	}
}

// TestEmbeddingsAreHeldAgainstTheTexts asks for vectors, and servers that give others
// than they were asked for.
func TestEmbeddingsAreHeldAgainstTheTexts(t *testing.T) {
	embedder := flow.Model{Name: "m", Abilities: []string{flow.Embeds}, InputPrice: 2}
	for name, c := range map[string]struct {
		answer, want string
		requests     int
	}{
		"sound": {`{"data":[{"index":1,"embedding":[0,1]},{"index":0,"embedding":[1,0]}],` +
			`"usage":{"prompt_tokens":5}}`, "", 1},
		"one less":   {`{"data":[{"index":0,"embedding":[1,0]}]}`, "no vector for text 2", 1},
		"of no text": {`{"data":[{"index":7,"embedding":[1,0]}]}`, "belong to no text", 1},
		"twice": {`{"data":[{"index":0,"embedding":[1]},{"index":0,"embedding":[1]}]}`, "belong to no text",
			1},
		"another length": {`{"data":[{"index":0,"embedding":[1,0]},{"index":1,"embedding":[1]}]}`, "another length", 1},
		"an error":       {`{"error":"no such model"}`, "no such model", 1},
		"garbage":        {`<html>`, "cannot be read", 3},
	} {
		p := answering(t, protocol.Messages, func(w http.ResponseWriter, _ int, _ map[string]any) {
			fmt.Fprint(w,
				c.answer)
		})
		vectors, cost, err := p.Embed(t.Context(), embedder, []string{"wool", "hay"})
		if c.want == "" && (err != nil || cost != 10 || fmt.Sprint(vectors) != "[[1 0] [0 1]]") ||
			c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)) || len(p.asked) != c.requests {
			t.Errorf("%s: %v, %d, %v after %d requests", name, vectors, cost, err, len(p.asked))
		}
	}
	p := answering(t, protocol.Completions, func(w http.ResponseWriter, _ int, _ map[string]any) {
		fmt.Fprint(w,
			"{}")
	})
	if _, _, err := p.Embed(t.Context(), embedder, make([]string, model.MostTexts+1)); err == nil || len(p.asked) != 0 {
		t.Errorf("too many texts: %v", err)
	}
}
