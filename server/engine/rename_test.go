package engine

import (
	"context"
	"fmt"
	"maps"
	"strings"
	"testing"

	"woolsignal/core/run"
)

// pageDesk begins a workflow that answers on a page.
const pageDesk = "workflow: desk\ntitle: Desk\ntriggers:\n  - {id: page, chat: {page: desk}}\n"

// talk is a message to the page.
func talk(t *testing.T, e *Engine, workflow, id, text string) string {
	t.Helper()
	ticket, err := e.Receive(context.Background(), workflow, &run.Signal{ID: id, Kind: "chat", Source: "/talk/desk",
		Trigger: "page", Thread: "t1", Text: text})
	if err != nil {
		t.Fatal(err)
	}
	return ticket.Run
}

// A conversation goes on while its workflow gets another name: what is under way answers in it, and what comes next
// waits its turn behind that.
func TestAConversationOutlastsARename(t *testing.T) {
	asked, free := make(chan struct{}, 2), make(chan struct{})
	e, bed, _ := thinking(t, map[string]string{
		"workflows/desk.yaml": pageDesk + "steps:\n  - {id: m, model: small, prompt: '${signal.text}'}\n" +
			"  - say: {text: '${m.text}'}\n",
	}, func(p prompt) reply { asked <- struct{}{}; <-free; return reply{text: "To " + p.last()} })
	first := talk(t, e, "desk", "1", "Is it free?")
	<-asked
	heard, done := e.Hub.ListenTo(threadOf("desk"))
	defer done()
	if problems, err := bed.Workspace.Rename(context.Background(), "desk", "berths", "x"); err != nil {
		t.Fatal(err, problems)
	}
	second := talk(t, e, "berths", "2", "Hello?")
	if s := becomes(t, e, second, run.Queued); s.Status != run.Queued {
		t.Errorf("the second is %s beside the first", s.Status)
	}
	close(free)
	becomes(t, e, first, run.Done)
	becomes(t, e, second, run.Done)
	want := "person Is it free?|person Hello?|agent To Is it free?|agent To Hello?"
	if got := said(t, e, threadOf("berths")); got != want {
		t.Errorf("the conversation is %s", got)
	}
	if n := counted(t, bed, "SELECT count(*) FROM messages WHERE thread LIKE 'desk:%'"); n > 0 {
		t.Errorf("%d messages stand where nobody sees them any more", n)
	}
	for n := range heard { // who listened when it had its old name hears the end
		if n.Kind == "message" && n.Run == second {
			break
		}
	}
}

func threadOf(workflow string) string {
	return run.Thread{Workflow: workflow, Conversation: run.Conversation{Source: "/talk/desk", Thread: "t1"}}.String()
}

// said is what was said in a conversation, and by whom.
func said(t *testing.T, e *Engine, thread string) string {
	t.Helper()
	rows, err := e.store.Read().Query("SELECT who, text FROM messages WHERE thread = ? AND who != 'note' ORDER BY n",
		thread)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	var out []string
	for rows.Next() {
		var who, text string
		if err := rows.Scan(&who, &text); err != nil {
			t.Fatal(err)
		}
		out = append(out, who+" "+text)
	}
	return strings.Join(out, "|")
}

// Of many conversations that go on while a workflow is renamed again and again, none loses a word, and lists that are
// made anew have everything under the last name; the name that is free again may be taken by another workflow.
func TestNothingIsLostWhileRenaming(t *testing.T) {
	e, bed, _ := thinking(t, map[string]string{
		"workflows/desk.yaml": pageDesk + "limits: {at_once: 3, same: {by: signal.thread, at_once: 1}}\n" +
			"steps:\n  - {id: m, model: small, prompt: '${signal.text}'}\n  - say: {text: '${m.text}'}\n",
	}, func(p prompt) reply { return reply{text: "To " + p.last()} })
	ctx, names := context.Background(), []string{"desk", "berths", "moorings", "desk", "slips"}
	var ids []string
	for i, name := range names {
		for n := range 10 {
			words := fmt.Sprint(i, "-", n)
			ticket, err := e.Receive(ctx, name, &run.Signal{ID: words, Kind: "chat", Source: "/talk/desk",
				Trigger: "page", Thread: fmt.Sprint("t", n%4), Text: words})
			if err != nil {
				t.Fatal(err)
			}
			ids = append(ids, ticket.Run)
		}
		if i+1 < len(names) {
			if problems, err := bed.Workspace.Rename(ctx, name, names[i+1], "x"); err != nil {
				t.Fatal(err, problems)
			}
		}
	}
	for _, id := range ids {
		becomes(t, e, id, run.Done)
	}
	files := maps.Clone(bed.Workspace.Now().Files)
	files["workflows/desk.yaml"] = pageDesk + "steps:\n  - say: {text: 'Somebody else.'}\n"
	files["workflows/desk.yaml"] = strings.ReplaceAll(files["workflows/desk.yaml"], "page: desk", "page: other")
	bed.Add(t, files)
	other := talk(t, e, "desk", "other", "Hello?")
	becomes(t, e, other, run.Done)
	count := func(when string) {
		t.Helper()
		if n := counted(t, bed, "SELECT count(*) FROM runs WHERE workflow = 'slips'"); n != len(ids) {
			t.Errorf("%s, %d of %d runs are those of the workflow", when, n, len(ids))
		}
		for who := range strings.SplitSeq("person|agent", "|") {
			if n := counted(t, bed, "SELECT count(*) FROM messages WHERE thread LIKE 'slips:%' AND who = '"+who+
				"'"); n != len(ids) {
				t.Errorf("%s, %d of %d messages stand in its conversations (%s)", when, n, len(ids), who)
			}
		}
		if n := counted(t, bed, "SELECT count(*) FROM runs WHERE workflow = 'desk'"); n != 1 {
			t.Errorf("%s, %d runs are those of the workflow that has the free name now", when, n)
		}
	}
	count("as it went")
	e.Stop(ctx)
	if _, err := e.Rebuild(ctx); err != nil {
		t.Fatal(err)
	}
	count("made anew")
}
