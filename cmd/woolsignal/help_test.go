package main

import (
	"bytes"
	"context"
	"strings"
	"testing"
)

// TestEveryCommandTellsWhatItDoes reads what each says with -h.
func TestEveryCommandTellsWhatItDoes(t *testing.T) {
	for _, c := range commands() {
		var out bytes.Buffer
		a := &app{out: &out, errs: &out}
		if code := a.main(context.Background(), []string{c.name, "-h"}); code != 0 {
			t.Errorf("%s -h ends with %d", c.name, code)
		}
		for _, want := range []string{c.summary + ".", "woolsignal " + c.name, "woolsignal " + c.example} {
			if !strings.Contains(out.String(), want) {
				t.Errorf("%s -h does not say %q:\n%s", c.name, want, out.String())
			}
		}
		for _, name := range c.arguments() {
			if arguments[name] == "" || !strings.Contains(out.String(), arguments[name]) {
				t.Errorf("%s -h does not say what %s is", c.name, name)
			}
		}
	}
}

// TestExamplesHaveOnlyFlagsThereAre reads the flags of each example: -h behind
// them is only reached where all before it are known.
func TestExamplesHaveOnlyFlagsThereAre(t *testing.T) {
	for _, c := range commands() {
		var out bytes.Buffer
		a := &app{out: &out, errs: &out}
		args := append(strings.Fields(strings.NewReplacer(`"`, "", "'", "").Replace(c.example)), "-h")
		if code := a.main(context.Background(), args); code != 0 || args[0] != c.name {
			t.Errorf("woolsignal %s ends with %d:\n%s", c.example, code, out.String())
		}
	}
}
