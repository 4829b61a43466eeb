package main

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"woolsignal/client"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/wire"
)

// chatted is what chat -json prints.
type chatted struct {
	Run     string         `json:"run"`
	Thread  string         `json:"thread"`
	Status  run.Status     `json:"status"`
	Replies []wire.Message `json:"replies"`
	Reviews []run.Review   `json:"reviews"` // that the conversation waits for
}

// behind gives the run of a conversation that waits for a person while another
// is queued behind it; nil where nothing is in the way.
func behind(ctx context.Context, c *client.Client, workflow, thread, id string) (*wire.Run, error) {
	talk, err := c.Thread(ctx, workflow, thread)
	if err != nil {
		return nil, err
	}
	for _, r := range talk.Open {
		if r.ID == id {
			break
		}
		if r.Status == run.Waiting {
			return &r, nil
		}
	}
	return nil, nil
}

// replies are what a run said to what was said to it last: one run may hold a
// conversation of many turns.
func replies(all []wire.Message, id string) []wire.Message {
	out := []wire.Message{}
	for _, m := range all {
		switch {
		case m.Run != id:
		case m.Who == "person":
			out = out[:0]
		default:
			out = append(out, m)
		}
	}
	return out
}

// said prints a message, with what it has beside its words.
func (a *app) said(m wire.Message) {
	fmt.Fprintln(a.out, m.Text)
	var rich run.Message
	if json.Unmarshal(m.Rich, &rich) != nil { // it is words alone
		return
	}
	for what, v := range map[string]any{"picture": rich.Picture, "file": rich.File} {
		if name := fileName(v); name != "" {
			fmt.Fprintf(a.out, "  [%s: %s]\n", what, name)
		}
	}
	for _, part := range rich.Layout {
		indent(a.out, "  ", value(part))
	}
	if len(rich.Buttons) > 0 {
		fmt.Fprintf(a.out, "  [answer with: %s]\n", strings.Join(rich.Buttons, " · "))
	}
}

// fileName is what a file is called, or the address of one that is elsewhere.
func fileName(v any) string {
	switch v := v.(type) {
	case string:
		return v
	case map[string]any:
		name, _ := v["name"].(string)
		return name
	}
	return ""
}

func chat(ctx context.Context, a *app, args []string) error {
	f := a.flags("chat")
	workflow := f.String("workflow", "", "which workflow to talk to")
	thread := f.String("thread", "terminal", "name of the conversation; the same name goes on with it")
	asJSON := f.Bool("json", false, "print JSON")
	within := f.Duration("within", 2*time.Minute, "how long to wait for an answer")
	rest, err := parse(f, args, 1, 1)
	if err != nil {
		return err
	}
	if *workflow == "" {
		return fmt.Errorf("%w: -workflow is missing", errMisuse)
	}
	c := a.client()
	ctx, cancel := context.WithTimeout(ctx, *within)
	defer cancel()
	heard, err := c.Say(ctx, *workflow, *thread, rest[0])
	if err != nil {
		return err
	}
	if ahead, err := behind(ctx, c, *workflow, *thread, heard.Run); err != nil {
		return err
	} else if ahead != nil && !*asJSON {
		fmt.Fprintf(a.out, "Your message comes next: “%s”, before it, waits for a person.\n  woolsignal runs %s\n",
			ahead.About, ahead.ID)
		return nil
	} else if ahead != nil {
		return a.printJSON(chatted{Run: heard.Run, Thread: *thread, Status: run.Queued, Replies: []wire.Message{},
			Reviews: []run.Review{}})
	}
	detail, err := c.Settled(ctx, heard.Run)
	if ctx.Err() != nil {
		return fmt.Errorf("no answer within %s; the run goes on: woolsignal runs %s", *within, heard.Run)
	}
	if err != nil {
		return err
	}
	talk, err := c.Thread(ctx, *workflow, *thread)
	if err != nil {
		return err
	}
	out := chatted{Run: heard.Run, Thread: *thread, Status: detail.Status, Replies: []wire.Message{},
		Reviews: []run.Review{}}
	out.Replies = replies(talk.Messages, heard.Run)
	for _, r := range detail.Reviews {
		if r.Choice == "" {
			out.Reviews = append(out.Reviews, r)
		}
	}
	if *asJSON {
		return a.printJSON(out)
	}
	for _, m := range out.Replies {
		if m.Who == "agent" {
			a.said(m)
		}
	}
	for _, r := range out.Reviews {
		fmt.Fprintf(a.out, "Waiting for %s: %s\n  woolsignal answer -approve %s\n", flow.Audience(r.Ask), r.Title, r.ID)
	}
	if detail.Status == run.Failed {
		return fmt.Errorf("the run failed: %s\n  woolsignal runs %s", detail.Because, heard.Run)
	}
	return nil
}
