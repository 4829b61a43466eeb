package e2e_test

import (
	"net/http"
	"strings"
	"testing"

	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// TestWhoBuildsNothingReadsNoDrafts writes a workflow and an agent that are not live, and changes
// one that is: a reader and a reviewer read what is live, and of the rest neither text nor name.
func TestWhoBuildsNothingReadsNoDrafts(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx := harness.Context(t)
	live, err := s.As("Owen").Workflow(ctx, "weighbridge")
	if err != nil {
		t.Fatal(err)
	}
	secretly := strings.Replace(live.Text, "title: "+live.Title, "title: Zwartbles plans", 1)
	withFiles(t, s, map[string]string{"workflows/weighbridge.yaml": secretly,
		"workflows/zwartbles.yaml": "workflow: zwartbles\ntitle: Zwartbles\ninputs: {type: object}\nsteps:\n" +
			"  - {agent: zwartbles-clerk, task: Zwartbles}\n",
		"agents/zwartbles-clerk.yaml": "agent: zwartbles-clerk\ntitle: Zwartbles\npurpose: Helps.\nmodel: small\n" +
			"instructions: Zwartbles.\n"})
	for _, who := range []string{"Owen", "Tobias"} {
		for _, path := range []string{"/workflows", "/workflows/weighbridge", "/workflows/zwartbles", "/agents",
			"/agents/zwartbles-clerk", "/workflows/weighbridge/versions", "/workflows/zwartbles/versions", "/today",
			"/runs", "/reviews", "/tables", "/budget", "/session", "/language"} {
			status, body := ask(t, s, s.Person(who), http.MethodGet, path, "")
			if strings.Contains(body, "Zwartbles") {
				t.Errorf("%s reads of a draft at %s: %d", who, path, status)
			}
			if want := strings.Contains(path, "zwartbles"); want != (status == http.StatusNotFound) {
				t.Errorf("%s asks for %s: %d", who, path, status)
			}
		}
	}
	if status, body := ask(t, s, s.Person("Ines"), http.MethodGet, "/workflows/zwartbles", ""); status != 200 ||
		!strings.Contains(body, "Zwartbles") {
		t.Errorf("a builder reads %d", status)
	}
	if _, err := s.As("Ines").Publish(ctx, wire.Publish{Workflows: []string{"zwartbles"}}); err != nil {
		t.Fatal(err)
	}
	if status, _ := ask(t, s, s.Person("Owen"), http.MethodGet, "/agents/zwartbles-clerk", ""); status != 200 {
		t.Errorf("once it is live, a reader is answered %d", status)
	}
}
