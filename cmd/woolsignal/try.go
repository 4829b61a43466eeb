package main

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"woolsignal/wire"
)

// tryOf reads what is tried, and how.
func tryOf(a *app, args []string) (workflow string, t wire.Try, asJSON bool, err error) {
	f := a.flags("try")
	f.StringVar(&t.Run, "run", "", "a run whose signal it begins with, and whose values one step sees")
	f.StringVar(&t.Sample, "sample", "", "a kept signal to begin with")
	signal := f.String("signal", "", "a signal to begin with as JSON, or a file of one")
	inputs := f.String("inputs", "", "inputs it is called with as JSON, or a file of them")
	values := f.String("values", "", "values one step sees as JSON, or a file of them: {\"net\": {\"kg\": 3}}")
	f.StringVar(&t.Until, "until", "", "id or path of the step it ends behind")
	f.StringVar(&t.From, "from", "", "id or path of the step to begin at; what came before is taken from the run")
	f.BoolVar(&t.Send, "send", false, "let it change things outside; else such calls are held back")
	really := f.String("really", "", "tools that change things all the same, with commas between")
	f.BoolVar(&t.Hurry, "hurry", false, "end waits at once, as if their time had come")
	at := f.String("at", "", "what the time is taken to be, as 2026-11-26T09:00:00Z")
	f.BoolVar(&asJSON, "json", false, "print JSON")
	rest, err := parse(f, args, 1, 2)
	if err != nil {
		return "", t, false, err
	}
	if len(rest) == 2 {
		t.Step = rest[1]
	}
	if *really != "" {
		t.Really = strings.Split(*really, ",")
	}
	if *at != "" {
		moment, err := time.Parse(time.RFC3339, *at)
		if err != nil {
			return "", t, false, fmt.Errorf("%w: -at takes a time such as 2026-11-26T09:00:00Z", errMisuse)
		}
		t.At = &moment
	}
	err = errors.Join(readInto(*values, "values are a map by name", &t.Given), readInputs(*inputs, &t.Inputs),
		readSignal(*signal, &t.Signal))
	return rest[0], t, asJSON, err
}

func try(ctx context.Context, a *app, args []string) error {
	workflow, t, asJSON, err := tryOf(a, args)
	if err != nil {
		return err
	}
	c := a.client()
	id, err := c.Try(ctx, workflow, t)
	if err != nil {
		return err
	}
	return a.outcome(ctx, c, id, true, asJSON)
}
