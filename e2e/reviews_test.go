package e2e_test

import (
	"errors"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"woolsignal/client"
	"woolsignal/core/run"
	"woolsignal/e2e/browser"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// twice asks two people, one after the other.
const twice = `workflow: twice
title: Asked twice
inputs: {type: object}
steps:
  - id: first
    title: Is the first bale dry?
    review: {ask: OWEN, show: 'the first bale', choices: [dry, wet]}
  - id: second
    title: Is the second bale dry?
    review: {ask: grading-lead, show: 'the second bale', choices: [dry, wet]}
`

// with writes a workflow into the demo and makes it live.
func with(t *testing.T, s *harness.Service, id, text string) error {
	t.Helper()
	ines := s.As("Ines")
	files, err := ines.Files(harness.Context(t))
	if err != nil {
		t.Fatal(err)
	}
	files["workflows/"+id+".yaml"] = text
	if _, err := ines.Apply(harness.Context(t), wire.Files{Files: files}); err != nil {
		return err
	}
	_, err = ines.Publish(harness.Context(t), wire.Publish{Workflows: []string{id}})
	return err
}

// Whoever is named may answer, though they may only read otherwise; a name
// nobody has is refused; and each step of a run shows what it asked, and no
// other's.
func TestWhoIsNamedAnswersAndEachStepShowsItsOwn(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	owen := s.Person("Owen")
	if err := with(t, s, "twice", strings.Replace(twice, "OWEN", "nobody@larkrigg.example", 1)); err == nil {
		t.Error("a name that nobody has was taken")
	}
	if err := with(t, s, "twice", strings.Replace(twice, "OWEN", owen.Email, 1)); err != nil {
		t.Fatal(err)
	}
	id, err := s.As("Ines").Start(harness.Context(t), "twice", wire.Start{Inputs: map[string]any{}})
	if err != nil {
		t.Fatal(err)
	}
	waits := func(of string) (open run.Review) {
		t.Helper()
		harness.Eventually(t, of+" is asked", func() bool {
			d, err := s.As("Ines").Run(harness.Context(t), id)
			if err != nil {
				return false
			}
			for _, r := range d.Reviews {
				if r.Choice == "" && r.Ask == of {
					open = r
				}
			}
			return open.ID != ""
		})
		return open
	}
	first := waits(owen.Email)
	var refused *client.Problem
	if _, err := s.As("Tobias").Decide(harness.Context(t), first.ID, wire.Decision{Choice: "dry"}); !errors.As(err,
		&refused) || refused.Status != http.StatusForbidden {
		t.Errorf("somebody else answers: %v", err)
	}
	if _, err := s.As("Owen").Decide(harness.Context(t), first.ID,
		wire.Decision{Choice: "dry", Note: "bone dry"}); err != nil {
		t.Fatalf("a reader who is named: %v", err)
	}
	second := waits("grading-lead")
	if _, err := s.As("Owen").Decide(harness.Context(t), second.ID, wire.Decision{Choice: "dry"}); !errors.As(err,
		&refused) || refused.Status != http.StatusForbidden {
		t.Errorf("a reader who is not named: %v", err)
	}
	if _, err := s.As("Tobias").Decide(harness.Context(t), second.ID,
		wire.Decision{Choice: "wet", Note: "rained on"}); err != nil {
		t.Fatal(err)
	}
	d := s.Ended(id)
	for step, review := range map[string]string{"first": first.ID, "second": second.ID} {
		if got := stepOf(t, d, step).Reviews; len(got) != 1 || got[0] != review {
			t.Errorf("the step %s asked for %v, want %s", step, got, review)
		}
	}
	ctx, ines := page(t), s.Person("Ines")
	detail := func(words string) string {
		t.Helper()
		row := chromedp.JSPath(`[...document.querySelectorAll('ol button')].find(b => b.textContent.includes("` +
			words + `"))`)
		do(t, ctx, chromedp.Click(row), browser.HasText("It gave"))
		text, err := chromedp.Run(ctx,
			chromedp.Evaluate[string](`document.querySelector('[aria-label="The chosen step"]').innerText`))
		if err != nil {
			t.Fatal(err)
		}
		return text
	}
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password), chromedp.Navigate(s.URL+"/runs/"+id),
		browser.HasText("the second bale"))
	if got := detail("the first bale"); !strings.Contains(got, "bone dry") || strings.Contains(got, "rained on") {
		t.Errorf("the first step shows:\n%s", got)
	}
	if got := detail("the second bale"); strings.Contains(got, "bone dry") || !strings.Contains(got, "rained on") {
		t.Errorf("the second step shows:\n%s", got)
	}
}
