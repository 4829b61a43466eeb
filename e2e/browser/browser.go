// Package browser drives Debian's Chromium, headless, for tests and pictures
// of the console.
package browser

import (
	"context"
	"fmt"
	"os/exec"
	"strings"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
)

// Open starts a browser with a fresh profile and gives a page of it. The function
// it gives ends it.
func Open(parent context.Context) (context.Context, func(), error) {
	path, err := exec.LookPath("chromium")
	if err != nil {
		return nil, nil, fmt.Errorf("chromium is not installed; `make browser` installs it: %w", err)
	}
	options := []chromedp.ExecAllocatorOption{chromedp.ExecPath(path), chromedp.NoFirstRun, chromedp.NoSandbox,
		chromedp.Headless,
		chromedp.Flag("disable-gpu", true), chromedp.Flag("disable-quic", true),
		chromedp.Flag("disable-background-networking", true),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true),
		chromedp.Flag("hide-scrollbars", true),
		chromedp.WindowSize(1280, 800)}
	allocated, endAllocator := chromedp.NewExecAllocator(parent, options...)
	ctx, endBrowser := chromedp.NewContext(allocated)
	end := func() { endBrowser(); endAllocator() }
	if err := chromedp.Do(ctx); err != nil {
		end()
		return nil, nil, fmt.Errorf("browser: %w", err)
	}
	return ctx, end, nil
}

// Beside opens a window of its own in the browser that a page is of, as somebody
// does who shares nothing with it: no cookies, no cache, no focus. The function it
// gives closes the window.
func Beside(page context.Context) (context.Context, func(), error) {
	ctx, end := chromedp.NewContext(page, chromedp.WithNewBrowserContext(), chromedp.WithNewWindow(true))
	focused := emulation.SetFocusEmulationEnabledParams{Enabled: true} // many are in use at once
	if err := chromedp.Do(ctx, func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		_, err := cdp.Call(ctx, t, emulation.SetFocusEmulationEnabled, focused)
		return chromedp.Void{}, err
	}); err != nil {
		end()
		return nil, nil, fmt.Errorf("browser: %w", err)
	}
	return ctx, end, nil
}

// Step is one thing done in the browser.
type Step = chromedp.Action[chromedp.Void]

// SignIn signs a person in through the sign-in page.
func SignIn(url, email, password string) Step {
	return chromedp.Steps(
		SignedOut,
		chromedp.Navigate(url),
		chromedp.WaitVisible(chromedp.CSS(`input[name=email]`)),
		chromedp.SendKeys(chromedp.CSS(`input[name=email]`), email),
		chromedp.SendKeys(chromedp.CSS(`input[name=password]`), password),
		chromedp.Click(chromedp.CSS(`button[type=submit]`)),
		chromedp.WaitReady(chromedp.CSS(`nav[aria-label=Pages]`)),
	)
}

// SignedOut forgets every cookie.
func SignedOut(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
	_, err := cdp.Call(ctx, t, network.ClearBrowserCookies, cdp.Empty{})
	return chromedp.Void{}, err
}

// Look sets the size of the window and the set of colours.
func Look(width, height int64, dark bool) Step {
	scheme := "light"
	if dark {
		scheme = "dark"
	}
	return chromedp.Steps(chromedp.EmulateViewport(width, height),
		func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
			_, err := cdp.Call(ctx, t, emulation.SetEmulatedMedia,
				emulation.SetEmulatedMediaParams{Features: []*emulation.MediaFeature{
					{Name: "prefers-color-scheme", Value: scheme}, {Name: "prefers-reduced-motion", Value: "reduce"}}})
			return chromedp.Void{}, err
		})
}

// leftPage tells whether a step failed because the page it was asked of was
// left meanwhile, which Chromium says in any of these words.
func leftPage(err error) bool {
	return err != nil && (strings.Contains(err.Error(), "navigated") ||
		strings.Contains(err.Error(), "context with specified id") ||
		strings.Contains(err.Error(), "Execution context was destroyed"))
}

// textWait is how long words are waited for.
const textWait = 40 * time.Second

// becomesTrue is a promise that a condition holds: it is asked again whenever the
// page changes, so that waiting costs a page that stands still nothing. It gives
// false where that took too long.
const becomesTrue = `new Promise(done => {
	const holds = () => %s
	if (holds()) return done(true)
	const change = new MutationObserver(() => { if (holds()) end(true) })
	const limit = setTimeout(() => end(false), %d)
	const end = held => { change.disconnect(); clearTimeout(limit); done(held) }
	change.observe(document, { childList: true, subtree: true, attributes: true, characterData: true })
})`

// HasText waits until some words stand on the page, whichever page that is by
// then: on the way to another site what was asked of the old page is lost, and
// is asked again.
func HasText(words string) Step {
	wait := chromedp.Evaluate[bool](fmt.Sprintf(becomesTrue,
		fmt.Sprintf(`document.body !== null && document.body.innerText.includes(%q)`, words),
		textWait.Milliseconds()), chromedp.EvalAwaitPromise)
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		there, err := wait(ctx, t)
		for again := 0; again < 5 && leftPage(err); again++ {
			there, err = wait(ctx, t)
		}
		if err == nil && !there {
			err = fmt.Errorf("not within %s", textWait)
		}
		if err != nil {
			page, _ := chromedp.Evaluate[string](`document.body.innerText`)(ctx, t)
			return chromedp.Void{}, fmt.Errorf("waiting for %q: %w; the page says:\n%s", words, err, page)
		}
		return chromedp.Void{}, nil
	}
}
