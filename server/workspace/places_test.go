package workspace_test

import (
	"context"
	"errors"
	"strings"
	"testing"

	"woolsignal/server/testbed"
	"woolsignal/server/workspace"
)

// No two workflows that are live and on may claim one place, by whichever way
// the second would come to: publishing, going back, or being switched on.
func TestAPlaceBelongsToOneLiveWorkflow(t *testing.T) {
	desk := func(id, page string) string {
		return "workflow: " + id + "\ntitle: Desk\ntriggers:\n  - id: page\n    chat: {page: " + page +
			"}\nsteps:\n  - say: {text: hello}\n"
	}
	ctx := context.Background()
	b := testbed.Open(t, map[string]string{"workflows/first.yaml": desk("first", "desk"),
		"workflows/second.yaml": desk("second", "counter")})
	draft := func(path, text string) {
		t.Helper()
		if _, err := b.Workspace.Apply(ctx,
			workspace.Change{Files: changed(b, path, text), By: "Ines", Draft: true}); err != nil {
			t.Fatal(err)
		}
	}
	taken := func(what string, err error) {
		t.Helper()
		var place *workspace.PlaceError
		if !errors.As(err, &place) || place.Workflow != "first" ||
			!strings.Contains(err.Error(), "the chat page desk") {
			t.Errorf("%s: %v", what, err)
		}
	}
	fine := func(what string, err error) {
		t.Helper()
		if err != nil {
			t.Fatalf("%s: %v", what, err)
		}
	}
	// second comes to desk while first is elsewhere; first's old version, its
	// switch and second's draft each want it back.
	draft("workflows/first.yaml", desk("first", "gate"))
	_, _, err := b.Workspace.Publish(ctx, "first", "", "Ines")
	fine("first leaves the desk", err)
	draft("workflows/second.yaml", desk("second", "desk"))
	_, _, err = b.Workspace.Publish(ctx, "second", "", "Ines")
	fine("second comes to the desk", err)
	if _, err = b.Workspace.Revert(ctx, "first", 1, "Ines"); err == nil ||
		!strings.Contains(err.Error(), "the workflow second, which is live, already has the chat page desk") {
		t.Errorf("first goes back to the desk: %v", err)
	}
	fine("second is switched off", b.Workspace.Switch(ctx, "second", false))
	_, err = b.Workspace.Revert(ctx, "first", 1, "Ines")
	fine("first goes back to the desk", err)
	taken("second is switched on", b.Workspace.Switch(ctx, "second", true))
	fine("first is switched off", b.Workspace.Switch(ctx, "first", false))
	fine("second is switched on", b.Workspace.Switch(ctx, "second", true))
}
