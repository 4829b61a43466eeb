package main

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"woolsignal/core/flow"
	"woolsignal/wire"
)

func agents(ctx context.Context, a *app, args []string) error {
	f := a.flags("agents")
	asJSON := f.Bool("json", false, "print JSON")
	rest, err := parse(f, args, 0, 1)
	if err != nil {
		return err
	}
	c := a.client()
	_, currency, err := place(ctx, c)
	if err != nil {
		return err
	}
	if len(rest) == 1 {
		one, err := c.Agent(ctx, rest[0])
		if err != nil {
			return err
		}
		if *asJSON {
			return a.printJSON(one)
		}
		a.agent(one, currency)
		return nil
	}
	all, err := c.Agents(ctx)
	if err != nil {
		return err
	}
	if *asJSON {
		return a.printJSON(all)
	}
	if len(all) == 0 {
		fmt.Fprintln(a.out, "No agents yet. Write one in agents/NAME.yaml; woolsignal language agent tells how.")
		return nil
	}
	rows := [][]string{{"AGENT", "TITLE", "THINKS WITH", "TOOLS", "USED BY", "A TASK COSTS"}}
	for _, one := range all {
		rows = append(rows, []string{one.ID, one.Title, one.Model.Name, fmt.Sprint(one.Tools),
			oneLine(strings.Join(one.Used, ", "), 40), usually(one.Usual, currency)})
	}
	return a.table(rows)
}

// usually says what runs of one kind cost lately.
func usually(u *wire.Usual, currency string) string {
	if u == nil {
		return ""
	}
	return fmt.Sprintf("about %s, at most %s", u.Cost.Format(currency), u.Most.Format(currency))
}

// agent tells one agent, a part of it a line.
func (a *app) agent(one wire.AgentInFull, currency string) {
	fmt.Fprintf(a.out, "%s (%s)\n%s\n\n", one.Title, one.ID, one.Purpose)
	m := one.Model
	fmt.Fprintf(a.out, "Thinks with  %s, of %s", m.Name, m.Title)
	if m.Window > 0 {
		fmt.Fprintf(a.out, "; reads %d tokens", m.Window)
	}
	fmt.Fprintf(a.out, "; %g %s for a million read, %g written\n", m.InputPrice, currency, m.OutputPrice)
	var told []string
	for _, s := range one.Told {
		told = append(told, fmt.Sprintf("%s (%d lines)", orElse(s.Heading, "how to work"), s.Lines))
	}
	fmt.Fprintf(a.out, "Is told      %s\n", strings.Join(told, ", "))
	before := ""
	for _, t := range one.Kit {
		head, what := kitHead(t)
		if head == before {
			fmt.Fprintf(a.out, "%-12s %s\n", "", what)
		} else {
			fmt.Fprintf(a.out, "%-12s %s\n", head, what)
		}
		before = head
	}
	if one.Inputs != nil {
		fmt.Fprintf(a.out, "Is given     %s\n", strings.Join(propertiesOf(one.Inputs), ", "))
	}
	if one.Answer != nil {
		fmt.Fprintf(a.out, "Answers      %s\n", strings.Join(propertiesOf(one.Answer), ", "))
	}
	fmt.Fprintf(a.out, "Used by      %s\n", orElse(strings.Join(one.Used, ", "), "no workflow"))
	if one.Usual != nil {
		fmt.Fprintf(a.out, "A task costs %s, going by %d of them\n", usually(one.Usual, currency), one.Usual.Runs)
	}
	for _, p := range one.Problems {
		fmt.Fprintf(a.out, "\n%s\n", p.String())
	}
	fmt.Fprintf(a.out, "\nGive it a task: woolsignal start -agent %s \"…\"\n", one.ID)
}

// kitHead says what is done with a part of an agent's kit, and with what.
func kitHead(t wire.KitTool) (head, what string) {
	switch kind, id, _ := flow.CompanyTool(t.Name); kind {
	case flow.HelperTools:
		return "Asks", id
	case flow.HandOffTools:
		return "Hands over", "to " + id
	}
	return "May use", t.Name + ", " + kitWords(t)
}

// kitWords say when somebody is asked before a tool is used, and what is fixed.
func kitWords(t wire.KitTool) string {
	words := "freely"
	switch {
	case t.Missing:
		words = "which is not there any more"
	case t.Approval == "always":
		words = "after a yes of " + whom(t.Ask)
	case t.Approval == "when":
		words = "after a yes of " + whom(t.Ask) + " when " + t.When
	case t.Approval == "judge":
		words = "after a yes of " + whom(t.Ask) + " when this is judged to hold: " + t.When
	case t.ReadOnly:
		words = "freely: it only reads"
	}
	if len(t.Fixed) > 0 {
		words += "; fixed: " + strings.Join(t.Fixed, ", ")
	}
	return words
}

// whom says who is asked.
func whom(of string) string {
	if of == flow.Speaker {
		return "whoever it talks with"
	}
	return orElse(of, "a reviewer")
}

// propertiesOf names the properties of a schema.
func propertiesOf(schema map[string]any) []string {
	properties, _ := schema["properties"].(map[string]any)
	return slices.Sorted(maps.Keys(properties))
}
