package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"strings"

	"woolsignal/client"
	"woolsignal/core/expr"
	"woolsignal/core/run"
	"woolsignal/wire"
)

// readJSON reads a JSON value from a file, or from the text itself where it is
// no file's name.
func readJSON(from string) (any, error) {
	text := []byte(from)
	if trimmed := strings.TrimSpace(from); !strings.HasPrefix(trimmed, "{") && !strings.HasPrefix(trimmed, "[") &&
		!strings.HasPrefix(trimmed, `"`) {
		var err error
		if text, err = os.ReadFile(from); err != nil {
			return nil, err
		}
	}
	v, err := expr.DecodeJSON(text)
	if err != nil {
		return nil, fmt.Errorf("%s is not JSON: %w", oneLine(from, 40), err)
	}
	return v, nil
}

// readInto reads a JSON value, or a file of one; "" is none.
func readInto(from, what string, into any) error {
	if from == "" {
		return nil
	}
	v, err := readJSON(from)
	if err != nil {
		return err
	}
	data, err := json.Marshal(v)
	if err != nil {
		return err
	}
	if err := json.Unmarshal(data, into); err != nil {
		return errors.New(what)
	}
	return nil
}

func readInputs(from string, into *map[string]any) error {
	return readInto(from, "inputs are a map of names and values", into)
}

func readSignal(from string, into **wire.Signal) error {
	return readInto(from, "this is no signal", into)
}

// outcome waits for a run and prints it; or just its id.
func (a *app) outcome(ctx context.Context, c *client.Client, id string, wait, asJSON bool) error {
	if !wait {
		if asJSON {
			return a.printJSON(wire.Started{Run: id})
		}
		fmt.Fprintln(a.out, id)
		return nil
	}
	d, err := c.Settled(ctx, id)
	if err != nil {
		return err
	}
	if asJSON {
		err = a.printJSON(d)
	} else {
		zone, currency, missing := place(ctx, c)
		if missing != nil {
			return missing
		}
		a.printRun(d, zone, currency)
	}
	if err == nil && d.Status == run.Failed {
		err = errReported
	}
	return err
}

func start(ctx context.Context, a *app, args []string) error {
	f := a.flags("start")
	inputs := f.String("inputs", "", "inputs as JSON, or a file of them")
	agent := f.String("agent", "", "give this agent a task, without any workflow: start -agent AGENT \"task\"")
	thread := f.String("thread", "", "the conversation with the agent that the task goes on with")
	held := f.Bool("hold", false, "with -agent: hold back what would change something outside")
	sample := f.String("sample", "", "a kept signal to start it with")
	signal := f.String("signal", "", "a signal as JSON, or a file of one")
	draft := f.Bool("draft", false, "start what is written, not what is live")
	noWait := f.Bool("no-wait", false, "print the run's id and be done")
	asJSON := f.Bool("json", false, "print JSON")
	rest, err := parse(f, args, 1, 1)
	if err != nil {
		return err
	}
	s := wire.Start{Sample: *sample, Draft: *draft}
	if err := errors.Join(readInputs(*inputs, &s.Inputs), readSignal(*signal, &s.Signal)); err != nil {
		return err
	}
	c := a.client()
	var id string
	switch {
	case *agent == "" && (*thread != "" || *held):
		return fmt.Errorf("%w: -thread and -hold belong to -agent", errMisuse)
	case *agent != "" && (s.Sample != "" || s.Signal != nil || s.Draft):
		return fmt.Errorf("%w: an agent is given a task and inputs, no sample, signal or draft", errMisuse)
	case *agent != "":
		id, err = c.StartTask(ctx, *agent, wire.Task{Task: rest[0], Inputs: s.Inputs, Thread: *thread, Held: *held})
	default:
		id, err = c.Start(ctx, rest[0], s)
	}
	if err != nil {
		return err
	}
	return a.outcome(ctx, c, id, !*noWait, *asJSON)
}

func again(ctx context.Context, a *app, args []string) error {
	f := a.flags("again")
	r := wire.Again{}
	f.StringVar(&r.From, "from", "", "id or path of the step to begin at; what came before is taken from the record")
	edited := f.String("edit", "", "other values of steps before it, as JSON or a file: {\"net\": {\"kg\": 3}}")
	body := f.String("body", "", "another body of the signal, as JSON or a file")
	f.BoolVar(&r.Same, "same", false, "on the version the run followed, not the one that is live")
	workflow := f.String("workflow", "", "all failed runs of this workflow, instead of naming runs")
	limit := f.Int("limit", 50, "how many of them at most, at most 200")
	noWait := f.Bool("no-wait", false, "print the run's id and be done")
	asJSON := f.Bool("json", false, "print JSON")
	rest, err := parse(f, args, 0, 1000)
	if err != nil {
		return err
	}
	c := a.client()
	if *workflow != "" {
		page, err := c.Runs(ctx, client.Filter{Workflow: *workflow, Status: "failed", Limit: *limit})
		if err != nil {
			return err
		}
		for _, one := range page.Runs {
			rest = append(rest, one.ID)
		}
	}
	switch {
	case len(rest) == 0 && *workflow != "":
		fmt.Fprintln(a.out, "No run of it failed.")
		return nil
	case len(rest) == 0:
		return fmt.Errorf("%w: name runs, or give -workflow", errMisuse)
	case len(rest) > 1:
		return a.againMany(ctx, c, wire.AgainMany{Runs: rest, Same: r.Same}, *asJSON)
	}
	if *edited != "" {
		v, err := readJSON(*edited)
		if err != nil {
			return err
		}
		r.Edited, _ = v.(map[string]any)
	}
	if *body != "" {
		if r.Body, err = readJSON(*body); err != nil {
			return err
		}
	}
	id, err := c.Again(ctx, rest[0], r)
	if err != nil {
		return err
	}
	return a.outcome(ctx, c, id, !*noWait, *asJSON)
}

func (a *app) againMany(ctx context.Context, c *client.Client, r wire.AgainMany, asJSON bool) error {
	done, err := c.AgainMany(ctx, r)
	if err != nil {
		return err
	}
	if asJSON {
		return a.printJSON(done)
	}
	for old, fresh := range done.Runs {
		fmt.Fprintf(a.out, "%s goes on as %s\n", old, fresh)
	}
	for _, line := range done.Failed {
		fmt.Fprintln(a.out, line)
	}
	if len(done.Failed) > 0 {
		return errReported
	}
	return nil
}

func samples(ctx context.Context, a *app, args []string) error {
	f := a.flags("samples")
	k := wire.KeepSample{}
	f.StringVar(&k.Run, "run", "", "keep the signal of this run under the name")
	f.BoolVar(&k.Next, "next", false, "keep the next signal that comes under the name")
	asJSON := f.Bool("json", false, "print JSON")
	rest, err := parse(f, args, 1, 2)
	if err != nil {
		return err
	}
	c := a.client()
	if len(rest) == 2 {
		if k.Run == "" && !k.Next {
			return fmt.Errorf("%w: give -run or -next", errMisuse)
		}
		if err := c.KeepSample(ctx, rest[0], rest[1], k); err != nil {
			return err
		}
		if k.Next {
			fmt.Fprintln(a.out, "The next one that comes is kept.")
			return nil
		}
		fmt.Fprintf(a.out, "Kept. Start the draft on it with: woolsignal start %s -draft -sample %s\n", rest[0],
			rest[1])
		return nil
	}
	all, err := c.Samples(ctx, rest[0])
	if err != nil {
		return err
	}
	if *asJSON {
		return a.printJSON(all)
	}
	if len(all) == 0 {
		fmt.Fprintf(a.out, "No samples yet. Keep one with: woolsignal samples %s NAME -run RUN\n", rest[0])
		return nil
	}
	rows := [][]string{{"SAMPLE", "TRIGGER", "HOLDS"}}
	for _, s := range all {
		holds := s.Signal.Text
		if s.Signal.Body != nil {
			holds = value(s.Signal.Body)
		}
		rows = append(rows, []string{s.Name, s.Signal.Trigger, oneLine(holds, 80)})
	}
	return a.table(rows)
}
