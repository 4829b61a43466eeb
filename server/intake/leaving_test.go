package intake_test

import (
	"context"
	"fmt"
	"log/slog"
	"maps"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/go-chi/chi/v5"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/engine"
	"woolsignal/server/intake"
	"woolsignal/server/testbed"
	"woolsignal/server/workspace"
)

// waits is a workflow that asks something, and waits for the answer to come to /in/answers.
const waits = "workflow: waits\ntitle: Waits\ninputs: {type: object}\nsteps:\n" +
	"  - id: answer\n    wait:\n      hear: {webhook: {path: answers, verify: standard, " +
	"subject: '${signal.body.lot}'}, answering: l9}\n      give_up_after: 2d\n"

// waiting starts a run that waits for an answer about lot l9.
func (g *gate) waiting() *engine.Ticket {
	g.t.Helper()
	g.with("workflows/waits.yaml", waits)
	if err := g.e.Start(context.Background()); err != nil {
		g.t.Fatal(err)
	}
	ticket, err := g.e.StartRun(context.Background(), "waits", false,
		&run.Signal{Kind: "called", Trigger: "called", Source: "/call", Body: map[string]any{}}, "")
	if err != nil {
		g.t.Fatal(err)
	}
	return ticket
}

// ends waits till a run is done.
func (g *gate) ends(ticket *engine.Ticket) {
	g.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	if err := ticket.Answered(ctx); err != nil {
		g.t.Fatal("the run goes on: ", err)
	}
	if s, err := g.e.Fold(ctx, ticket.Run); err != nil || s.Status != run.Done {
		g.t.Fatal(s.Status, err)
	}
}

// with makes the workspace have one more file, and makes it live.
func (g *gate) with(path, text string) {
	g.t.Helper()
	files := maps.Clone(g.bed.Workspace.Now().Files)
	files[path] = text
	g.bed.Add(g.t, files)
}

// publish makes a workflow live as a file says.
func publish(t *testing.T, bed *testbed.Bed, workflow, text string) {
	t.Helper()
	ctx, files := context.Background(), maps.Clone(bed.Workspace.Now().Files)
	files["workflows/"+workflow+".yaml"] = text
	if problems, err := bed.Workspace.Apply(ctx, workspace.Change{Files: files, By: "x"}); err != nil {
		t.Fatal(err, problems)
	}
	if _, problems, err := bed.Workspace.Publish(ctx, workflow, "", "x"); err != nil {
		t.Fatal(err, problems)
	}
}

// leaves are ways a workflow stops being started as its runs know it.
var leaves = map[string]func(*testing.T, *testbed.Bed){
	"published without its wait": func(t *testing.T, bed *testbed.Bed) {
		publish(t, bed, "waits", "workflow: waits\ntitle: Waits\ninputs: {type: object}\nsteps:\n"+
			"  - compute: {a: '1'}\n")
	},
	"switched off": func(t *testing.T, bed *testbed.Bed) {
		if err := bed.Workspace.Switch(context.Background(), "waits", false); err != nil {
			t.Fatal(err)
		}
	},
	"deleted": func(t *testing.T, bed *testbed.Bed) {
		files := maps.Clone(bed.Workspace.Now().Files)
		delete(files, "workflows/waits.yaml")
		change := workspace.Change{Files: files, By: "x"}
		if problems, err := bed.Workspace.Apply(context.Background(), change); err != nil {
			t.Fatal(err, problems)
		}
	},
}

// answers sends an answer about a lot, signed.
func (g *gate) answers(id, lot string) (int, string) {
	g.t.Helper()
	body := fmt.Appendf(nil, `{"lot": %q}`, lot)
	return g.send("POST", "/in/answers", signed(g.t, id, "application/json", time.Now(), body), body)
}

// What listens is what waits say, whatever is live by now; once nothing goes on that could wait, nothing does.
func TestAWaitingRunHearsWhateverIsLiveByNow(t *testing.T) {
	for how, leave := range leaves {
		t.Run(how, func(t *testing.T) {
			g := open(t)
			ticket := g.waiting()
			leave(t, g.bed)
			if status, words := g.answers("d1", "l8"); status != http.StatusAccepted {
				t.Errorf("an answer nobody waits for yet is answered %d %s", status, words)
			}
			if status, words := g.answers("d2", "l9"); status != http.StatusAccepted ||
				!strings.Contains(words, ticket.Run) {
				t.Errorf("the answer that is waited for is answered %d %s", status, words)
			}
			g.ends(ticket)
			if status, words := g.answers("d3", "l9"); status != http.StatusNotFound {
				t.Errorf("after the last run ended, an answer is answered %d %s", status, words)
			}
		})
	}
}

// A path at which runs wait may start another workflow: what a run waits for goes to it, once; the rest starts that.
func TestAPathIsSharedWithThoseWhoWait(t *testing.T) {
	g := open(t)
	ticket := g.waiting()
	leaves["published without its wait"](t, g.bed)
	g.with("workflows/other.yaml", "workflow: other\ntitle: Other\ntriggers:\n  - id: in\n"+
		"    webhook: {path: answers, verify: plain}\nsteps:\n  - compute: {x: signal.body}\n")
	var remark flow.Problem
	for _, p := range g.bed.Workspace.Now().Problems {
		if p.File == "workflows/other.yaml" {
			remark = p
		}
	}
	if remark.Severity != flow.Remark || !strings.Contains(remark.What, "runs of waits go on") {
		t.Errorf("the checker says %+v of the path", remark)
	}
	if status, words := g.answers("d1", "l8"); status != http.StatusUnauthorized {
		t.Errorf("what nobody waits for, and the other's key does not verify, is answered %d %s", status, words)
	}
	for range 2 { // its sender did not hear that it was taken
		if status, words := g.answers("d2", "l9"); status != http.StatusAccepted {
			t.Errorf("the answer that is waited for is answered %d %s", status, words)
		}
	}
	g.ends(ticket)
	if err := g.bed.Workspace.Reread(context.Background()); err != nil { // nothing of it is left to listen
		t.Fatal(err)
	}
	g.with("workflows/other.yaml", strings.Replace(g.bed.Workspace.Now().Files["workflows/other.yaml"], "plain",
		"standard", 1))
	if status, words := g.answers("d2", "l9"); status != http.StatusAccepted || !strings.Contains(words, ticket.Run) {
		t.Errorf("sent again long after, by the same key, it is answered %d %s", status, words)
	}
	g.with("workflows/other.yaml", strings.Replace(g.bed.Workspace.Now().Files["workflows/other.yaml"], "standard",
		"plain", 1))
	if n, _ := g.runs("other"); n != 0 {
		t.Errorf("what was waited for started %d runs beside", n)
	}
	body := []byte(`{"delivery": {"id": "d4"}, "lot": "l9"}`)
	status, words := g.send("POST", "/in/answers", scaled(time.Now().Unix(), body), body)
	if status != http.StatusAccepted {
		t.Errorf("what is for the other workflow is answered %d %s", status, words)
	}
	if n, _ := g.runs("other"); n != 1 {
		t.Errorf("it started %d runs", n)
	}
}

// Who is in a conversation with a run goes on in it after the page was switched off; nobody begins another there.
func TestAVisitorGoesOnWhereThePageWasSwitchedOff(t *testing.T) {
	g := open(t)
	g.with("workflows/desk.yaml", "workflow: desk\ntitle: Desk\ntriggers:\n"+
		"  - {id: page, chat: {page: desk, open: true}}\nsteps:\n  - id: many\n"+
		"    question: {text: 'How many fleeces?', valid: {type: number}, within: 1h}\n")
	ctx := context.Background()
	if err := g.e.Start(ctx); err != nil {
		t.Fatal(err)
	}
	pages := httptest.NewServer(talkedTo(g))
	t.Cleanup(pages.Close)
	g.url = pages.URL
	says := func(who, id, text string) int {
		t.Helper()
		status, _ := g.send("POST", "/talk/desk/messages",
			map[string]string{"Authorization": "Visitor " + strings.Repeat(who, 30)},
			fmt.Appendf(nil, `{"id": %q, "text": %q}`, id, text))
		return status
	}
	if status := says("a", "1", "May I come?"); status != http.StatusAccepted {
		t.Fatal("a visitor's first words are answered ", status)
	}
	news, end := g.e.Hub.Listen()
	defer end()
	if err := g.bed.Workspace.Switch(ctx, "desk", false); err != nil {
		t.Fatal(err)
	}
	if status := says("b", "1", "May I come too?"); status != http.StatusNotFound {
		t.Errorf("who comes after it was switched off is answered %d", status)
	}
	for status := 0; status != http.StatusAccepted; { // its question is put a moment after the first words are taken in
		if status = says("a", "2", "12"); status != http.StatusAccepted && status != http.StatusNotFound {
			t.Fatalf("the answer to the question is answered %d", status)
		} else if status == http.StatusNotFound {
			<-news
		}
	}
	for n := range news {
		if n.Workflow == "desk" && n.Status == string(run.Done) {
			break
		}
	}
	if n, _ := g.runs("desk"); n != 1 {
		t.Errorf("%d runs were started", n)
	}
}

// talkedTo are the pages visitors write on.
func talkedTo(g *gate) http.Handler {
	r := chi.NewRouter()
	r.Handle("/talk/{page}/messages", &intake.Hosted{Workspace: g.bed.Workspace, Engine: g.e,
		Log: slog.New(slog.DiscardHandler), Limits: intake.NewLimits()})
	return r
}

// dials posts a turn of a call to the line.
func (g *gate) dials(path, form string) string {
	g.t.Helper()
	_, answer := g.send(http.MethodPost, "/call/"+path, map[string]string{"Authorization": "Bearer " + plainKey,
		"Content-Type": "application/x-www-form-urlencoded"}, []byte(form))
	return answer
}

// A call that is under way is answered to its end though its workflow was switched off; nobody else is.
func TestACallGoesOnWhereItsLineWasSwitchedOff(t *testing.T) {
	g := open(t)
	g.with("workflows/bales.yaml", "workflow: bales\ntitle: Bales\ntriggers:\n  - id: line\n"+
		"    phone: {path: bales, verify: bearer}\nsteps:\n  - id: n\n    question:\n      text: How many bales?\n"+
		"      valid: {type: number}\n  - say: {text: 'We expect ${n.value}.'}\n")
	if words := g.dials("bales", "call=c1&said=hello"); !strings.Contains(words, "How many bales?") {
		t.Fatal(words)
	}
	if err := g.bed.Workspace.Switch(context.Background(), "bales", false); err != nil {
		t.Fatal(err)
	}
	if words := g.dials("bales", "call=c2&said=hello"); !strings.Contains(words, "Nobody answers here any more") {
		t.Errorf("somebody who calls by now hears %s", words)
	}
	if words := g.dials("bales", "call=c1&said=12"); !strings.Contains(words, "We expect 12.") {
		t.Errorf("whoever was asked hears %s", words)
	}
	if n, _ := g.runs("bales"); n != 1 {
		t.Errorf("%d runs started", n)
	}
	if words := g.dials("bales", "call=c3&said=hello"); !strings.Contains(words, "Nobody answers here any more") {
		t.Errorf("after the last call ended, somebody hears %s", words)
	}
}

// What is too large is told so where runs wait too, whoever listens at the path by now.
func TestWhatIsTooLargeIsToldSoWhereRunsWait(t *testing.T) {
	g := open(t)
	ticket := g.waiting()
	leaves["switched off"](t, g.bed)
	large := fmt.Appendf(nil, `{"lot": "l9", "notes": %q}`, strings.Repeat("x", 1<<20))
	status, words := g.send("POST", "/in/answers", signed(t, "d1", "application/json", time.Now(), large), large)
	if status != http.StatusRequestEntityTooLarge || !strings.Contains(words, "1048576 bytes") {
		t.Errorf("%d %s", status, words)
	}
	if status, words := g.answers("d2", "l9"); status != http.StatusAccepted {
		t.Errorf("the answer after it: %d %s", status, words)
	}
	g.ends(ticket)
}
