package e2e_test

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"woolsignal/core/run"
	"woolsignal/e2e/browser"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// page opens a browser for a test.
// chromium is the one browser of all tests, started by the first that needs it.
var chromium = sync.OnceValues(func() (context.Context, error) {
	ctx, _, err := browser.Open(context.Background()) // it ends with this process
	return ctx, err
})

// page is a window of the test's own.
func page(t *testing.T) context.Context {
	t.Helper()
	shared, err := chromium()
	if err != nil {
		t.Fatal(err)
	}
	ctx, end, err := browser.Beside(shared)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(end)
	do(t, ctx, browser.Look(1280, 800, false))
	return ctx
}

func do(t *testing.T, ctx context.Context, steps ...browser.Step) {
	t.Helper()
	limited, cancel := context.WithTimeout(ctx, 4*time.Minute)
	defer cancel()
	if err := chromedp.Do(limited, steps...); err != nil {
		t.Fatalf("%v\nthe page, and what is in use there:\n%s", err, pageAsIs(ctx))
	}
}

// pageAsIs is what somebody reads on a page, for whoever reads of a failure.
func pageAsIs(ctx context.Context) string {
	limited, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	all, err := chromedp.Run(limited, chromedp.Evaluate[string](`location.pathname + "\n" +
		document.body.innerText.slice(0, 3000) + "\n" + (document.activeElement?.outerHTML ?? "").slice(0, 300)`))
	if err != nil {
		return err.Error()
	}
	return all
}

const message = chromedp.CSS(`textarea[aria-label=Message]`)

func write(words string) browser.Step {
	return chromedp.Steps(chromedp.WaitVisible(message), chromedp.SendKeys(message, words+kb.Enter))
}

// TestConsoleFromChatToBooking does the README's walk in a browser: Ines
// talks, Tobias decides with a key, the conversation goes on, and the run can
// be read.
func TestConsoleFromChatToBooking(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx := page(t)
	ines, tobias := s.Person("Ines"), s.Person("Tobias")
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password),
		chromedp.Navigate(s.URL+"/workflows"), browser.HasText("Depot slots"), browser.HasText("Every 15 minutes"),
		chromedp.Click(chromedp.CSS(`a[href="/workflows/depot-slots"]`)),
		browser.HasText("Ask the agent Depot desk about"),
		write("Can I bring 30 fleeces on Thursday morning?"), browser.HasText("Which farm are they coming from?"),
		write("Hollin Bank"), browser.HasText("You are booked: Thursday"),
		write("Cancel it"), browser.HasText("Waiting for the grading lead"))
	if n := s.Count("almanac", "PUT", 200, 201, 204); n != 1 {
		t.Errorf("%d bookings were made", n)
	}
	open, err := s.As("Tobias").Reviews(harness.Context(t), false)
	if err != nil || len(open) != 1 {
		t.Fatalf("reviews: %v %v", open, err)
	}
	do(t, ctx, browser.SignIn(s.URL, tobias.Email, tobias.Password), chromedp.Navigate(s.URL+"/reviews"),
		browser.HasText("30 fleeces from Hollin Bank"),
		chromedp.Navigate(s.URL+"/reviews/"+open[0].ID),
		browser.HasText("30 fleeces from Hollin Bank"), browser.HasText("1 for you"),
		chromedp.WaitVisible(chromedp.CSS(`section[aria-label="The proposal"] button`)),
		chromedp.KeyEvent("e"), chromedp.WaitVisible(chromedp.CSS(`section[aria-label="The proposal"] textarea:focus`)))
	// The second field is the reason; the change is marked beside it.
	const reason = chromedp.JSPath(`document.querySelectorAll('section[aria-label="The proposal"] textarea')[1]`)
	do(t, ctx, chromedp.SendKeys(reason, kb.End+" (trailer)"), browser.HasText("Cancel it (trailer)"),
		chromedp.Blur(reason), chromedp.KeyEvent("a"), browser.HasText("Tobias Quill"),
		browser.HasText("Changed reason"))
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password), chromedp.Navigate(s.URL+"/workflows/depot-slots"),
		browser.HasText("is cancelled"),
		write("What about Friday afternoon instead?"), browser.HasText("You are booked: Friday"))
	runs, err := s.As("Ines").Runs(harness.Context(t), filterWorkflow("depot-slots"))
	if err != nil {
		t.Fatal(err)
	}
	cancelled := ""
	for _, r := range runs.Runs {
		if r.About == "Cancel it" && r.Status == run.Done {
			cancelled = r.ID
		}
	}
	do(t, ctx, chromedp.Navigate(s.URL+"/runs/"+cancelled), browser.HasText("done in"), browser.HasText("Turn 2"),
		browser.HasText("bellwether-medium"),
		browser.HasText(`Changed reason from "Cancel it" to "Cancel it (trailer)"`),
		browser.HasText("Messages as sent"), browser.HasText("£0.00"))
}

// TestRunIsSeenWhileItHappens watches a run's page while its tool is slow.
func TestRunIsSeenWhileItHappens(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx := page(t)
	book(t, s, "t1")
	d := s.Talk("t1", "Cancel it")
	ines := s.Person("Ines")
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password), chromedp.Navigate(s.URL+"/runs/"+d.ID),
		browser.HasText("waiting for the grading lead"))
	if _, errs, code := s.Command("Tobias", "", "answer", "-approve", s.OpenReview(d).ID); code != 0 {
		t.Fatal(errs)
	}
	do(t, ctx, browser.HasText("done in"), browser.HasText("Tobias Quill: approve"))
}

// TestWrittenTextIsNeverMarkup sends markup through every text a page shows.
func TestWrittenTextIsNeverMarkup(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx := page(t)
	ines := s.Person("Ines")
	const hostile = `<img src=x onerror="window.broken=1"><script>window.broken=1</script> Can I bring 30 fleeces ` +
		`on Thursday morning?`
	d := s.Talk("t1", hostile)
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password))
	for _, path := range []string{"/runs", "/runs/" + d.ID, "/", "/workflows/depot-slots"} {
		do(t, ctx, chromedp.Navigate(s.URL+path), browser.HasText("Wool Signal"))
		if path != "/" {
			do(t, ctx, browser.HasText("<img src=x"))
		}
		if broken, err := chromedp.Run(ctx, chromedp.Evaluate[bool](`window.broken === 1`)); err != nil || broken {
			t.Errorf("%s ran what somebody wrote (%v)", path, err)
		}
	}
}

// accessible holds the page a browser shows against axe-core.
func accessible(t *testing.T, ctx context.Context, name string) {
	t.Helper()
	axe, err := os.ReadFile("../console/node_modules/axe-core/axe.min.js")
	if err != nil {
		t.Fatalf("axe-core is not installed; `make build` installs it: %v", err)
	}
	result, err := chromedp.Run(ctx, chromedp.Evaluate[string](string(axe)+`;
		axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'best-practice'],
			resultTypes: ['violations']})
			.then(r => JSON.stringify(r.violations.map(v => ({id: v.id,
				nodes: v.nodes.map(n => n.html.slice(0, 160) + ' ' + (n.any[0]?.message ?? ''))}))))`,
		chromedp.EvalAwaitPromise))
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	var violations []struct {
		ID    string
		Nodes []string
	}
	if err := json.Unmarshal([]byte(result), &violations); err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	for _, v := range violations {
		t.Errorf("%s: %s\n  %s", name, v.ID, strings.Join(v.Nodes, "\n  "))
	}
}

// TestPagesAreAccessible holds every page against axe-core, light and dark.
func TestPagesAreAccessible(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx := page(t)
	book(t, s, "t1")
	d := s.Talk("t1", "Cancel it")
	ines, tobias := s.Person("Ines"), s.Person("Tobias")
	check := func(name string) { t.Helper(); accessible(t, ctx, name) }
	do(t, ctx, browser.SignedOut, chromedp.Navigate(s.URL), browser.HasText("Sign in"))
	check("sign in")
	do(t, ctx, browser.SignIn(s.URL, tobias.Email, tobias.Password))
	for _, dark := range []bool{false, true} {
		do(t, ctx, browser.Look(1280, 800, dark))
		for _, p := range []struct{ path, words string }{{"/", "Waiting for you"}, {"/workflows", "Depot slots"},
			{"/workflows/depot-slots", "Ask the agent"},
			{"/workflows/weighbridge", "Answer the caller"}, {"/runs", "Cancel it"}, {"/runs/" + d.ID, "Turn 1"},
			{"/reviews", "Open the run"}, {"/tables", "Fibre tests"}, {"/talk/front-door", "What is it about?"}} {
			do(t, ctx, chromedp.Navigate(s.URL+p.path), browser.HasText(p.words))
			check(fmt.Sprintf("%s, dark %t", p.path, dark))
		}
	}
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password))
	for _, dark := range []bool{false, true} {
		do(t, ctx, browser.Look(1280, 800, dark), chromedp.Navigate(s.URL+"/connections/minutes"),
			browser.HasText("Nobody has signed in yet"))
		check(fmt.Sprintf("a connection, dark %t", dark))
	}
}

// TestBuildingIsAccessible holds the building page against axe-core in each of
// its states, light and dark.
func TestBuildingIsAccessible(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, h, ines := page(t), &browser.Hand{}, s.Person("Ines")
	if err := s.As("Ines").KeepSample(harness.Context(t), "weighbridge", "dry",
		wire.KeepSample{Signal: handWritten("dry")}); err != nil {
		t.Fatal(err)
	}
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password))
	states := []struct {
		name string
		acts []browser.Step
	}{
		{"as it is", []browser.Step{browser.HasText("Answer the caller")}},
		{"tried", []browser.Step{h.Click("button", "Run"), browser.Sees("link", "Open the run")}},
		{"a step open", []browser.Step{h.Click("group", "Use Clip Register"), browser.Sees("textbox", "grower")}},
		{"a sum open", []browser.Step{h.Click("group", "Work out net"), browser.Sees("button", "More with kg")}},
		{"the search", []browser.Step{h.Click("button", "Add below"), browser.Sees("combobox", "What comes here")}},
		{"a condition", []browser.Step{h.Press("Escape"), h.Click("button", "Change shrinkage of net is more than 8"),
			browser.HasText("as code")}},
		{"the file", []browser.Step{h.Press("Escape"), h.Click("tab", "File"), browser.Sees("textbox", "The file")}},
		{"a decision", []browser.Step{h.Click("tab", "Script"), h.Click("group", "Decide sort"),
			browser.HasText("What each way gives")}},
		{"a case", []browser.Step{h.Click("group", "if this is judged"), browser.Sees("radio", "a sentence")}},
		{"a delivery", []browser.Step{h.Click("DisclosureTriangle", "Send it as a signed"),
			h.Click("button", "Show it for curl"), browser.HasText("curl -X POST")}},
		{"a connection", []browser.Step{h.Click("button", "+ one more step"), h.Type("HTTP API"), h.Press("Enter"),
			browser.Sees("textbox", "Address of its")}},
		{"before it is live", []browser.Step{h.Press("Escape"), h.Click("button", "Make live"),
			browser.HasText("Before it is live")}},
	}
	for _, dark := range []bool{false, true} {
		do(t, ctx, browser.Look(1280, 800, dark), chromedp.Navigate(s.URL+"/workflows/weighbridge"))
		for _, state := range states {
			do(t, ctx, state.acts...)
			accessible(t, ctx, fmt.Sprintf("%s, dark %t", state.name, dark))
		}
	}
}
