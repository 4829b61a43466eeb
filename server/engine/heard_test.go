package engine

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"woolsignal/core/run"
)

// visits says something on a page as a visitor does, hears what is said till the run has
// ended, and gives it with what was written down.
func visits(t *testing.T, e *Engine, words string) (heard, kept string) {
	t.Helper()
	conversation := run.Conversation{Source: "/talk/desk", Thread: "t1"}
	news, end := e.Hub.ListenTo(run.Thread{Workflow: "desk", Conversation: conversation}.String())
	defer end()
	ticket, err := e.Receive(context.Background(), "desk", &run.Signal{ID: words, Kind: "chat",
		Source: conversation.Source, Trigger: "page", Thread: conversation.Thread, Text: words, Stranger: true})
	if err != nil {
		t.Fatal(err)
	}
	for over := false; !over; {
		n := <-news
		if n.Kind == "piece" && n.Aloud {
			heard += n.Text
		}
		over = n.Kind == "run" && n.Run == ticket.Run && run.Status(n.Status).Ended()
	}
	if s := ends(t, e, ticket.Run); s.Status != run.Done {
		t.Fatalf("the run is %s: %s", s.Status, s.Because)
	}
	rows, err := e.column(context.Background(), "SELECT text FROM messages WHERE who = 'agent' ORDER BY n")
	if err != nil {
		t.Fatal(err)
	}
	return heard, strings.Join(rows, "\n")
}

// desk is a page whose agent's, or model's, words are said as they are.
func desk(step string) string {
	return "workflow: desk\ntitle: Desk\ntriggers:\n  - {id: page, chat: {page: desk, open: true}}\nsteps:\n  - " +
		step + "\n  - say: {text: '${m.text}'}\n"
}

// TestVisitorsHearWhatIsSaidAndNothingElse has an agent write words beside a call.
func TestVisitorsHearWhatIsSaidAndNothingElse(t *testing.T) {
	const aside, answer = "This one owes us 900 pounds, so I look first.", "Yes, on Monday."
	for stream, want := range map[string]string{"": answer, "stream: answers\n": answer,
		"stream: all\n": aside + "\n" + answer} {
		t.Run(stream, func(t *testing.T) {
			e, _, _ := thinking(t, map[string]string{"agents/clerk.yaml": clerk("  - things/find\n") + stream,
				"workflows/desk.yaml": desk("{id: m, agent: clerk, task: '${signal.text}'}")}, func(p prompt) reply {
				if strings.Contains(p.all(), "tool: ") {
					return reply{text: answer}
				}
				return reply{text: aside, tool: "things/find", args: map[string]any{}}
			})
			heard, kept := visits(t, e, "May I come?")
			if stays := strings.ReplaceAll(want, "\n", ""); kept != want || heard != "" && heard != stays ||
				heard == "" && want != answer {
				t.Errorf("a visitor heard %q, and what stays is %q, not %q", heard, kept, want)
			}
		})
	}
}

// TestWhatBrokeOffStaysMarked has a filter cut an answer that a visitor heard: what they
// heard stays, marked, and the next words stand behind it.
func TestWhatBrokeOffStaysMarked(t *testing.T) {
	const cut = "The buyers of lot 14 were"
	e, bed, _ := thinking(t, map[string]string{"workflows/desk.yaml": desk(
		"{id: m, model: small, prompt: '${signal.text}', if_fails: {do: [{compute: {a: '1'}}], " +
			"gives: {text: 'I may not say.'}}}")},
		func(prompt) reply { return reply{text: cut, finish: "content_filter"} })
	heard, kept := visits(t, e, "Who buys?")
	if heard != cut || kept != cut+"\nI may not say." {
		t.Errorf("a visitor heard %q, and what stays is %q", heard, kept)
	}
	if n := counted(t, bed, `SELECT count(*) FROM messages WHERE text = '`+cut+
		`' AND rich LIKE '%"cut":true%'`); n != 1 {
		t.Error("what broke off is not marked")
	}
}

// TestNoSecretIsSpokenAloud has a model say what the vault keeps, in one piece and
// letter by letter.
func TestNoSecretIsSpokenAloud(t *testing.T) {
	const secret = "sk-live-0123456789abcdefghij"
	said := "The key is " + secret + ", keep it."
	for name, peers := range map[string]http.RoundTripper{"whole": &mind{think: func(prompt) reply {
		return reply{text: said}
	}}, "by letters": spelling{"one": said}} {
		t.Run(name, func(t *testing.T) {
			e, bed := among(t, peers, map[string]string{
				"workflows/desk.yaml": desk("{id: m, model: small, prompt: '${signal.text}'}")})
			bed.Give(t, bed.Workspace.Now().Workspace, "models", secret)
			heard, kept := visits(t, e, "What is the key?")
			if strings.Contains(heard, secret) || heard != kept || !strings.HasSuffix(heard, ", keep it.") {
				t.Errorf("a visitor heard %q, said was %q", heard, kept)
			}
		})
	}
}

// spelling streams what models say letter by letter: of those that are told one of the
// words.
type spelling map[string]string

func (s spelling) RoundTrip(r *http.Request) (*http.Response, error) {
	body, err := io.ReadAll(r.Body)
	if err != nil {
		return nil, err
	}
	text := s["one"]
	for word, says := range s {
		if strings.Contains(string(body), "You are "+word) {
			text = says
		}
	}
	in, out := io.Pipe()
	go func() {
		for _, letter := range text {
			const event = "data: {\"model\":\"small\",\"choices\":[{\"delta\":{\"content\":%q}}]}\n\n"
			fmt.Fprintf(out, event, string(letter))
		}
		fmt.Fprint(out, "data: {\"choices\":[{\"delta\":{},\"finish_reason\":\"stop\"}]}\n\ndata: [DONE]\n\n")
		_ = out.Close()
	}()
	return &http.Response{StatusCode: 200, Status: "200 OK",
		Header: http.Header{"Content-Type": {"text/event-stream"}}, Body: in}, nil
}

// TestOneVoiceIsHeardAtATime has two agents write in a conversation at once.
func TestOneVoiceIsHeardAtATime(t *testing.T) {
	files := map[string]string{"workflows/desk.yaml": "workflow: desk\ntitle: Desk\ntriggers:\n  - {id: page, chat: " +
		"{page: desk}}\nsteps:\n  - together:\n      branches:\n"}
	for _, id := range []string{"One", "Two"} {
		low := strings.ToLower(id)
		files["agents/"+low+".yaml"] = "agent: " + low + "\ntitle: " + id + "\npurpose: Helps.\nmodel: small\n" +
			"instructions: Help.\n"
		files["workflows/desk.yaml"] += "        - id: " + low + "_way\n          do:\n            - {id: m, agent: " +
			low + ", task: '${signal.text}'}\n            - say: {text: '${m.text}'}\n"
	}
	one, two := "aaaaaaaaaa", "bbbbbbbbbb"
	e, _ := among(t, spelling{"One": one, "Two": two}, files)
	heard, kept := visits(t, e, "Hello")
	if mixed := strings.NewReplacer(one, "", two, "").Replace(heard); mixed != "" {
		t.Errorf("mixed among what is heard: %q", mixed)
	}
	if !strings.Contains(kept, one) || !strings.Contains(kept, two) || heard == "" {
		t.Errorf("heard %q, said was %q", heard, kept)
	}
}
