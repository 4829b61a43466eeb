package e2e_test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"woolsignal/e2e/harness"
)

// TestTheWholeThreadByCommandLine does what the README's walk does, with
// nothing but the command line.
func TestTheWholeThreadByCommandLine(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	run := func(who string, args ...string) string {
		t.Helper()
		out, errs, code := s.Command(who, "", args...)
		if code != 0 {
			t.Fatalf("woolsignal %s: exit %d\n%s%s", strings.Join(args, " "), code, out, errs)
		}
		return out
	}
	decode := func(text string, into any) {
		t.Helper()
		if err := json.Unmarshal([]byte(text), into); err != nil {
			t.Fatalf("%v in %s", err, text)
		}
	}
	if out := run("Ines", "chat", "-workflow", "depot-slots", "-thread", "t1",
		"Can I bring 30 fleeces on Thursday morning?"); !strings.Contains(out, "Which farm") {
		t.Errorf("chat: %q", out)
	}
	// Flags may stand behind the arguments.
	if out := run("Ines", "chat", "Hollin Bank", "-thread", "t1", "-workflow", "depot-slots"); !strings.Contains(out,
		"You are booked") {
		t.Errorf("chat: %q", out)
	}
	var chatted struct {
		Run, Status string
		Reviews     []struct{ ID string }
	}
	decode(run("Ines", "chat", "-workflow", "depot-slots", "-thread", "t1", "-json", "Cancel it"), &chatted)
	if chatted.Status != "waiting" || len(chatted.Reviews) != 1 {
		t.Fatalf("chat -json: %+v", chatted)
	}
	if out := run("Ines", "chat", "-workflow", "depot-slots", "-thread", "t1", "And?"); !strings.Contains(out,
		"comes next") || !strings.Contains(out, chatted.Run) {
		t.Errorf("chat behind a run that waits: %q", out)
	}
	if out := run("Tobias", "reviews"); !strings.Contains(out, chatted.Reviews[0].ID) || !strings.Contains(out, "yes") {
		t.Errorf("reviews: %s", out)
	}
	if _, errs, code := s.Command("Ines", "", "answer", "-approve", chatted.Reviews[0].ID); code != 1 ||
		!strings.Contains(errs, "the grading lead") {
		t.Errorf("deciding what is not one's own: exit %d, %q", code, errs)
	}
	if out := run("Tobias", "answer", "-approve", "-edit", "reason=Trailer is off the road",
		chatted.Reviews[0].ID); !strings.Contains(out, chatted.Run) {
		t.Errorf("review: %s", out)
	}
	s.Ended(chatted.Run)
	out := run("Ines", "runs", chatted.Run)
	for _, want := range []string{"Depot slots  done", "turn 1", "bellwether-medium",
		"used depot-calendar/remove_event", "Tobias Quill: approve",
		"changed reason from Cancel it to Trailer is off the road", "GBP", "is cancelled"} {
		if !strings.Contains(out, want) {
			t.Errorf("run does not say %q:\n%s", want, out)
		}
	}
	if out := run("Ines", "runs", "-workflow", "depot-slots"); strings.Count(out, "depot-slots") != 4 {
		t.Errorf("runs:\n%s", out)
	}
	var detail struct{ Steps []any }
	decode(run("Ines", "runs", "-json", chatted.Run), &detail)
	var journal []any
	decode(run("Ines", "runs", "-journal", chatted.Run), &journal)
	if len(detail.Steps) != 5 || len(journal) < 3 {
		t.Errorf("run -json has %d steps, -journal %d entries", len(detail.Steps), len(journal))
	}
	for _, list := range [][]string{{"workflows", "-json"}, {"workflows", "weighbridge", "-json"}, {"runs", "-json"},
		{"reviews", "-decided", "-json"}, {"connections", "-json"}} {
		var v any
		decode(run("Ines", list...), &v)
	}
	if out := run("Ines", "workflows", "weighbridge"); !strings.Contains(out, "if kg of net is at most 0") ||
		!strings.Contains(out, "Answer the caller with 201") {
		t.Errorf("a workflow as sentences:\n%s", out)
	}
}

func TestCancelLetsTheNextMessageGo(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	book(t, s, "t1")
	waiting := s.Talk("t1", "Cancel it")
	heard, err := s.As("Ines").Say(harness.Context(t), "depot-slots", "t1", "What about Friday afternoon instead?")
	if err != nil {
		t.Fatal(err)
	}
	if _, errs, code := s.Command("Tobias", "", "stop", waiting.ID); code != 1 ||
		!strings.Contains(errs, "needs the role builder") {
		t.Errorf("a reviewer stopped a run: exit %d %q", code, errs)
	}
	if out, errs, code := s.Command("Ines", "", "stop", "-note", "asked by mistake", waiting.ID); code != 0 ||
		!strings.Contains(out, "stopped by Ines Faro: asked by mistake") {
		t.Errorf("cancel: exit %d %q %q", code, out, errs)
	}
	if _, errs, code := s.Command("Ines", "", "stop", waiting.ID); code != 1 ||
		!strings.Contains(errs, "ended already") {
		t.Errorf("cancelling twice: exit %d %q", code, errs)
	}
	asked(t, s, heard.Run) // whether the slot is to be moved
	s.Talk("t1", "Yes")
	if d := s.Ended(heard.Run); d.Status != "done" {
		t.Errorf("the message behind it: %s %s", d.Status, d.Because)
	}
	if open, err := s.As("Tobias").Reviews(harness.Context(t), false); err != nil || len(open) != 0 {
		t.Errorf("reviews of a stopped run are still open: %v %v", open, err)
	}
}

func TestMisuseAndTrouble(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	for name, c := range map[string]struct {
		who  string
		args []string
		code int
		want string
	}{
		"nothing":           {"Ines", nil, 2, "COMMAND"},
		"unknown command":   {"Ines", []string{"shear"}, 2, "no command shear"},
		"unknown flag":      {"Ines", []string{"runs", "-colour"}, 2, "usage: woolsignal runs"},
		"no workflow":       {"Ines", []string{"chat", "hello"}, 2, "-workflow is missing"},
		"too few arguments": {"Ines", []string{"stop"}, 2, "usage: woolsignal stop"},
		"no choice":         {"Ines", []string{"answer", "rv-x"}, 2, "one of -approve, -decline and -choose"},
		"nobody's journal":  {"Ines", []string{"runs", "-journal"}, 2, "a journal is one run's"},
		"no such run":       {"Ines", []string{"runs", "nosuch"}, 1, "no such run: nosuch"},
		"no such review":    {"Ines", []string{"reviews", "rv-nosuch"}, 1, "no review rv-nosuch"},
		"bad limit":         {"Ines", []string{"runs", "-limit", "900"}, 1, "1 to 200"},
		"no token":          {"", []string{"runs"}, 1, "WOOLSIGNAL_TOKEN"},
		"no folder":         {"Ines", []string{"check", "/nowhere"}, 1, "no folder /nowhere"},
		"help":              {"Ines", []string{"help"}, 0, "woolsignal COMMAND"},
	} {
		out, errs, code := s.Command(c.who, "", c.args...)
		if code != c.code || !strings.Contains(out+errs, c.want) {
			t.Errorf("%s: exit %d, %q, want %d and %q", name, code, out+errs, c.code, c.want)
		}
	}
}

func TestCheckAndApply(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	folder := filepath.Join(s.Data, "workspace")
	if out, _, code := s.Command("Ines", "", "check", folder); code != 0 ||
		!strings.Contains(out, "0 problems, 3 remarks") {
		t.Errorf("checking the demo's files: exit %d\n%s", code, out)
	}
	if out, _, code := s.Command("Ines", "", "apply", folder); code != 0 ||
		!strings.Contains(out, "already has exactly") {
		t.Errorf("applying what is there: exit %d\n%s", code, out)
	}
	file := filepath.Join(folder, "workflows", "weighbridge.yaml")
	text, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	write := func(content string) {
		t.Helper()
		if err := os.WriteFile(file, []byte(content), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	write(strings.Replace(string(text), "kg: ${net.kg}\n      shrinkage", "kg: ${net.kgs}\n      shrinkage", 1))
	if out, _, code := s.Command("Ines", "", "apply", folder, "-yes"); code != 1 ||
		!strings.Contains(out, "net.kgs: there is no kgs") || !strings.Contains(out, "net has kg, notes, shrinkage") ||
		!strings.Contains(out, "Nothing was changed") {
		t.Errorf("applying a mistake: exit %d\n%s", code, out)
	}
	write("# our own words\n" + string(text))
	if out, _, code := s.Command("Ines", "no\n", "apply", folder); code != 1 ||
		!strings.Contains(out, "changed  workflows/weighbridge.yaml") || !strings.Contains(out, "Nothing was changed") {
		t.Errorf("saying no: exit %d\n%s", code, out)
	}
	if out, _, code := s.Command("Ines", "yes\n", "apply", folder); code != 0 || !strings.Contains(out, "Applied") {
		t.Errorf("saying yes: exit %d\n%s", code, out)
	}
	files, err := s.As("Ines").Files(harness.Context(t))
	if err != nil || files["workflows/weighbridge.yaml"] != "# our own words\n"+string(text) {
		t.Errorf("what came back is not byte for byte what went in: %v", err)
	}
	copied := filepath.Join(t.TempDir(), "copy")
	if out, _, code := s.Command("Ines", "", "export", copied); code != 0 ||
		!strings.Contains(out, fmt.Sprintf("%d files written", len(files))) {
		t.Errorf("exporting: exit %d\n%s", code, out)
	}
	if out, _, code := s.Command("Ines", "", "apply", copied); code != 0 ||
		!strings.Contains(out, "already has exactly") {
		t.Errorf("applying what was exported: exit %d\n%s", code, out)
	}
	other := filepath.Join(copied, "workflows", "weighbridge.yaml")
	if err := os.WriteFile(other, []byte("mine"), 0o644); err != nil {
		t.Fatal(err)
	}
	if out, _, code := s.Command("Ines", "no\n", "export", copied); code != 1 ||
		!strings.Contains(out, "changed  workflows/weighbridge.yaml") {
		t.Errorf("exporting over a change: exit %d\n%s", code, out)
	}
	if kept, err := os.ReadFile(other); err != nil || string(kept) != "mine" {
		t.Errorf("a no was not heard: %q %v", kept, err)
	}
	if _, errs, code := s.Command("Tobias", "", "apply", folder, "-yes"); code != 1 ||
		!strings.Contains(errs, "builder") {
		t.Errorf("a reviewer applied files: exit %d %q", code, errs)
	}
}

// TestARealModelServerIsOneFileAway points the models' connection at another
// server: nothing else changes.
func TestARealModelServerIsOneFileAway(t *testing.T) {
	t.Parallel()
	s, other := harness.Demo(t), harness.Demo(t)
	folder := filepath.Join(s.Data, "workspace")
	file := filepath.Join(folder, "connections", "models.yaml")
	text, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	changed := strings.Replace(string(text), s.Standins["bellwether"], other.Standins["bellwether"], 1)
	if err := os.WriteFile(file, []byte(strings.Replace(changed, "name: bellwether-medium",
		"name: bellwether-large", 1)), 0o644); err != nil {
		t.Fatal(err)
	}
	if out, errs, code := s.Command("Ines", "", "apply", "-yes", folder); code != 0 {
		t.Fatalf("apply: %s%s", out, errs)
	}
	if d := s.Talk("t1", "hello"); !strings.Contains(d.Because, "was given for "+s.Standins["bellwether"]) ||
		!strings.Contains(d.Because, "woolsignal connect") {
		t.Errorf("with the old key: %s %q", d.Status, d.Because)
	}
	key, err := os.ReadFile(filepath.Join(other.Data, "standins.json"))
	if err != nil {
		t.Fatal(err)
	}
	var kept struct{ Keys struct{ Bellwether string } }
	if err := json.Unmarshal(key, &kept); err != nil {
		t.Fatal(err)
	}
	if out, errs, code := s.Command("Ines", kept.Keys.Bellwether+"\n", "connect", "models"); code != 0 ||
		strings.Contains(out+errs, kept.Keys.Bellwether) {
		t.Fatalf("connect: exit %d %q %q", code, out, errs)
	}
	d := s.Talk("t1", "Can I bring 30 fleeces on Thursday morning?")
	if agent := stepOf(t, d, "answer").Agent; agent == nil || agent.Turns[0].Model != "bellwether-large" {
		t.Errorf("%s %s: %+v", d.Status, d.Because, agent)
	}
	if len(s.Ledger("bellwether")) != 0 {
		t.Error("the old server was still asked")
	}
}

// TestStartSaysHowAWorkflowIsStartedInstead starts one that a schedule starts.
func TestStartSaysHowAWorkflowIsStartedInstead(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	_, errs, code := s.Command("Ines", "", "start", "store-watch")
	if code == 0 || !strings.Contains(errs, "It starts by itself: Every 15 minutes") {
		t.Fatalf("exit %d: %s", code, errs)
	}
	_, command, _ := strings.Cut(errs, "woolsignal start store-watch -signal '")
	signal, _, _ := strings.Cut(command, "'")
	if out, errs, code := s.Command("Ines", "", "start", "store-watch", "-signal", signal); code != 0 {
		t.Errorf("what it says to do: exit %d %s%s", code, out, errs)
	}
}

// TestChatPrintsTheLastTurnWithItsButtons goes through a conversation that one run
// holds, and writes on after its first question.
func TestChatPrintsTheLastTurnWithItsButtons(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	say := func(words string) string {
		t.Helper()
		out, errs, code := s.Command("Ines", "", "chat", "-workflow", "front-door", "-thread", "t1", words)
		if code != 0 {
			t.Fatalf("%s: exit %d %s", words, code, errs)
		}
		return out
	}
	if out := say("Good morning"); !strings.Contains(out, "What is it about?") ||
		!strings.Contains(out, "[answer with: ") {
		t.Errorf("the first turn is\n%s", out)
	}
	if out := say("1"); !strings.Contains(out, "number of your holding") || strings.Contains(out, "What is it about?") {
		t.Errorf("the second turn is\n%s", out)
	}
}
