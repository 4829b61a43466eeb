package tool

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"

	"woolsignal/core/flow"
	"woolsignal/server/egress"
	"woolsignal/server/store"
	"woolsignal/server/vault"
)

// Verdict is what a test of a connection found, in plain words, and what to do.
type Verdict struct {
	Fine   bool
	Words  string
	Remedy string
}

// Works is the verdict that a connection works, in words.
func Works(format string, args ...any) Verdict {
	return Verdict{true, fmt.Sprintf(format, args...), ""}
}

// Unfit is the verdict that it does not, in words, with what to do.
func Unfit(remedy, format string, args ...any) Verdict {
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
			return Works("Each person signs in for themselves when it is first needed.")
		}
		if _, err := k.tokens.Token(ctx, c, false); err != nil {
			return k.Trouble(c, err)
		}
	}
	if p := protocols[c.Kind]; p.Try != nil {
		return p.Try(ctx, k, w, tools, c)
	}
	return k.TryAddress(ctx, c)
}

// Trouble says what an error means for whoever set the connection up.
func (k *Kit) Trouble(c *flow.Connection, err error) Verdict {
	var missing *MissingError
	var blocked *egress.BlockedError
	var refused *RefusedError
	var moved *vault.MovedError
	if errors.As(err, &moved) {
		return Unfit("Give it one for there here, or with: woolsignal connect "+c.ID, "%s.", sentence(moved))
	}
	switch err = k.Lacks(c.ID, err); {
	case errors.As(err, &missing) && c.Auth.Kind == "oauth" && c.Auth.OAuth.Grant == "authorization_code":
		return Unfit("Sign in from the connection's page.", "%s", missing.Why)
	case errors.As(err, &missing):
		return Unfit("Give it its secret here, or with: woolsignal connect "+c.ID, "Nobody has given its secret yet.")
	case errors.As(err, &blocked):
		return Unfit("If that is meant, add networks: ["+blocked.Kind+"] to connections/"+c.ID+".yaml.",
			"Its address leads to a %s network, which connections may not reach unless their file says so.",
			blocked.Kind)
	case errors.As(err, &refused) && strings.Contains(err.Error(), "401") ||
		strings.Contains(err.Error(), "does not let"):
		return Unfit("Replace the secret with the one the service shows now.",
			"It answers, but does not accept the secret: %v", err)
	case egress.NeverSent(err):
		return Unfit("Check the address "+c.Address+", and whether the service runs.", "Nobody answers there: %v", err)
	}
	return Unfit("Read what it says; the address, the secret or the rights may be wrong.", "%v", err)
}

// TryTool tries one reading tool of a connection.
func (k *Kit) TryTool(ctx context.Context, c *flow.Connection, tools Catalogue, name string, args map[string]any,
	words string) Verdict {
	op, ok := tools[c.ID+"/"+name]
	if !ok {
		return k.TryAddress(ctx, c)
	}
	if _, err := op.Call(ctx, args, Sending{}); err != nil {
		return k.Trouble(c, err)
	}
	return Works("%s", words)
}

// TryAddress asks a web server for anything at all.
func (k *Kit) TryAddress(ctx context.Context, c *flow.Connection) Verdict {
	status, err := k.Ask(ctx, c, c.Address)
	switch {
	case err != nil:
		return k.Trouble(c, err)
	case status == http.StatusUnauthorized, status == http.StatusForbidden:
		return Unfit("Replace the secret with the one the service shows now.",
			"It answers, but does not accept the secret (%d).", status)
	case status >= 500:
		return Unfit("Ask whoever runs it.", "It answers, but something is wrong inside (%d).", status)
	}
	return Works("It answers.")
}

// Ask asks a web server for an address and gives the status of its answer.
func (k *Kit) Ask(ctx context.Context, c *flow.Connection, address string) (int, error) {
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
