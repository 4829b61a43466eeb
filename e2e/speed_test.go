package e2e_test

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"woolsignal/e2e/browser"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// long is a workflow of so many steps, each reading the one before it.
func long(steps int) string {
	var b strings.Builder
	b.WriteString("workflow: long\ntitle: Long\ninputs: {type: object, properties: {kg: {type: number}}}\nsteps:\n")
	for i := range steps {
		read := "inputs.kg"
		if i > 0 {
			read = fmt.Sprintf("s%d.kg", i-1)
		}
		fmt.Fprintf(&b, "  - id: s%d\n    compute:\n      kg: otherwise(%s, 0) + 1\n      note: '\"step %d\"'\n", i,
			read, i)
	}
	return b.String()
}

// TestALongScriptIsBuiltOn opens scripts of 300 and of 1,000 steps, and writes in
// one: what was written is kept. How long that took the page is printed.
func TestALongScriptIsBuiltOn(t *testing.T) {
	s := harness.Demo(t)
	ctx, h, ines := page(t), &browser.Hand{}, s.Person("Ines")
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password))
	for _, steps := range []int{300, 1000} {
		from := ""
		if steps > 300 {
			from = text(t, s, "long")
		}
		if _, err := s.As("Ines").Edit(harness.Context(t), "long",
			wire.Draft{Text: long(steps), From: from, Prefer: "mine"}); err != nil {
			t.Fatal(err)
		}
		do(t, ctx, chromedp.Navigate(s.URL+"/workflows/long"), browser.HasText("step 150"))
		number(t, ctx,
			`(window.painted = 0, new PerformanceObserver(l => { window.painted = l.getEntries().at(-1).startTime })
			.observe({type: 'largest-contentful-paint', buffered: true}), 0)`)
		harness.Eventually(t, "the page is painted", func() bool { return number(t, ctx, `window.painted`) > 0 })
		paint := number(t, ctx, `window.painted`)
		bytes := number(t, ctx, `performance.getEntriesByType('resource').filter(e => /assets/.test(e.name))
			.reduce((n, e) => n + e.encodedBodySize, 0)`)
		do(t, ctx, h.Click("button", "Change “step 150”"), browser.Sees("textbox", "note"))
		number(t, ctx, `(window.longest = 0, new PerformanceObserver(l => l.getEntries().forEach(e => {
			window.longest = Math.max(window.longest, e.duration) })).observe({type: 'longtask'}), 0)`)
		do(t, ctx, h.Press("Control+a"), h.Type("the one in the middle"))
		harness.Eventually(t, "what was written is kept", func() bool {
			return strings.Contains(text(t, s, "long"), "the one in the middle")
		})
		do(t, ctx, browser.HasText("the one in the middle"))
		t.Logf("%d steps are read in %.0f ms", steps, readIn(t, s).Seconds()*1000)
		t.Logf("%d steps: largest paint after %.0f ms, %.0f KB of code, longest task while writing %.0f ms (0 is "+
			"under 50)", steps, paint, bytes/1024, number(t, ctx, `window.longest`))
	}
}

// readIn is how long the service takes to say what the long script means, at best
// of a few.
func readIn(t *testing.T, s *harness.Service) time.Duration {
	t.Helper()
	best := time.Hour
	body := wire.Text{Text: text(t, s, "long")}
	for range 5 {
		began := time.Now()
		var m wire.Meaning
		if err := s.As("Ines").Do(harness.Context(t), http.MethodPost, "/workflows/long/read", body, &m); err != nil {
			t.Fatal(err)
		}
		best = min(best, time.Since(began))
	}
	return best
}

func number(t *testing.T, ctx context.Context, js string) float64 {
	t.Helper()
	n, err := chromedp.Run(ctx, chromedp.Evaluate[float64](js))
	if err != nil {
		t.Fatal(err)
	}
	return n
}
