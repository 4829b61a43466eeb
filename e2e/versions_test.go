package e2e_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"woolsignal/client"
	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// edit changes one file of the demo's folder.
func edit(t *testing.T, path, old, new string) {
	t.Helper()
	text, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(string(text), old) {
		t.Fatalf("%s holds no %q", path, old)
	}
	if err := os.WriteFile(path, []byte(strings.Replace(string(text), old, new, 1)), 0o644); err != nil {
		t.Fatal(err)
	}
}

// does runs a command that must succeed and say something.
func does(t *testing.T, s *harness.Service, want string, args ...string) string {
	t.Helper()
	out, errs, code := s.Command("Ines", "", args...)
	if code != 0 || !strings.Contains(out, want) {
		t.Fatalf("%s: exit %d, %s%s; want %q", strings.Join(args, " "), code, out, errs, want)
	}
	return out
}

// fails runs a command that must fail and say why.
func fails(t *testing.T, s *harness.Service, want string, args ...string) {
	t.Helper()
	out, errs, code := s.Command("Ines", "", args...)
	if code == 0 || !strings.Contains(out+errs, want) {
		t.Errorf("%s: exit %d, %s%s; want %q", strings.Join(args, " "), code, out, errs, want)
	}
}

func TestDraftsVersionsAndGoingBack(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	folder := filepath.Join(s.Data, "workspace")
	script := filepath.Join(folder, "workflows", "depot-slots.yaml")
	edit(t, script, "text: ${answer.text}", "text: \"Second: ${answer.text}\"")
	does(t, s, "Not live yet: depot-slots", "apply", "-yes", folder)
	if d := s.Talk("t1", "hello"); strings.HasPrefix(s.Said("t1", d.ID), "Second") {
		t.Error("a draft answered")
	}
	does(t, s, "draft differs", "workflows")
	out := does(t, s, "from 1 to draft", "versions", "depot-slots", "-diff", ",draft")
	for _, want := range []string{"- Say text of answer", "+ Say “Second: [text of answer]”",
		"-      text: ${answer.text}", "workflows/depot-slots.yaml"} {
		if !strings.Contains(out, want) {
			t.Errorf("the difference does not say %q:\n%s", want, out)
		}
	}
	does(t, s, "live as version 2", "publish", "depot-slots", "-note", "clearer words")
	does(t, s, "live already", "publish")
	if d := s.Talk("t2", "hello"); !strings.HasPrefix(s.Said("t2", d.ID), "Second") {
		t.Error("what was published does not answer")
	}
	does(t, s, "back to version 1", "revert", "depot-slots", "1")
	if d := s.Talk("t3", "hello"); strings.HasPrefix(s.Said("t3", d.ID), "Second") {
		t.Error("going back changed nothing")
	}
	out = does(t, s, "clearer words", "versions", "depot-slots")
	if !strings.Contains(out, "3") || strings.Count(out, "live") < 1 {
		t.Errorf("versions:\n%s", out)
	}
	fails(t, s, "no such version", "revert", "depot-slots", "9")
	fails(t, s, "no such workflow", "publish", "nosuch")

	// What does not check is kept as a draft when asked, and never goes live.
	edit(t, script, "agent: depot-desk", "agent: depot-dusk")
	fails(t, s, "there is no agent depot-dusk", "apply", "-yes", folder)
	does(t, s, "Applied", "apply", "-yes", "-draft", folder)
	fails(t, s, "there is no agent depot-dusk", "publish")
	if d := s.Talk("t4", "hello"); d.Status != run.Done {
		t.Errorf("the live version no longer answers: %s", d.Because)
	}
}

func TestSwitchingOffAndPausing(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	does(t, s, "depot-slots is off", "off", "depot-slots")
	_, err := s.As("Ines").Say(harness.Context(t), "depot-slots", "t1", "hello")
	if err == nil || !strings.Contains(err.Error(), "switched off") {
		t.Errorf("a workflow that is off answers: %v", err)
	}
	does(t, s, "is on", "on", "depot-slots")
	does(t, s, "Everything is off", "off", "-all")
	heard, err := s.As("Ines").Say(harness.Context(t), "depot-slots", "t1", "hello")
	if err != nil {
		t.Fatal(err)
	}
	s.Kill()
	if d, err := s.As("Ines").Run(harness.Context(t), heard.Run); err != nil || d.Status != run.Queued {
		t.Errorf("during the pause: %s %v", d.Status, err)
	}
	does(t, s, "Everything is on", "on", "-all")
	if d := s.Ended(heard.Run); d.Status != run.Done {
		t.Errorf("after the pause: %s", d.Status)
	}
	fails(t, s, "give -all", "off")
}

func TestNobodysEditIsOverwritten(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	mine, theirs := filepath.Join(t.TempDir(), "mine"), filepath.Join(t.TempDir(), "theirs")
	does(t, s, " files written", "export", mine)
	does(t, s, " files written", "export", theirs)
	edit(t, filepath.Join(theirs, "workflows", "store-watch.yaml"), "title: Store watch", "title: Air watch")
	does(t, s, "Applied", "apply", "-yes", theirs)
	edit(t, filepath.Join(mine, "workflows", "store-watch.yaml"), "every: 15m", "every: 20m")
	edit(t, filepath.Join(mine, "workflows", "depot-slots.yaml"), "title: Depot slots", "title: Slots")
	fails(t, s, "Somebody changed these", "apply", "-yes", mine)
	files, err := s.As("Ines").Files(harness.Context(t))
	if err != nil || !strings.Contains(files["workflows/store-watch.yaml"], "Air watch") ||
		strings.Contains(files["workflows/depot-slots.yaml"], "title: Slots") {
		t.Errorf("something was overwritten or half applied (%v)", err)
	}
	copied, err := os.ReadFile(filepath.Join(mine, "workflows", ".theirs-store-watch.yaml"))
	if err != nil || string(copied) != files["workflows/store-watch.yaml"] {
		t.Errorf("theirs is not laid beside mine: %v", err)
	}
	edit(t, filepath.Join(mine, "workflows", "store-watch.yaml"), "title: Store watch", "title: Air watch")
	does(t, s, "Applied", "apply", "-yes", mine)
	files, err = s.As("Ines").Files(harness.Context(t))
	if err != nil || !strings.Contains(files["workflows/store-watch.yaml"], "Air watch") ||
		!strings.Contains(files["workflows/store-watch.yaml"], "every: 20m") {
		t.Errorf("what was brought together is not there (%v)", err)
	}
}

func TestRenamingDeletingAndTakingBack(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	d := s.Talk("t1", "hello")
	does(t, s, "is now dock-slots", "rename", "depot-slots", "dock-slots")
	page, err := s.As("Ines").Runs(harness.Context(t), client.Filter{Workflow: "dock-slots"})
	if err != nil || len(page.Runs) != 1 || page.Runs[0].ID != d.ID {
		t.Errorf("its history stayed behind: %+v %v", page.Runs, err)
	}
	heard, err := s.As("Ines").Say(harness.Context(t), "dock-slots", "t1", "hello again")
	if err != nil || s.Ended(heard.Run).Status != run.Done {
		t.Errorf("under its new name it does not answer: %v", err)
	}
	thread, err := s.As("Ines").Thread(harness.Context(t), "dock-slots", "t1")
	if err != nil || len(thread.Messages) != 4 {
		t.Errorf("the conversation has %d messages (%v)", len(thread.Messages), err)
	}
	fails(t, s, "is called that already", "rename", "dock-slots", "weighbridge")
	fails(t, s, "small letters", "rename", "dock-slots", "Dock Slots")
	does(t, s, "in the bin", "delete", "-yes", "dock-slots")
	if _, err := s.As("Ines").Say(harness.Context(t), "dock-slots", "t1", "hello"); err == nil {
		t.Error("a deleted workflow answers")
	}
	out := does(t, s, "workflows/dock-slots.yaml", "bin")
	number := strings.Fields(strings.Split(out, "\n")[1])[0]
	does(t, s, "is back, as a draft", "bin", number)
	does(t, s, "is live", "publish", "dock-slots")
	if _, err := s.As("Ines").Say(harness.Context(t), "dock-slots", "t9", "hello"); err != nil {
		t.Errorf("taken back, it does not answer: %v", err)
	}
}

func TestBackupWhileRunningAndRestore(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	d := s.Talk("t1", "hello")
	file := filepath.Join(t.TempDir(), "copy.db")
	out, errs, code := s.Command("Elin", "", "backup", file)
	if code != 0 || !strings.Contains(out, "vault.key") {
		t.Fatalf("backup: exit %d %s%s", code, out, errs)
	}
	if _, errs, code := s.Command("Elin", "", "backup", file); code != 1 || !strings.Contains(errs, "exists already") {
		t.Errorf("over a file: exit %d %s", code, errs)
	}
	if _, errs, code := s.Command("Ines", "", "backup", file+"2"); code != 1 || !strings.Contains(errs, "owner") {
		t.Errorf("by a builder: exit %d %s", code, errs)
	}
	if _, errs, code := s.Command("Elin", "", "restore", file, "-data", s.Data); code != 1 ||
		!strings.Contains(errs, "already using") {
		t.Errorf("into a running service: exit %d %s", code, errs)
	}
	s.Talk("t1", "after the backup")
	fresh := t.TempDir()
	key, err := os.ReadFile(filepath.Join(s.Data, "vault.key"))
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(fresh, "vault.key"), key, 0o600); err != nil {
		t.Fatal(err)
	}
	does(t, s, "is restored", "restore", file, "-data", fresh)
	other := harness.Start(t, fresh, "serve", "-data", fresh, "-addr", "127.0.0.1:0")
	c := &client.Client{URL: other.URL, Token: s.Person("Ines").Token}
	page, err := c.Runs(harness.Context(t), client.Filter{})
	if err != nil || len(page.Runs) != 1 || page.Runs[0].ID != d.ID {
		t.Errorf("the restored service has %+v (%v)", page.Runs, err)
	}
	for name, text := range map[string]string{"no database": "hello", "half of one": ""} {
		bad := filepath.Join(t.TempDir(), "bad.db")
		if name == "half of one" {
			whole, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			text = string(whole[:len(whole)/2])
		}
		if err := os.WriteFile(bad, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		if out, _, code := s.Command("Elin", "", "restore", bad, "-data", t.TempDir()); code == 0 {
			t.Errorf("%s was restored: %s", name, out)
		}
	}
}

func TestSamplesStartTryAndRepeat(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	d := s.Talk("t1", "hello")
	does(t, s, "Kept", "samples", "depot-slots", "greeting", "-run", d.ID)
	does(t, s, "greeting", "samples", "depot-slots")
	does(t, s, "hello", "start", "depot-slots", "-draft", "-sample", "greeting")
	does(t, s, "next one that comes", "samples", "depot-slots", "next-one", "-next")
	s.Talk("t2", "caught in flight")
	harness.Eventually(t, "the sample is kept", func() bool {
		out, _, _ := s.Command("Ines", "", "samples", "depot-slots")
		return strings.Contains(out, "caught in flight")
	})
	fails(t, s, "has no sample", "start", "depot-slots", "-sample", "nosuch")

	values := `{"signal": {"body": {"grower": "Hollin Bank", "gross_kg": 50, "tare_kg": 20, "farm_kg": 31, "bales": ` +
		`1}}, "net": {"kg": 30, "shrinkage": 3, "notes": "damp"}, "sort": {"lane": "clean"}}`
	out := does(t, s, "held back", "try", "weighbridge", "row", "-values", values)
	if !strings.Contains(out, `"condition":"damp"`) || s.Count("clip-register", "POST", 201) != 0 {
		t.Errorf("trying a step:\n%s", out)
	}
	does(t, s, "D-204", "try", "weighbridge", "row", "-values", values, "-send")
	fails(t, s, "no step called nosuch", "try", "weighbridge", "nosuch")

	var failed wire.Detail
	out, _, code := s.Command("Ines", "", "start", "weighbridge", "-json", "-signal",
		`{"body": {"grower": "Nobody", "gross_kg": 50, "tare_kg": 20, "farm_kg": 31, "bales": 1}}`)
	if err := json.Unmarshal([]byte(out), &failed); err != nil || code != 1 || failed.Status != run.Failed {
		t.Fatalf("a delivery of nobody: exit %d, %s", code, out)
	}
	does(t, s, "receipt", "again", failed.ID, "-body",
		`{"grower": "Hollin Bank", "gross_kg": 50, "tare_kg": 20, "farm_kg": 31, "bales": 1}`)
	fails(t, s, "no step called nosuch", "again", failed.ID, "-from", "nosuch")
	out, _, code = s.Command("Ines", "", "again", failed.ID, "-from", "sort", "-edit",
		`{"net": {"kg": -1, "shrinkage": 0, "notes": ""}}`)
	if code != 1 || !strings.Contains(out, "Net weight is -1 kg") {
		t.Errorf("with an edited value: exit %d\n%s", code, out)
	}
	does(t, s, "goes on as", "again", failed.ID, d.ID)
}
