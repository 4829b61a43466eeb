package e2e_test

import (
	"errors"
	"testing"

	"woolsignal/client"
	"woolsignal/demo"
	"woolsignal/e2e/harness"
)

// TestRunsAreFoundByTheirWords looks for runs by what they are about and why
// they failed, before the words are indexed and after.
func TestRunsAreFoundByTheirWords(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	if _, errs, code := s.Command("Ines", "", "off", "mishap"); code != 0 {
		t.Fatal(errs) // its runs would tell of the same words
	}
	state, err := demo.LoadState(s.Data)
	if err != nil {
		t.Fatal(err)
	}
	for i, d := range []demo.Delivery{{Grower: "Hollin Bank", GrossKg: 500, TareKg: 40, FarmKg: 462},
		{Grower: "Skell Top", GrossKg: 40, TareKg: 40, FarmKg: 462},
		{Grower: "Nobody At All", GrossKg: 500, TareKg: 40, FarmKg: 462}} {
		r, err := demo.Post(harness.Context(t), s.URL, "weighbridge", state.Signing, "s-"+string(rune('a'+i)), d)
		if err != nil {
			t.Fatal(err)
		}
		r.Body.Close()
	}
	talk := s.Talk("t1", "Can I bring 18 fleeces from Hollin Bank?")
	look := func(when string) {
		t.Helper()
		for name, c := range map[string]struct {
			filter client.Filter
			want   int
		}{
			"two words":            {client.Filter{Text: "hollin bank"}, 2},
			"in another case":      {client.Filter{Text: "HOLLIN"}, 2},
			"a beginning":          {client.Filter{Text: "holl"}, 2},
			"with a workflow":      {client.Filter{Text: "hollin", Workflow: "weighbridge"}, 1},
			"with an outcome":      {client.Filter{Text: "skell", Status: "failed"}, 1},
			"why it failed":        {client.Filter{Text: "grower is called"}, 1},
			"why it stopped":       {client.Filter{Text: "weigh the empty"}, 1},
			"a run's id":           {client.Filter{Text: talk.ID}, 1},
			"what nobody wrote":    {client.Filter{Text: "merino"}, 0},
			"no words at all":      {client.Filter{Text: "*\" -"}, 0},
			"older than the first": {client.Filter{Text: "hollin", Before: "0000000000000000"}, 0},
			"by kind":              {client.Filter{Kind: "chat"}, 1},
			"since long ago":       {client.Filter{Since: "2026-01-01T00:00:00Z"}, 4},
			"until long ago":       {client.Filter{Until: "2026-01-01T00:00:00Z"}, 0},
			"that cost something":  {client.Filter{Cost: "0.000001"}, 3},
		} {
			page, err := s.As("Ines").Runs(harness.Context(t), c.filter)
			if err != nil || len(page.Runs) != c.want {
				t.Errorf("%s, %s: %d runs, want %d (%v)", when, name, len(page.Runs), c.want, err)
			}
		}
	}
	look("at once")
	s.Terminate() // the words are indexed once nothing else is to be done
	harness.Eventually(t, "the words are indexed", func() bool {
		first, err := s.As("Ines").Runs(harness.Context(t), client.Filter{Text: "hol"})
		last, more := s.As("Ines").Runs(harness.Context(t), client.Filter{Text: "skell", Status: "failed"})
		return errors.Join(err, more) == nil && len(first.Runs) == 2 && len(last.Runs) == 1
	})
	look("later")
	for _, f := range []client.Filter{{Since: "yesterday"}, {Cost: "much"}, {Limit: 900}} {
		if _, err := s.As("Ines").Runs(harness.Context(t), f); err == nil {
			t.Errorf("%+v is taken for a filter", f)
		}
	}
}
