package e2e_test

import (
	"bufio"
	"context"
	"encoding/json"
	"net/http"
	"strings"
	"testing"
	"time"

	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

const spoken = `workflow: spoken
title: Spoken
triggers:
  - id: page
    chat: {page: spoken, open: true}
steps:
  - id: draft
    model: medium
    prompt: "Sum this up: ${signal.text}"
  - id: look
    review: {ask: owner, show: '${draft.text}', choices: [fine]}
  - id: answer
    model: medium
    prompt: "Sum this up: ${signal.text}"
  - say: {text: '${answer.text}'}
`

// listens gives what a visitor is told as it comes, till the context ends.
func listens(ctx context.Context, t *testing.T, url, key string) <-chan map[string]any {
	t.Helper()
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, url, nil)
	if err != nil {
		t.Fatal(err)
	}
	request.Header.Set("Authorization", "Visitor "+key)
	response, err := http.DefaultClient.Do(request)
	if err != nil || response.StatusCode != http.StatusOK {
		t.Fatalf("%v %v", response, err)
	}
	lines := make(chan map[string]any, 1000)
	ready := make(chan struct{})
	go func() {
		defer response.Body.Close()
		for in, first := bufio.NewScanner(response.Body), true; in.Scan(); first = false {
			var line map[string]any
			if json.Unmarshal(in.Bytes(), &line) == nil {
				lines <- line
			}
			if first {
				close(ready)
			}
		}
		close(lines)
	}()
	<-ready
	return lines
}

// pieces are the words that came so far.
func pieces(lines <-chan map[string]any) (out []string) {
	for range len(lines) {
		if piece, is := (<-lines)["piece"].(string); is {
			out = append(out, piece)
		}
	}
	return out
}

// TestAVisitorHearsWordsAsTheyCome listens to a conversation: what is said as it is
// comes word by word, what a person looks over first does not, and nobody else hears any.
func TestAVisitorHearsWordsAsTheyCome(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t, "-pace", "5ms")
	if err := with(t, s, "spoken", spoken); err != nil {
		t.Fatal(err)
	}
	ctx, leave := context.WithCancel(harness.Context(t))
	mine := &visitor{t: t, url: s.URL + "/talk/spoken/messages", key: strings.Repeat("mine", 8)}
	words := listens(ctx, t, s.URL+"/talk/spoken/words", mine.key)
	others := listens(ctx, t, s.URL+"/talk/spoken/words", strings.Repeat("other", 6))
	mine.says("The ram sale was wet and long. Nobody minded.")
	d := s.RunOf("spoken", "waits for the owner", func(d wire.Detail) bool { return d.Status == run.Waiting })
	if early := pieces(words); len(early) > 0 {
		t.Errorf("%q came while somebody looks it over", early)
	}
	if _, err := s.As("Elin").Decide(ctx, s.OpenReview(d).ID, wire.Decision{Choice: "fine"}); err != nil {
		t.Fatal(err)
	}
	var heard []string
	for said := false; !said; {
		select {
		case line := <-words:
			if piece, is := line["piece"].(string); is {
				heard = append(heard, piece)
			}
			said = line["said"] == true && len(heard) > 0
		case <-time.After(20 * time.Second):
			t.Fatalf("nothing was said after %q", heard)
		}
	}
	if len(heard) < 5 || strings.Join(heard, "") != "The ram sale was wet and long." {
		t.Errorf("heard %q", heard)
	}
	mine.hears("The ram sale was wet and long.")
	if theirs := pieces(others); len(theirs) > 0 {
		t.Errorf("somebody else heard %q", theirs)
	}
	leave()
	for range words { // it ends
	}
}
