package e2e_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"woolsignal/core/flow"
	"woolsignal/e2e/harness"
)

// TestATextIsReadAsItIsEdited reads every workflow of the demo as it stands: that
// says what the service says of it, and keeps nothing.
func TestATextIsReadAsItIsEdited(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, c := harness.Context(t), s.As("Ines")
	all, err := c.Workflows(ctx)
	if err != nil || len(all) == 0 {
		t.Fatal(all, err)
	}
	for _, one := range all {
		script, err := c.Workflow(ctx, one.ID)
		if err != nil {
			t.Fatal(err)
		}
		read, err := c.Read(ctx, one.ID, script.Text)
		agents := strings.Contains(fmt.Sprint(script.Problems), "agents/") // theirs are beside
		if err != nil || len(read.Problems) != len(script.Problems) && !agents {
			t.Errorf("%s: %v, %v; the service finds %v", one.ID, err, read.Problems, script.Problems)
		}
		words := func(lines []flow.Line) (out []string) {
			for _, l := range lines {
				out = append(out, l.Text())
			}
			return out
		}
		if !slices.Equal(words(read.Lines), words(script.Lines)) {
			t.Errorf("%s is read as other sentences:\n%s", one.ID, strings.Join(words(read.Lines), "\n"))
		}
	}
}

// TestWhatMayBeReadWhere follows names through blocks: what a step adds behind
// it, what a block adds inside it, and that a change nobody keeps is gone.
func TestWhatMayBeReadWhere(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, c := harness.Context(t), s.As("Ines")
	read, err := c.Read(ctx, "payout-week", `workflow: payout-week
title: Payouts
inputs: {type: object, required: [growers], properties: {growers: {type: array, items: {type: object, required: [name],
  properties: {name: {type: string}}}}}}
steps:
  - id: paid
    each:
      of: inputs.growers
      do:
        - id: one
          compute: {words: '"To " + item.name', twice: 2 * 3}
      gives: {to: '${one.words}'}
  - id: last
    when: size(paid.results) > 0
    compute: {n: size(paid.results)}
  - say: {text: '${last.n} of ${paid.result} and ${nobody.name}'}
`)
	if err != nil {
		t.Fatal(err)
	}
	adds := map[string]map[string]flow.Sight{"": {}}
	for _, sight := range read.Sees {
		adds[""][sight.Name] = sight
	}
	for _, line := range read.Lines {
		adds[line.Path] = map[string]flow.Sight{}
		for _, sight := range line.Adds {
			adds[line.Path][sight.Name] = sight
		}
	}
	for _, want := range []struct{ path, name, field, kind string }{
		{"", "inputs", "growers", "list"}, {"", "signal", "from", "map"}, {"0", "paid", "results", "list"},
		{"0/item/0", "one", "words", "text"}, {"0/item/0", "one", "twice", "number"}, {"1", "last", "n", "number"},
	} {
		sight, there := adds[want.path][want.name]
		if inner, _ := sight.Shape.Field(want.field); !there || inner.Kind() != want.kind {
			t.Errorf("at %q %s is %+v, want %s a %s", want.path, want.name, sight, want.field, want.kind)
		}
	}
	if item, there := adds["0/item"]["item"]; !there || item.Shape.Kind() != "map" || len(adds["0/item"]) > 2 {
		t.Errorf("inside each there is %+v", adds["0/item"])
	}
	if !adds["1"]["last"].Optional {
		t.Error("a step that may be left out adds something that is sure to be there")
	}
	said := fmt.Sprint(read.Problems)
	for _, wrong := range []string{"nobody", "paid.result"} {
		if !strings.Contains(said, wrong) {
			t.Errorf("nothing is said of %s: %s", wrong, said)
		}
	}
	if kept, err := c.Workflow(ctx, "payout-week"); err != nil || strings.Contains(kept.Text, "twice") {
		t.Errorf("what was read is kept: %v", err)
	}
}

// TestWhatCannotBeReadIsSaid reads texts that are no workflows, of every size.
func TestWhatCannotBeReadIsSaid(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	ctx, c := harness.Context(t), s.As("Ines")
	for name, text := range map[string]string{"nothing": "", "no YAML": "steps: [", "a list": "- a",
		"a tab":              "steps:\n\t- a",
		"an alias of itself": "workflow: &a [*a]", "a step of no kind": "workflow: new\nsteps: [{}]",
		"null": "workflow: new\nsteps: null\ntriggers: [null]", "deep": strings.Repeat("[", 10_000)} {
		read, err := c.Read(ctx, "new", text)
		if err != nil || len(read.Problems) == 0 {
			t.Errorf("%s: %v, %v", name, read.Problems, err)
		}
	}
	if _, err := c.Read(ctx, "new", strings.Repeat("#", 1<<20+1)); err == nil ||
		!strings.Contains(err.Error(), "1 MiB") {
		t.Errorf("a text beyond the limit: %v", err)
	}
	if _, err := c.Read(ctx, "No_Id", "workflow: x"); err == nil {
		t.Error("an id that is none is taken")
	}
	if _, err := s.As("Tobias").Read(ctx, "new", ""); err == nil {
		t.Error("a reviewer reads drafts")
	}
}
