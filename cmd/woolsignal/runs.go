package main

import (
	"context"
	"fmt"
	"strings"
	"time"

	"woolsignal/client"
	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/wire"
)

// place gives the zone and currency of the workspace.
func place(ctx context.Context, c *client.Client) (*time.Location, string, error) {
	s, err := c.Session(ctx)
	if err != nil {
		return nil, "", err
	}
	zone, err := time.LoadLocation(s.Zone)
	if err != nil {
		zone = time.UTC
	}
	return zone, s.Currency, nil
}

func runs(ctx context.Context, a *app, args []string) error {
	f := a.flags("runs")
	var filter client.Filter
	f.StringVar(&filter.Workflow, "workflow", "", "only this workflow's")
	f.StringVar(&filter.Status, "status", "", "only with this status: queued, running, waiting, done, failed, stopped")
	f.StringVar(&filter.Text, "text", "", "only where these words stand")
	f.StringVar(&filter.Label, "label", "", "only with this label")
	f.StringVar(&filter.Kind, "kind", "", "only started this way: chat, webhook, schedule, called, failure")
	f.StringVar(&filter.Since, "since", "", "only accepted at or after this time, as 2026-11-23T14:30:00Z")
	f.StringVar(&filter.Until, "until", "", "only accepted before this time")
	f.StringVar(&filter.Cost, "cost", "", "only those that cost at least this much")
	f.StringVar(&filter.Before, "before", "", "only older than this run")
	f.IntVar(&filter.Limit, "limit", 20, "how many, at most 200")
	journal := f.Bool("journal", false, "of one run: print its journal instead, as JSON")
	asJSON := f.Bool("json", false, "print JSON")
	rest, err := parse(f, args, 0, 1)
	if err != nil {
		return err
	}
	c := a.client()
	if len(rest) == 1 {
		return a.showRun(ctx, c, rest[0], *journal, *asJSON)
	}
	if *journal {
		return fmt.Errorf("%w: a journal is one run's; name it", errMisuse)
	}
	page, err := c.Runs(ctx, filter)
	if err != nil {
		return err
	}
	if *asJSON {
		return a.printJSON(page)
	}
	zone, currency, err := place(ctx, c)
	if err != nil {
		return err
	}
	if len(page.Runs) == 0 {
		fmt.Fprintln(a.out, "No runs.")
		return nil
	}
	rows := [][]string{{"RUN", "WORKFLOW", "STATUS", "WHEN", "TOOK", "TOKENS", "COST", "ABOUT"}}
	for _, r := range page.Runs {
		rows = append(rows, []string{r.ID, r.Workflow, string(r.Status), moment(r.Accepted, zone),
			took(r.Accepted, r.Ended),
			fmt.Sprint(r.Input + r.Output), r.Cost.Format(currency), oneLine(r.About, 48)})
	}
	if err := a.table(rows); err != nil {
		return err
	}
	if page.Next != "" {
		fmt.Fprintf(a.out, "Older ones: woolsignal runs -before %s\n", page.Next)
	}
	return nil
}

func (a *app) showRun(ctx context.Context, c *client.Client, id string, journal, asJSON bool) error {
	if journal {
		entries, err := c.Journal(ctx, id)
		if err != nil {
			return err
		}
		return a.printJSON(entries)
	}
	d, err := c.Run(ctx, id)
	if err != nil {
		return err
	}
	if asJSON {
		return a.printJSON(d)
	}
	zone, currency, err := place(ctx, c)
	if err != nil {
		return err
	}
	a.printRun(d, zone, currency)
	return nil
}

func stop(ctx context.Context, a *app, args []string) error {
	f := a.flags("stop")
	note := f.String("note", "", "why, for whoever reads the run")
	asJSON := f.Bool("json", false, "print JSON")
	rest, err := parse(f, args, 1, 1)
	if err != nil {
		return err
	}
	d, err := a.client().Stop(ctx, rest[0], *note)
	if err != nil {
		return err
	}
	if *asJSON {
		return a.printJSON(d)
	}
	fmt.Fprintf(a.out, "%s: %s\n", d.ID, d.Because)
	return nil
}

func (a *app) printRun(d wire.Detail, zone *time.Location, currency string) {
	fmt.Fprintf(a.out, "%s  %s  %s\n", d.Title, d.Status, d.ID)
	if d.About != "" {
		fmt.Fprintf(a.out, "“%s”\n", d.About)
	}
	fmt.Fprintf(a.out, "%s, %s, %d tokens in, %d out, %s\n", moment(d.Accepted, zone),
		orElse(took(d.Accepted, d.Ended), "not ended"), d.Input, d.Output, d.Cost.Format(currency))
	if d.Because != "" {
		fmt.Fprintf(a.out, "Because: %s\n", d.Because)
	}
	if d.Draft {
		places := []string{"with live connections"}
		for i, p := range d.InPlace {
			places = append(places[:i], "with "+p.Used+" in place of "+p.Of)
		}
		fmt.Fprintf(a.out, "A draft, %s\n", strings.Join(places, ", "))
	}
	if len(d.Labels) > 0 {
		fmt.Fprintf(a.out, "Labels: %s\n", strings.Join(d.Labels, ", "))
	}
	if d.Wake != nil {
		fmt.Fprintf(a.out, "Goes on by itself: %s\n", moment(*d.Wake, zone))
	}
	for _, f := range d.FollowUps {
		state := ""
		if f.Cancelled != "" {
			state = " (cancelled: " + f.Cancelled + ")"
		}
		fmt.Fprintf(a.out, "Follow-up %s, %s: %s%s\n", f.ID, moment(f.Due, zone), f.What, state)
	}
	for _, s := range d.Steps {
		mark := "·"
		switch s.Status {
		case run.Done:
			mark = "✓"
		case run.Skipped:
			mark = "-"
		case run.Failed:
			mark = "✗"
		case run.Stopped:
			mark = "■"
		case run.Running:
			mark = "…"
		case run.Waiting, run.Uncertain:
			mark = "?"
		}
		pad := fmt.Sprintf("%*s", 2*s.Depth, "")
		duration := ""
		if s.Began != nil && s.Kind != "trigger" && s.Kind != "case" {
			duration = took(*s.Began, s.Ended)
		}
		fmt.Fprintf(a.out, "\n%s %s%-3s %s  %s\n", mark, pad, s.Number, s.Line.Text(), duration)
		under := "      " + pad
		if s.Input != nil && (s.Agent == nil || s.Kind == "tool") {
			indent(a.out, under+"given  ", oneLine(value(s.Input), 400))
		}
		if s.Agent != nil {
			a.printAgent(under, s.Agent, d.Reviews, zone, currency)
		}
		if s.Output != nil {
			indent(a.out, under+"gave   ", oneLine(value(s.Output), 400))
		}
		if words := heldWords[s.Held]; words != "" {
			indent(a.out, under+"held   ", words)
		}
		if s.Child != "" {
			indent(a.out, under+"called ", "run "+s.Child)
		}
		if s.Until != nil {
			indent(a.out, under+"until  ", moment(*s.Until, zone))
		}
		if s.Error != "" {
			word := "failed "
			if s.Status == run.Stopped {
				word = "ended  "
			}
			indent(a.out, under+word, s.Error)
		}
		if s.Kind == "review" && s.Began != nil {
			for _, r := range d.Reviews {
				if r.Kind == run.OfStep {
					a.printDecision(under, r, zone)
				}
			}
		}
	}
	if d.Result != nil {
		fmt.Fprintf(a.out, "\nGave %s\n", oneLine(value(d.Result), 400))
	}
	if d.Response != nil {
		fmt.Fprintf(a.out, "\nAnswered the caller %d %s\n", d.Response.Status, oneLine(value(d.Response.Body), 400))
	}
}

// heldWords say what a call gave that was held back.
var heldWords = map[run.Held]string{run.HeldLast: "the call was held back; this is what it last gave",
	run.HeldMadeUp: "the call was held back; what it gave is made up", run.HeldBare: "the call was held back"}

// printAgent lays an agent's turns open: what was said and sent, in order.
func (a *app) printAgent(under string, s *agent.State, reviews []run.Review, zone *time.Location, currency string) {
	if s.Recalled > 0 {
		fmt.Fprintf(a.out, "%sremembers %d earlier messages\n", under, s.Recalled)
	}
	turn := 0
	for i := s.Recalled; i < len(s.Messages); i++ {
		m := s.Messages[i]
		switch m.Role {
		case "user":
			indent(a.out, under+"asked  ", m.Text)
		case "assistant":
			for _, act := range s.Acts {
				if act.Turn == turn {
					fmt.Fprintf(a.out, "%s%s has it from here, after %s\n", under, act.Agent, act.Was)
				}
			}
			if turn < len(s.Turns) {
				t := s.Turns[turn]
				fmt.Fprintf(a.out, "%sturn %d  %s, %d in, %d out, %s, %s\n", under, turn+1, t.Model, t.Input, t.Output,
					t.Cost.Format(currency), took(t.Asked, &t.Answered))
			}
			turn++
			if m.Text != "" {
				indent(a.out, under+"  said ", m.Text)
			}
			for _, ask := range m.Asks {
				a.printCall(under, s, ask, reviews, zone)
			}
		}
	}
}

func (a *app) printCall(under string, s *agent.State, ask agent.Request, reviews []run.Review, zone *time.Location) {
	for _, c := range s.Calls {
		if c.Ask != ask.ID {
			continue
		}
		fmt.Fprintf(a.out, "%s  used %s %s\n", under, c.Tool, oneLine(value(c.Args), 300))
		if c.Beside {
			fmt.Fprintf(a.out, "%s    its plan says nothing of this\n", under)
		}
		a.printApproval(under+"    ", c)
		for _, r := range reviews {
			if r.ID == c.Review {
				a.printDecision(under+"    ", r, zone)
			}
		}
		if c.Child != "" {
			fmt.Fprintf(a.out, "%s    as the run %s\n", under, c.Child)
		}
		switch c.State {
		case agent.Done:
			fmt.Fprintf(a.out, "%s    gave %s\n", under, oneLine(value(c.Result), 300))
		case agent.Failed:
			fmt.Fprintf(a.out, "%s    failed: %s\n", under, c.Error)
		}
	}
}

// printThing tells what a call is about, and what becomes of it.
func (a *app) printThing(under string, t *agent.Thing) {
	fmt.Fprintf(a.out, "%sis about %s\n", under, orElse(t.Words, t.Unknown))
	for _, change := range t.Changes {
		fmt.Fprintf(a.out, "%s  %s: %s becomes %s\n", under, change.Name, orElse(change.Before, "nothing"),
			orElse(change.After, "nothing"))
	}
}

// printApproval tells what a call is about, whether somebody is asked, and what the
// speaker said.
func (a *app) printApproval(under string, c *agent.Call) {
	if c.Thing != nil {
		a.printThing(under, c.Thing)
	}
	if c.Judged != nil {
		asked := map[bool]string{true: "somebody is asked", false: "nobody is asked"}[c.Judged.Holds]
		fmt.Fprintf(a.out, "%s%s: %s\n", under, asked, c.Judged.Reason)
	}
	if c.Back != nil {
		indent(a.out, under+"read back ", c.Back.Text)
		if c.Back.Phase == agent.BackSettled {
			fmt.Fprintf(a.out, "%s%s: %s\n", under, orElse(c.By, "nobody"), orElse(c.Note, "yes"))
		}
	}
}

func (a *app) printDecision(under string, r run.Review, zone *time.Location) {
	if r.Choice == "" {
		fmt.Fprintf(a.out, "%swaits for %s since %s: %s\n", under, flow.Audience(r.Ask), moment(r.Asked, zone), r.ID)
		return
	}
	fmt.Fprintf(a.out, "%s%s: %s, %s\n", under, r.By, r.Choice, moment(r.Decided, zone))
	for k, v := range r.Edited {
		if before := r.Edit[k]; value(before) != value(v) {
			fmt.Fprintf(a.out, "%s  changed %s from %s to %s\n", under, k, value(before), value(v))
		}
	}
	if r.Note != "" {
		fmt.Fprintf(a.out, "%s  said: %s\n", under, r.Note)
	}
}

func orElse(s, other string) string {
	if s == "" {
		return other
	}
	return s
}
