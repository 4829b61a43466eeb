package e2e_test

import (
	"testing"

	"github.com/chromedp/chromedp"

	"woolsignal/e2e/browser"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

const heldOpen = `workflow: gate
title: Gate
inputs: {type: object}
steps:
  - review:
      ask: builder
      show: Open the gate?
      choices: [open it, leave it]
`

// holdsBack keeps the page's first reading of a run from the page till news has come
// that the run has ended, as a network does that is slower than the events are.
const holdsBack = `(() => {
	const ended = new Promise(done => {
		new BroadcastChannel('woolsignal-live').onmessage = e => e.data.status === 'done' && done()
	})
	const real = window.fetch
	window.fetch = async (what, how) => {
		const response = await real(what, how)
		if (!/runs\/[^/?]+$/.test(what)) return response
		window.fetch = real
		window.heldBack = true
		await ended
		return response
	}
	return true
})()`

var heldBack = chromedp.Evaluate[bool](`new Promise(done => {
	const look = () => window.heldBack ? done(true) : requestAnimationFrame(look)
	look()
})`, chromedp.EvalAwaitPromise)

// What was read before something happened, and comes after the news of it, is read anew.
func TestWhatComesLateIsReadAnew(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	if err := with(t, s, "gate", heldOpen); err != nil {
		t.Fatal(err)
	}
	c := s.As("Ines")
	id, err := c.Start(harness.Context(t), "gate", wire.Start{})
	if err != nil {
		t.Fatal(err)
	}
	d, err := c.Settled(harness.Context(t), id)
	if err != nil {
		t.Fatal(err)
	}
	ctx, h, ines := page(t), &browser.Hand{}, s.Person("Ines")
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password), h.Click("link", "Runs"), browser.HasText("Gate"))
	if _, err := chromedp.Run(ctx, chromedp.Evaluate[bool](holdsBack)); err != nil {
		t.Fatal(err)
	}
	do(t, ctx, h.Click("link", id))
	if _, err := chromedp.Run(ctx, heldBack); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Decide(harness.Context(t), s.OpenReview(d).ID, wire.Decision{Choice: "open it"}); err != nil {
		t.Fatal(err)
	}
	do(t, ctx, browser.Sees("button", "Run again from here"))
}
