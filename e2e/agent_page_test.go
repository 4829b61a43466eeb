package e2e_test

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"woolsignal/e2e/browser"
	"woolsignal/e2e/harness"
)

// agentText is an agent's file as the service has it.
func agentText(t *testing.T, s *harness.Service, id string) string {
	t.Helper()
	one, err := s.As("Ines").Agent(harness.Context(t), id)
	if err != nil {
		t.Fatal(err)
	}
	return one.Text
}

// TestAnAgentIsReadTriedAndChanged opens the agents' page and an agent's, talks with it
// with its turns open and nothing changed outside, changes its kit and limits in place,
// and takes back what does not hold.
func TestAnAgentIsReadTriedAndChanged(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, h, ines := page(t), &browser.Hand{}, s.Person("Ines")
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password), h.Click("link", "Agents"),
		browser.HasText("11 agents"), h.Click("link", "Depot desk"), browser.HasText("20 exchanges of a conversation"),
		browser.HasText("Almanac: remove event"), browser.HasText("after a yes of grading lead"),
		browser.HasText("without asking anybody"))
	accessible(t, ctx, "an agent")
	do(t, ctx, h.Click("textbox", "Message"), h.Type("Can I bring 30 fleeces from Hollin Bank on Thursday morning?"),
		h.Press("Enter"), browser.HasText("You are booked: Thursday"), browser.HasText("what the model has read"),
		browser.HasText("of 32,000"), h.Click("DisclosureTriangle", "How it came about"), browser.HasText("Turn 2"),
		browser.HasText("Held back"))
	if n := s.Count("almanac", "PUT"); n != 0 {
		t.Errorf("trying it changed %d things outside", n)
	}
	do(t, ctx, h.Click("button", "Change what it may use"), h.Click("textbox", "Search tools"), h.Type("loft copies"),
		h.Click("checkbox", "Loft: copy"), h.Click("button", "Give it this one"),
		browser.HasText("changes something outside, and nobody wrote down who approves it"),
		h.Click("combobox", "When somebody is asked: Loft: copy"), h.Type("each"), h.Press("Enter"),
		browser.Sees("combobox", "Who is asked: Loft: copy"), h.Click("button", "Change what it stops at"))
	accessible(t, ctx, "an agent that is changed")
	do(t, ctx, h.Click("button", "Change it"))
	harness.Eventually(t, "what was changed is kept, and nothing else", func() bool {
		now := agentText(t, s, "depot-desk")
		return strings.Contains(now, "- tool: loft/copy") && strings.Contains(now, "ask: reviewer") &&
			strings.Contains(now, "# a wrong booking costs a phone call; nobody needs asking")
	})
}

// TestATypedAgentIsGivenWhatItTakes tries an agent with inputs: without them it says what
// is missing, with them its typed answer is read.
func TestATypedAgentIsGivenWhatItTakes(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, h, ines := page(t), &browser.Hand{}, s.Person("Ines")
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password), chromedp.Navigate(s.URL+"/agents/note-taker"),
		h.Click("textbox", "Message"), h.Type("What does this caller want?"), h.Press("Enter"),
		browser.HasText("said"), browser.HasText("Your words are still here"),
		h.Click("textbox", "said (needed)"), h.Type("Could the lorry do a collection on Tuesday?"),
		h.Click("button", "Send"), browser.HasText("a collection"))
	accessible(t, ctx, "an agent that is given something")
}

// TestANewAgentIsMade makes one from nothing, which may be given a task at once.
func TestANewAgentIsMade(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, h, ines := page(t), &browser.Hand{}, s.Person("Ines")
	do(t, ctx, browser.SignIn(s.URL, ines.Email, ines.Password), chromedp.Navigate(s.URL+"/agents"),
		h.Click("button", "New agent"), browser.Sees("textbox", "What it is called"), h.Type("Yard clerk"),
		h.Click("combobox", "model"), h.Type("medium"), h.Press("Enter"), h.Click("textbox", "instructions"),
		h.Type("Answer politely."))
	accessible(t, ctx, "an agent that is made")
	do(t, ctx, h.Click("button", "Make it"), browser.HasText("it only answers"),
		h.Click("textbox", "Message"), h.Type("Sum this up: The ram sale was wet."), h.Press("Enter"),
		browser.HasText("The ram sale was wet."))
	if !strings.Contains(agentText(t, s, "yard-clerk"), "instructions: Answer politely.") {
		t.Error(agentText(t, s, "yard-clerk"))
	}
}
