package e2e_test

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"woolsignal/e2e/browser"
	"woolsignal/e2e/harness"
)

// late has what a page hands to its worker come there a second later, as in a
// browser that has much else to do, and counts what it had worked out.
const late = `(() => {
	const post = Worker.prototype.postMessage
	Worker.prototype.postMessage = function (...what) { setTimeout(() => post.apply(this, what), 1000) }
	window.workedOut = 0
	new PerformanceObserver(all => { window.workedOut +=
		all.getEntries().filter(e => e.name.endsWith('/work-out')).length }).observe({ type: 'resource' })
	return true
})()`

// workedOut waits till something was worked out.
var workedOut = chromedp.Evaluate[bool](`new Promise(done => {
	const look = () => window.workedOut > 0 ? done(true) : requestAnimationFrame(look)
	look()
})`, chromedp.EvalAwaitPromise)

// What somebody is about to write stays where it is while the text is written, however long that takes.
func TestWhatIsWrittenLateTakesNoFocus(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, h, ines := page(t), &browser.Hand{}, s.Person("Ines")
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password), chromedp.Navigate(s.URL+"/workflows/weighbridge"),
		h.Click("group", "Work out net"), h.Click("textbox", "Name of one more value"), h.Type("spare"),
		h.Press("Enter"), browser.Sees("textbox", "spare"), browser.HasText("Draft kept"))
	if _, err := chromedp.Run(ctx, chromedp.Evaluate[bool](late)); err != nil {
		t.Fatal(err)
	}
	keeps := func(written string) {
		t.Helper()
		harness.Eventually(t, written+" is kept", func() bool {
			return strings.Contains(text(t, s, "weighbridge"), "spare: signal.body.farm_kg"+written)
		})
	}
	do(t, ctx, h.Press("/"), h.Type("farm"), browser.Sees("option", "farm kg"), h.Press("Enter"),
		browser.Sees("button", "spare: farm kg"))
	if _, err := chromedp.Run(ctx, workedOut); err != nil { // it is on its way to the text
		t.Fatal(err)
	}
	do(t, ctx, h.Press("-"), browser.Sees("textbox", "spare, second"))
	keeps(" - 1\n")
	do(t, ctx, h.Type("12"))
	keeps(" - 12\n")
}
