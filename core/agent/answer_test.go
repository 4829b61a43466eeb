package agent_test

import (
	"fmt"
	"strings"
	"testing"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/money"
)

// answered is a state whose model just said something.
func answered(text string, turn agent.Turn) *agent.State {
	s := &agent.State{Began: noon, Model: "medium", Messages: []agent.Message{{Role: "user", Text: "do it"}}}
	s.PutRecalled(nil, nil)
	s.PutAsked(noon, agent.Turn{})
	turn.Answered = noon
	s.PutAnswered(agent.Message{Role: "assistant", Text: text}, turn)
	return s
}

// TestATypedAnswerIsSentBackTwice has a model answer what does not fit: it is told what
// is wrong, twice, and then the agent failed.
func TestATypedAnswerIsSentBackTwice(t *testing.T) {
	a, grants := desk(t)
	a.Answer = &flow.Schema{Doc: map[string]any{"type": "object", "required": []any{"lane"},
		"properties": map[string]any{"lane": map[string]any{"type": "string"}}}}
	a.Limits.Turns = 9
	s := answered("Split, I think.", agent.Turn{})
	for try := 1; try <= agent.MostAnswers; try++ {
		moves := s.Next(a, grants, scope())
		if try == agent.MostAnswers {
			if len(moves) != 1 || moves[0].Fail == nil || moves[0].Fail.Limit != "answer" {
				t.Fatalf("after %d answers that do not fit: %+v", try, moves)
			}
			break
		}
		if len(moves) != 1 || !moves[0].Ask || !strings.Contains(moves[0].Say, "it is not JSON") {
			t.Fatalf("after %d: %+v", try, moves)
		}
		s.PutWrong([]agent.Message{{Role: "user", Text: moves[0].Say}})
		s.PutAsked(noon, agent.Turn{})
		s.PutAnswered(agent.Message{Role: "assistant", Text: "Still split."}, agent.Turn{Answered: noon})
	}
	for text, fits := range map[string]bool{`{"lane": "split"}`: true, "```json\n{\"lane\": \"split\"}\n```": true,
		`{"lane": 3}`: false, `{}`: false, `["lane"]`: false, "": false} {
		moves := answered(text, agent.Turn{}).Next(a, grants, scope())
		if len(moves) != 1 || (moves[0].Answer != nil) != fits ||
			fits && fmt.Sprint(moves[0].Answer.Value) != "map[lane:split]" {
			t.Errorf("%s: %+v", text, moves)
		}
	}
}

// TestACutMessageEndsTheWork says how each cut message ends it, and keeps what was
// reached.
func TestACutMessageEndsTheWork(t *testing.T) {
	a, grants := desk(t)
	for cut, says := range map[agent.Cut]string{agent.CutLength: "cut off at 80 tokens", agent.CutFilter: "filter",
		agent.CutRefusal: "refused", agent.CutWindow: "window was full"} {
		s := answered("I am still looking", agent.Turn{Cut: cut, Use: money.Use{Output: 80}})
		moves := s.Next(a, grants, scope())
		if len(moves) != 1 || moves[0].Fail == nil || moves[0].Fail.Limit != string(cut) ||
			!strings.Contains(moves[0].Fail.Message, says) || s.Reached() != "I am still looking" {
			t.Errorf("%s: %+v", cut, moves)
		}
	}
}

// TestTokensWrittenAreLimited ends the work once a model wrote all it may.
func TestTokensWrittenAreLimited(t *testing.T) {
	a, grants := desk(t)
	a.Limits.OutputTokens = 100
	find := agent.Request{ID: "a", Tool: "slots/find", Args: map[string]any{}}
	s := thinking(find)
	s.Turns[0].Output = 100
	s.PutCall(agent.Call{ID: "call1", Ask: "a", Tool: "slots/find", State: agent.Done, Result: "x"})
	if moves := s.Next(a, grants, scope()); len(moves) != 1 || moves[0].Fail == nil || moves[0].Fail.Limit != "output" {
		t.Errorf("%+v", moves)
	}
}

// TestAWindowIsMeasured leaves the oldest exchanges out, whole, and tells when even that
// is not enough.
func TestAWindowIsMeasured(t *testing.T) {
	words := func(n int) string { return strings.Repeat("wool", n) } // a token each
	var memory []agent.Message
	for range 5 {
		memory = append(memory, agent.Message{Role: "user", Text: words(100)},
			agent.Message{Role: "assistant", Text: words(100)})
	}
	s := &agent.State{System: words(50), Messages: []agent.Message{{Role: "user", Text: words(100)}}}
	s.PutRecalled(memory, nil)
	for _, c := range []struct {
		window, leftOut int
		fits            bool
	}{{0, 0, true}, {10_000, 0, true}, {1224, 0, true}, {1220, 2, true}, {500, 8, true}, {190, 10, true},
		{180, 10, false}, {20, 10, false}} {
		fill, leftOut, fits := s.Measure(flow.Model{Window: c.window, LongestAnswer: 20}, 10)
		if leftOut != c.leftOut || fits != c.fits {
			t.Errorf("in a window of %d: %+v, %d left out, fits %v; want %d, %v", c.window, fill, leftOut, fits,
				c.leftOut,
				c.fits)
		}
	}
	// What the server counted of the turn before corrects the estimate.
	fill, _, _ := s.Measure(flow.Model{}, 10)
	s.PutAsked(noon, agent.Turn{Fill: fill})
	s.PutAnswered(agent.Message{Role: "assistant", Text: "yes"}, agent.Turn{Answered: noon,
		Use: money.Use{Input: 2 * fill.All()}})
	if _, leftOut, _ := s.Measure(flow.Model{Window: 1224, LongestAnswer: 20}, 10); leftOut == 0 {
		t.Error("a server that counts twice as many is taken for one that does not")
	}
	picture := agent.Message{Role: "user", Files: []agent.File{{Type: "image/png", Size: 1 << 20}}}
	if f, _, _ := (&agent.State{Messages: []agent.Message{picture}}).Measure(flow.Model{}, 0); f.Task < 500 ||
		f.Task > 5000 {
		t.Errorf("a picture is taken for %d tokens", f.Task)
	}
}
