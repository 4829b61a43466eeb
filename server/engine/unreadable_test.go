package engine

import (
	"context"
	"errors"
	"strings"
	"testing"

	"woolsignal/core/run"
	"woolsignal/server/store"
	"woolsignal/server/workspace"
)

// A run that follows what this version cannot read is stopped with that
// reason, whatever it waited for, with what it had called; it is never read as
// something else. What is live and cannot be read is started by nothing.
func TestARunWhoseDefinitionCannotBeReadIsStopped(t *testing.T) {
	e, bed := workshop(t, map[string]string{
		"asks":  callable + "steps:\n  - review: {ask: owner, show: hello}\n",
		"calls": callable + "steps:\n  - call: asks\n    inputs: {}\n",
		"other": callable + "steps:\n  - review: {ask: owner, show: hello}\n",
	})
	calls, other := call(t, e, "calls", nil), call(t, e, "other", nil)
	await(t, "both ask", func() bool { return counted(t, bed, "SELECT count(*) FROM reviews") == 2 })
	becomes(t, e, calls, run.Waiting)
	e.stop()
	e.working.Wait()
	var b store.Batch
	b.Do("UPDATE definitions SET definition = replace(definition, 'call:', 'summon:') WHERE hash = (SELECT "+
		"definition FROM runs WHERE id = ?)", calls)
	if err := bed.Store.Write(context.Background(), b); err != nil {
		t.Fatal(err)
	}
	var err error
	if bed.Workspace, err = workspace.Open(context.Background(), bed.Store, bed.Kit, bed.Secrets, nil); err != nil {
		t.Fatalf("a version that cannot be read keeps everything else from starting: %v", err)
	}
	e = restart(t, e, bed)
	s := becomes(t, e, calls, run.Failed)
	if !strings.Contains(s.Because,
		"the version of calls it follows can no longer be read (workflows/calls.yaml, line") {
		t.Errorf("it says: %s", s.Because)
	}
	await(t, "what it called is stopped", func() bool {
		return counted(t, bed, "SELECT count(*) FROM runs WHERE workflow = 'asks' AND status = 'stopped'") == 1
	})
	becomes(t, e, other, run.Waiting)
	if _, err := e.StartRun(context.Background(), "calls", false,
		&run.Signal{Kind: "called", Body: map[string]any{}}, ""); !errors.Is(err, workspace.ErrNotLive) {
		t.Errorf("it is started: %v", err)
	}
	found := false
	for _, p := range bed.Workspace.Now().Problems {
		found = found || strings.Contains(p.What, "what is live of it can no longer be read")
	}
	if !found {
		t.Errorf("nobody is told: %v", bed.Workspace.Now().Problems)
	}
}

// What a run depends on beside its journal stands in its definition: another
// zone or schema is another version's.
func TestARunKeepsTheZoneAndSchemasItBeganWith(t *testing.T) {
	e, bed := workshop(t, map[string]string{"zoned": callable +
		"steps:\n  - review: {ask: owner, show: hello}\n  - id: at\n    wait: {for: 1ms}\n"})
	id := call(t, e, "zoned", nil)
	becomes(t, e, id, run.Waiting)
	files := bed.Workspace.Now().Files
	files["woolsignal.yaml"] = "name: Larkrigg\nzone: Asia/Tokyo\n"
	if _, err := bed.Workspace.Apply(context.Background(), workspace.Change{Files: files, By: "Ines"}); err != nil {
		t.Fatal(err)
	}
	if !bed.Workspace.Now().Drafted("zoned") {
		t.Error("the workspace's zone is another, and nobody is told that the workflow is to be published")
	}
	e = restart(t, e, bed)
	var review string
	if err := bed.Store.Read().QueryRow("SELECT id FROM reviews").Scan(&review); err != nil {
		t.Fatal(err)
	}
	if err := e.Decide(context.Background(), id,
		run.Decided{Review: review, Choice: "approve", By: "Elin"}); err != nil {
		t.Fatal(err)
	}
	if at, _ := becomes(t, e, id, run.Done).Step("1").Output.(map[string]any)["at"].(string); !strings.HasSuffix(at,
		"Z") && !strings.HasSuffix(at, "+01:00") {
		t.Errorf("its times are in another zone: %s", at)
	}
}
