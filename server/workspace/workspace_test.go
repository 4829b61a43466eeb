package workspace_test

import (
	"context"
	"errors"
	"maps"
	"slices"
	"strings"
	"testing"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/testbed"
	"woolsignal/server/workspace"
)

const echo = "workflow: echo # its id\ntitle: Echo\ninputs: {type: object}\nsteps:\n  - label: {as: [heard]}\n"

// caller calls echo, looks after its failures, and says its name elsewhere too.
const caller = `workflow: caller
title: The echo caller
triggers:
  - id: failed
    failure: {workflows: [echo, "echo"]}
steps:
  # echo is called here
  - call: echo # with nothing
    inputs: {}
  - {call: 'echo', inputs: {call: echo}}
  - label: {as: [echo, echo-2]}
`

func bed(t *testing.T) *testbed.Bed {
	t.Helper()
	return testbed.Open(t, map[string]string{"workflows/echo.yaml": echo, "workflows/caller.yaml": caller,
		"samples/echo/plain.json": "{}\n"})
}

// changed gives the workspace's files with one of them other.
func changed(b *testbed.Bed, path, text string) map[string]string {
	files := maps.Clone(b.Workspace.Now().Files)
	if files[path] = text; text == "" {
		delete(files, path)
	}
	return files
}

func TestVersionsFollowWhatIsPublished(t *testing.T) {
	b, ctx := bed(t), context.Background()
	second := strings.Replace(echo, "heard", "noted", 1)
	if _, err := b.Workspace.Apply(ctx, workspace.Change{Files: changed(b, "workflows/echo.yaml", second),
		By: "Ines"}); err != nil {
		t.Fatal(err)
	}
	first, _, err := b.Workspace.Definition(ctx, "echo")
	if err != nil || !b.Workspace.Now().Drafted("echo") || b.Workspace.Now().Drafted("caller") {
		t.Fatalf("a draft is live, or not seen: %v", err)
	}
	v, _, err := b.Workspace.Publish(ctx, "echo", "noted instead", "Ines")
	if err != nil || v.N != 2 || !v.Live || v.By != "Ines" {
		t.Fatalf("%+v %v", v, err)
	}
	now, def, err := b.Workspace.Definition(ctx, "echo")
	if err != nil || now == first || len(def.Workflow.Steps) != 1 {
		t.Errorf("%s after %s: %v", now, first, err)
	}
	if old, err := b.Workspace.ByHash(ctx, first); err != nil || old.Workflow.Title != "Echo" {
		t.Errorf("what was live is gone: %v", err)
	}
	if v, err = b.Workspace.Revert(ctx, "echo", 1, "Elin"); err != nil || v.N != 3 || v.Note != "back to version 1" {
		t.Errorf("%+v %v", v, err)
	}
	if back, _, err := b.Workspace.Definition(ctx, "echo"); err != nil || back != first {
		t.Errorf("back at %s, want %s (%v)", back, first, err)
	}
	if b.Workspace.Now().Files["workflows/echo.yaml"] != second {
		t.Error("going back changed the draft")
	}
	if _, err := b.Workspace.Revert(ctx, "echo", 7, "Elin"); !errors.Is(err, workspace.ErrNoVersion) {
		t.Errorf("a version that never was: %v", err)
	}
}

func TestNothingThatDoesNotCheckGoesLive(t *testing.T) {
	b, ctx := bed(t), context.Background()
	broken := changed(b, "workflows/echo.yaml", strings.Replace(echo, "label:", "lable:", 1))
	if problems, err := b.Workspace.Apply(ctx, workspace.Change{Files: broken}); !errors.Is(err,
		workspace.ErrProblems) || len(problems) == 0 {
		t.Errorf("applied: %v %v", problems, err)
	}
	if _, err := b.Workspace.Apply(ctx, workspace.Change{Files: broken, Draft: true}); err != nil {
		t.Fatal(err)
	}
	if _, problems, err := b.Workspace.Publish(ctx, "echo", "", "Ines"); !errors.Is(err, workspace.ErrProblems) ||
		len(problems) == 0 {
		t.Errorf("published: %v %v", problems, err)
	}
	hash, err := b.Workspace.Draft(ctx, "echo")
	if def, unread := b.Workspace.ByHash(ctx, hash); err != nil || unread != nil || len(def.Workflow.Steps) == 0 {
		t.Errorf("a broken draft is not tried as it was read last: %v %v", err, unread)
	}
	if _, err := b.Workspace.Diff(ctx, "echo", 1, 0); !errors.Is(err, workspace.ErrProblems) {
		t.Errorf("what differs in a draft that cannot be read is told: %v", err)
	}
	if _, _, err := b.Workspace.Definition(ctx, "echo"); err != nil {
		t.Errorf("what was live is no longer: %v", err)
	}
	atOnce := changed(b, flow.MainFile, "name: Larkrigg\nzone: Nowhere\n")
	if _, err := b.Workspace.Apply(ctx, workspace.Change{Files: atOnce, Draft: true}); !errors.Is(err,
		workspace.ErrProblems) {
		t.Errorf("a file that acts at once was kept although it is wrong: %v", err)
	}
}

func TestConflictsAreFoundFileByFile(t *testing.T) {
	b, ctx := bed(t), context.Background()
	base := map[string]string{}
	for path, text := range b.Workspace.Now().Files {
		base[path] = workspace.Edition(text)
	}
	mine := changed(b, "workflows/caller.yaml", strings.Replace(caller, "The echo", "My echo", 1))
	if _, err := b.Workspace.Apply(ctx, workspace.Change{Files: changed(b, "workflows/echo.yaml", echo+
		"# theirs\n")}); err != nil {
		t.Fatal(err)
	}
	_, err := b.Workspace.Apply(ctx, workspace.Change{Files: mine, Base: base})
	var conflict *workspace.ConflictError
	if !errors.As(err, &conflict) || !slices.Equal(conflict.Files, []string{"workflows/echo.yaml"}) {
		t.Errorf("%v", err)
	}
	mine["workflows/echo.yaml"] = echo + "# theirs\n" // brought together
	if _, err := b.Workspace.Apply(ctx, workspace.Change{Files: mine, Base: base}); err != nil {
		t.Errorf("what both have is a conflict: %v", err)
	}
	gone := maps.Clone(mine)
	delete(gone, "samples/echo/plain.json")
	base["samples/echo/plain.json"] = "an edition of long ago"
	if _, err := b.Workspace.Apply(ctx, workspace.Change{Files: gone, Base: base}); !errors.As(err, &conflict) {
		t.Errorf("what somebody changed was removed: %v", err)
	}
}

func TestRenamingTouchesOnlyTheName(t *testing.T) {
	b, ctx := bed(t), context.Background()
	if _, err := b.Workspace.Rename(ctx, "echo", "answer", "Ines"); err != nil {
		t.Fatal(err)
	}
	files := b.Workspace.Now().Files
	for path, want := range map[string]string{
		"workflows/answer.yaml": strings.Replace(echo, "workflow: echo", "workflow: answer", 1),
		"workflows/caller.yaml": strings.NewReplacer(`[echo, "echo"]`, `[answer, "answer"]`, "call: echo #",
			"call: answer #", "{call: 'echo'", "{call: 'answer'").Replace(caller),
		"samples/answer/plain.json": "{}\n",
	} {
		if files[path] != want {
			t.Errorf("%s is\n%s\nwant\n%s", path, files[path], want)
		}
	}
	if len(files) != 4 || b.Workspace.Now().Current("echo") != "answer" {
		t.Errorf("%v, echo is now %s", slices.Sorted(maps.Keys(files)), b.Workspace.Now().Current("echo"))
	}
	if _, err := b.Workspace.Rename(ctx, "answer", "caller", "Ines"); !errors.Is(err, workspace.ErrTaken) {
		t.Errorf("a name that is taken: %v", err)
	}
	if binned, err := b.Workspace.Bin(ctx); err != nil || len(binned) != 0 {
		t.Errorf("what was renamed is in the bin: %v %v", binned, err)
	}
	if _, err := b.Workspace.Rename(ctx, "answer", "echo", "Ines"); err != nil ||
		b.Workspace.Now().Current("echo") != "echo" {
		t.Errorf("back again: %v", err)
	}
}

func TestTheBinGivesBack(t *testing.T) {
	b, ctx := bed(t), context.Background()
	if err := b.Workspace.Delete(ctx, "caller", "Ines"); err != nil {
		t.Fatal(err)
	}
	if _, _, err := b.Workspace.Definition(ctx, "caller"); !errors.Is(err, workspace.ErrNoWorkflow) {
		t.Errorf("a deleted workflow starts: %v", err)
	}
	binned, err := b.Workspace.Bin(ctx)
	if err != nil || len(binned) != 1 || binned[0].By != "Ines" {
		t.Fatalf("%+v %v", binned, err)
	}
	if path, err := b.Workspace.TakeBack(ctx, binned[0].N, "Elin"); err != nil ||
		b.Workspace.Now().Files[path] != caller {
		t.Errorf("%s %v", path, err)
	}
	if _, err := b.Workspace.TakeBack(ctx, binned[0].N, "Elin"); err == nil {
		t.Error("it was taken back twice")
	}
	if _, _, err := b.Workspace.Definition(ctx, "caller"); !errors.Is(err, workspace.ErrNotLive) {
		t.Errorf("taken back it is %v", err)
	}
}

func TestTheNextSignalIsKept(t *testing.T) {
	b, ctx := bed(t), context.Background()
	if err := b.Workspace.Catch(ctx, "echo", "caught", "Ines"); err != nil {
		t.Fatal(err)
	}
	reopened, err := workspace.Open(ctx, b.Store, b.Kit, b.Secrets, nil) // it is still waited for after a restart
	if err != nil {
		t.Fatal(err)
	}
	for _, text := range []string{"the one", "another"} {
		kept, err := reopened.Caught(ctx, "echo",
			&run.Signal{ID: "x", Trigger: "called", Text: text, Body: map[string]any{"kg": int64(3)}}, false)
		if err != nil || kept != (text == "the one") {
			t.Fatalf("%s: %t, %v", text, kept, err)
		}
	}
	kept := reopened.Now().Files["samples/echo/caught.json"]
	if !strings.Contains(kept, "the one") || !strings.Contains(kept, `"kg": 3`) {
		t.Errorf("kept %s", kept)
	}
	if err := reopened.Catch(ctx, "nosuch", "caught", "Ines"); !errors.Is(err, workspace.ErrNoWorkflow) {
		t.Errorf("of no workflow: %v", err)
	}
}

func TestASecretOfTheVaultInAFileIsFound(t *testing.T) {
	b, ctx := bed(t), context.Background()
	b.Give(t, b.Workspace.Now().Workspace, "models", "a-very-secret-key")
	problems, err := b.Workspace.Apply(ctx,
		workspace.Change{Files: changed(b, "workflows/echo.yaml", echo+"# a-very-secret-key\n")})
	if !errors.Is(err, workspace.ErrProblems) || !strings.Contains(problems[0].What, "holds a secret") {
		t.Errorf("%v %v", problems, err)
	}
}

func TestTwoWorkflowsCannotListenAtOnePath(t *testing.T) {
	files := map[string]string{"connections/key.yaml": "connection: key\ntitle: Key\n" +
		"signing_key: {scheme: standard-webhooks}\n",
		"workflows/a.yaml": "workflow: a\ntitle: A\ntriggers:\n  - id: h\n    webhook: {path: here, verify: key}\n" +
			"steps:\n  - label: {as: [x]}\n"}
	b, ctx := testbed.Open(t, files), context.Background()
	next := changed(b, "workflows/a.yaml", "")
	next["workflows/b.yaml"] = strings.NewReplacer("workflow: a", "workflow: b").Replace(files["workflows/a.yaml"])
	if _, err := b.Workspace.Apply(ctx, workspace.Change{Files: next}); err != nil {
		t.Fatal(err)
	}
	if _, ok := b.Workspace.Now().Webhooks["here"]; ok {
		t.Error("a workflow that is gone still listens")
	}
	if _, _, err := b.Workspace.Publish(ctx, "b", "", "Ines"); err != nil ||
		b.Workspace.Now().Webhooks["here"].Workflow != "b" {
		t.Errorf("%v", err)
	}
	next["workflows/a.yaml"] = files["workflows/a.yaml"]
	if problems, err := b.Workspace.Apply(ctx, workspace.Change{Files: next}); !errors.Is(err, workspace.ErrProblems) {
		t.Errorf("two at one path: %v %v", problems, err)
	}
}
