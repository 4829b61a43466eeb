package tool

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"

	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/core/trigger"
	"woolsignal/server/egress"
	"woolsignal/server/store"
)

// Verdict is what a test of a connection found, in plain words, and what to do.
type Verdict struct {
	Fine   bool
	Words  string
	Remedy string
}

func fine(format string, args ...any) Verdict { return Verdict{true, fmt.Sprintf(format, args...), ""} }

func unfit(remedy, format string, args ...any) Verdict {
	return Verdict{false, fmt.Sprintf(format, args...), remedy}
}

// Test tries a connection without changing anything, and writes the verdict
// down.
func (k *Kit) Test(ctx context.Context, w *flow.Workspace, tools Catalogue, c *flow.Connection) (Verdict, error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	v := k.try(ctx, w, tools, c)
	v.Words, v.Remedy = k.secrets.Mask(v.Words), k.secrets.Mask(v.Remedy)
	var b store.Batch
	b.Do("INSERT INTO health (connection, tested, fine, verdict, remedy) VALUES (?, ?, ?, ?, ?) ON CONFLICT "+
		"(connection) DO UPDATE SET tested = excluded.tested, fine = excluded.fine, verdict = excluded.verdict, "+
		"remedy = excluded.remedy",
		c.ID, store.Time(time.Now()), v.Fine, v.Words, v.Remedy)
	return v, k.store.Write(context.WithoutCancel(ctx), b)
}

func (k *Kit) try(ctx context.Context, w *flow.Workspace, tools Catalogue, c *flow.Connection) Verdict {
	if c.Auth.Kind == "oauth" {
		if c.Acts == "person" {
			return fine("Each person signs in for themselves when it is first needed.")
		}
		if _, err := k.tokens.Token(ctx, c, false); err != nil {
			return k.trouble(c, err)
		}
	}
	if p := protocols[c.Kind]; p.try != nil {
		return p.try(k, ctx, w, tools, c)
	}
	return k.tryAddress(ctx, c)
}

// trouble says what an error means for whoever set the connection up.
func (k *Kit) trouble(c *flow.Connection, err error) Verdict {
	var missing *MissingError
	var blocked *egress.BlockedError
	var refused *RefusedError
	switch err = k.lacks(c.ID, err); {
	case errors.As(err, &missing) && c.Auth.Kind == "oauth" && c.Auth.OAuth.Grant == "authorization_code":
		return unfit("Sign in from the connection's page.", "%s", missing.Why)
	case errors.As(err, &missing):
		return unfit("Give it its secret here, or with: woolsignal connect "+c.ID, "Nobody has given its secret yet.")
	case errors.As(err, &blocked):
		return unfit("If that is meant, add networks: ["+blocked.Kind+"] to connections/"+c.ID+".yaml.",
			"Its address leads to a %s network, which connections may not reach unless their file says so.",
			blocked.Kind)
	case errors.As(err, &refused) && strings.Contains(err.Error(), "401") ||
		strings.Contains(err.Error(), "does not let"):
		return unfit("Replace the secret with the one the service shows now.",
			"It answers, but does not accept the secret: %v", err)
	case egress.NeverSent(err):
		return unfit("Check the address "+c.Address+", and whether the service runs.", "Nobody answers there: %v", err)
	}
	return unfit("Read what it says; the address, the secret or the rights may be wrong.", "%v", err)
}

// call tries one reading tool of a connection.
func (k *Kit) call(ctx context.Context, c *flow.Connection, tools Catalogue, name string, args map[string]any,
	words string) Verdict {
	op, ok := tools[c.ID+"/"+name]
	if !ok {
		return k.tryAddress(ctx, c)
	}
	if _, err := op.Call(ctx, args, Sending{}); err != nil {
		return k.trouble(c, err)
	}
	return fine("%s", words)
}

func (k *Kit) tryKey(_ context.Context, _ *flow.Workspace, _ Catalogue, c *flow.Connection) Verdict {
	secret, err := k.secrets.Get(c.ID)
	if err != nil {
		return k.trouble(c, err)
	}
	if c.Is.(*protocol.SigningKey).Scheme == "standard-webhooks" {
		if _, err := webhooks.NewWebhook(secret); err != nil {
			return unfit("Give it again as the sender shows it: base64, usually behind whsec_.",
				"A key is kept, and it cannot be one of Standard Webhooks.")
		}
	}
	return fine("A key is kept. Whether the sender has the same shows with its first delivery.")
}

// tryAddress asks a web server for anything at all.
func (k *Kit) tryAddress(ctx context.Context, c *flow.Connection) Verdict {
	status, err := k.ask(ctx, c, c.Address)
	switch {
	case err != nil:
		return k.trouble(c, err)
	case status == http.StatusUnauthorized, status == http.StatusForbidden:
		return unfit("Replace the secret with the one the service shows now.",
			"It answers, but does not accept the secret (%d).", status)
	case status >= 500:
		return unfit("Ask whoever runs it.", "It answers, but something is wrong inside (%d).", status)
	}
	return fine("It answers.")
}

func (k *Kit) ask(ctx context.Context, c *flow.Connection, address string) (int, error) {
	client, err := k.Client(c)
	if err != nil {
		return 0, err
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return 0, err
	}
	response, err := client.Do(request)
	if err != nil {
		return 0, err
	}
	_, err = io.Copy(io.Discard, io.LimitReader(response.Body, 64<<10))
	return response.StatusCode, errors.Join(err, response.Body.Close())
}

func (k *Kit) tryModels(ctx context.Context, _ *flow.Workspace, _ Catalogue, c *flow.Connection) Verdict {
	status, err := k.ask(ctx, c, c.Address+"/models")
	switch {
	case err != nil:
		return k.trouble(c, err)
	case status == http.StatusUnauthorized, status == http.StatusForbidden:
		return unfit("Replace the secret with the one the service shows now.",
			"It answers, but does not accept the key (%d).", status)
	case status >= 500:
		return unfit("Ask whoever runs it.", "It answers, but something is wrong inside (%d).", status)
	}
	var names []string
	for _, m := range c.Models() {
		names = append(names, m.Key)
	}
	return fine("It answers; the file names %d models of it: %s.", len(names), strings.Join(names, ", "))
}

func (k *Kit) tryCalendars(ctx context.Context, w *flow.Workspace, _ Catalogue, c *flow.Connection) Verdict {
	for _, calendar := range c.Is.(*protocol.CalDAV).Calendars {
		if _, err := k.Events(ctx, c, w.Zone, calendar, time.Now(), time.Now().AddDate(0, 0, 1)); err != nil {
			v := k.trouble(c, err)
			if strings.Contains(err.Error(), "404") {
				v = unfit("Correct calendars: in connections/"+c.ID+".yaml.",
					"Signed in, but there is no calendar %s below %s.", calendar, c.Address)
			} else if strings.Contains(err.Error(), "401") {
				v = unfit("Replace the password.", "It answers, but does not accept the user or the password.")
			}
			return v
		}
	}
	return fine("Signed in; these calendars can be read: %s.", strings.Join(c.Is.(*protocol.CalDAV).Calendars, ", "))
}

func (k *Kit) tryMail(ctx context.Context, _ *flow.Workspace, _ Catalogue, c *flow.Connection) Verdict {
	box := k.Box(c)
	folders, err := box.Folders(ctx)
	if err != nil {
		return k.trouble(c, mailError(err))
	}
	if err := box.Greet(ctx); err != nil {
		v := k.trouble(c, err)
		return unfit("Check smtp: in connections/"+c.ID+".yaml, and whether the password is good for sending too.",
			"Mail can be read, but not sent: %s", v.Words)
	}
	return fine("Signed in for reading and sending. Folders: %s.", strings.Join(folders, ", "))
}

// tryChat looks also whether the bot is where workflows want to speak.
func (k *Kit) tryChat(ctx context.Context, w *flow.Workspace, tools Catalogue, c *flow.Connection) Verdict {
	op, ok := tools[c.ID+"/list_rooms"]
	if !ok {
		return k.tryAddress(ctx, c)
	}
	got, err := op.Call(ctx, map[string]any{}, Sending{})
	if err != nil {
		return k.trouble(c, err)
	}
	member := map[string]bool{}
	all, _ := got.(map[string]any)["rooms"].([]any)
	for _, r := range all {
		room, _ := r.(map[string]any)
		in, _ := room["member"].(bool)
		member[strings.ToLower(text(room, "name"))] = in
	}
	for _, one := range w.Workflows {
		for _, t := range one.Triggers {
			chat, is := t.Is.(*trigger.Chat)
			if !is || chat.Connection != c.ID || chat.Room == "" {
				continue
			}
			in, there := member[strings.ToLower(chat.Room)]
			switch {
			case !there:
				return unfit("Make the room, or correct the workflow "+one.ID+".",
					"Signed in, but there is no room %s, which %s listens to.", chat.Room, one.Title)
			case !in:
				return unfit("Invite the bot to the room "+chat.Room+".",
					"Signed in, but the bot is not in the room %s, which %s listens to.", chat.Room, one.Title)
			}
		}
	}
	return fine("Signed in as the bot; there are %d rooms.", len(all))
}

func (k *Kit) tryMCP(ctx context.Context, _ *flow.Workspace, _ Catalogue, c *flow.Connection) Verdict {
	changed, err := k.RefreshOffers(ctx, c)
	if err != nil {
		return k.trouble(c, err)
	}
	if changed {
		k.offersChanged(c.ID)
	}
	offers, err := k.mcpOperations(nil, c)
	if err != nil {
		return unfit("Ask whoever runs it.", "%v", err)
	}
	var there []string
	for _, o := range offers {
		if o.Input == nil {
			return unfit("Correct operations: in connections/"+c.ID+".yaml.", "It answers, but offers no %s.",
				strings.TrimPrefix(o.Name, c.ID+"/"))
		}
		there = append(there, strings.TrimPrefix(o.Name, c.ID+"/"))
	}
	return fine("It answers and offers: %s.", strings.Join(there, ", "))
}

// tryAPI uses the first operation that reads and needs nothing: that shows
// whether the key is right as well.
func (k *Kit) tryAPI(ctx context.Context, _ *flow.Workspace, tools Catalogue, c *flow.Connection) Verdict {
	var names []string
	for name, op := range tools {
		required, _ := op.Input["required"].([]any)
		if op.Connection == c.ID && op.ReadOnly && len(required) == 0 {
			names = append(names, name)
		}
	}
	if len(names) == 0 {
		return k.tryAddress(ctx, c)
	}
	slices.Sort(names)
	operation := strings.TrimPrefix(names[0], c.ID+"/")
	return k.call(ctx, c, tools, operation, map[string]any{}, "The key is accepted; "+operation+" answers.")
}

func (k *Kit) tryWeb(ctx context.Context, _ *flow.Workspace, _ Catalogue, c *flow.Connection) Verdict {
	for _, host := range c.Is.(*protocol.Web).Hosts {
		if strings.Contains(host, "*") {
			continue
		}
		client := egress.Reader(c.ID, c.Is.(*protocol.Web).Hosts, c.Networks)
		_, _, _, err := Fetch(ctx, client, c.Title, "https://"+host+"/")
		if err != nil && slices.Contains(c.Networks, "loopback") {
			_, _, _, err = Fetch(ctx, client, c.Title, "http://"+host+"/")
		}
		if err != nil {
			return k.trouble(c, err)
		}
	}
	return fine("Pages can be read from: %s.", strings.Join(c.Is.(*protocol.Web).Hosts, ", "))
}
