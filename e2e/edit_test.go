package e2e_test

import (
	"errors"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"

	"woolsignal/client"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// text is a workflow's draft.
func text(t *testing.T, s *harness.Service, workflow string) string {
	t.Helper()
	script, err := s.As("Ines").Workflow(harness.Context(t), workflow)
	if err != nil {
		t.Fatal(err)
	}
	return script.Text
}

// TestADraftIsKeptReadableOrNot keeps a broken text as it is: what is live and
// every other draft go on, and a try takes the last text that could be read.
func TestADraftIsKeptReadableOrNot(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, c := harness.Context(t), s.As("Ines")
	better := strings.Replace(text(t, s, "weighbridge"), "net.shrinkage > 8", "net.shrinkage > 9", 1)
	for _, next := range []string{better, "workflow: weighbridge\nsteps: [", "\x00", "- 1", ""} {
		kept, err := c.Edit(ctx, "weighbridge", wire.Draft{Text: next, From: text(t, s, "weighbridge")})
		if err != nil || kept.Text != next || kept.Merged {
			t.Fatalf("%q: %+v, %v", next, kept, err)
		}
		if now := text(t, s, "weighbridge"); now != next {
			t.Errorf("%q was kept as %q", next, now)
		}
		if wrong := next != better; wrong != (len(kept.Problems) > 0) {
			t.Errorf("%q has the problems %v", next, kept.Problems)
		}
	}
	if script, err := c.Workflow(ctx, "weighbridge"); err != nil || script.Version != 1 || !script.On {
		t.Errorf("what is live is no longer: %+v %v", script.Workflow, err)
	}
	if _, err := c.Publish(ctx, wire.Publish{Workflows: []string{"weighbridge"}}); err == nil {
		t.Error("a broken draft was made live")
	}
	other := strings.Replace(text(t, s, "store-watch"), "> 65", "> 60", 1)
	if _, err := c.Edit(ctx, "store-watch", wire.Draft{Text: other, From: text(t, s, "store-watch")}); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Publish(ctx, wire.Publish{Workflows: []string{"store-watch"}}); err != nil {
		t.Errorf("another draft is hindered: %v", err)
	}
	tried, err := c.Try(ctx, "weighbridge", wire.Try{Step: "sort", Given: map[string]any{"net": map[string]any{
		"kg": 300, "shrinkage": 8.5, "notes": ""}}})
	if err != nil {
		t.Fatal(err)
	}
	if d, err := c.Settled(ctx, tried); err != nil || !strings.Contains(fmt.Sprint(d.Steps), "lane:clean") {
		t.Errorf("a shrinkage of 8.5 was not tried on the text that read last: %v %+v", err, d.Steps)
	}
}

// TestTwoEditTheSameWorkflow merges what was done to other steps, shows both
// texts of a step that both changed, and takes the words that are preferred.
func TestTwoEditTheSameWorkflow(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx := harness.Context(t)
	from := text(t, s, "weighbridge")
	edit := func(who string, prefer string, old, new string) (wire.Drafted, error) {
		return s.As(who).Edit(ctx, "weighbridge",
			wire.Draft{Text: strings.Replace(from, old, new, 1), From: from, Prefer: prefer})
	}
	if _, err := edit("Elin", "", "status: 201", "status: 202"); err != nil {
		t.Fatal(err)
	}
	kept, err := edit("Ines", "", "kg * 100, 1", "kg * 100, 2")
	if err != nil || !kept.Merged || kept.By != s.Person("Elin").Name || !strings.Contains(kept.Text, "status: 202") ||
		!strings.Contains(kept.Text, "kg * 100, 2") {
		t.Fatalf("%+v %v", kept, err)
	}
	_, err = edit("Ines", "", "status: 201", "status: 200")
	var clash *client.Problem
	if !errors.As(err, &clash) || clash.Status != http.StatusConflict || len(clash.Clashes) != 1 ||
		!strings.Contains(clash.Clashes[0].Mine, "status: 200") || clash.By != s.Person("Ines").Name ||
		!strings.Contains(clash.Clashes[0].Theirs, "status: 202") || clash.Text != kept.Text {
		t.Fatalf("%+v", err)
	}
	if now := text(t, s, "weighbridge"); now != kept.Text {
		t.Error("a clash was kept")
	}
	kept, err = edit("Ines", "mine", "status: 201", "status: 200")
	if err != nil || !strings.Contains(kept.Text, "status: 200") || !strings.Contains(kept.Text, "kg * 100, 2") {
		t.Errorf("%+v %v", kept, err)
	}
}

// TestManyEditAtOnce has twelve people add a step each, all at the same time
// and from the same text: all twelve are there.
func TestManyEditAtOnce(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, from := harness.Context(t), text(t, s, "store-watch")
	var all sync.WaitGroup
	for i := range 12 {
		all.Go(func() {
			mine := strings.Replace(from, "steps:\n", fmt.Sprintf("steps:\n  - id: w%d\n    compute: {x: %d}\n", i, i),
				1)
			if _, err := s.As("Ines").Edit(ctx, "store-watch", wire.Draft{Text: mine, From: from}); err != nil {
				t.Error(err)
			}
		})
	}
	all.Wait()
	now := text(t, s, "store-watch")
	for i := range 12 {
		if strings.Count(now, fmt.Sprintf("id: w%d\n", i)) != 1 {
			t.Errorf("step %d is not there once", i)
		}
	}
}

// TestAWorkflowIsMadeInOneRequest makes one from nothing, and refuses what
// cannot be one, or is there.
func TestAWorkflowIsMadeInOneRequest(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, c := harness.Context(t), s.As("Ines")
	const fresh = "workflow: lamb-count\ntitle: Lamb count\nsteps: []\n"
	if _, err := c.Edit(ctx, "lamb-count", wire.Draft{Text: fresh}); err != nil || text(t, s, "lamb-count") != fresh {
		t.Fatal(err)
	}
	for id, want := range map[string]int{"Lamb Count": 422, "..": 422, "lamb-count": 409} {
		_, err := c.Edit(ctx, id, wire.Draft{Text: "workflow: other\n"})
		var refused *client.Problem
		if !errors.As(err, &refused) || refused.Status != want {
			t.Errorf("%s: %v, want %d", id, err, want)
		}
	}
	_, err := c.Edit(ctx, "large", wire.Draft{Text: strings.Repeat("# wool\n", 1<<18)})
	var refused *client.Problem
	if !errors.As(err, &refused) || refused.Status != http.StatusRequestEntityTooLarge {
		t.Errorf("%v", err)
	}
}
