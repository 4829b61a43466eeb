// Package client calls the HTTP API of a service. The command line and the
// end-to-end tests use it; it knows nothing of how the service works inside.
package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/wire"
)

// Client talks to one service as one person.
type Client struct {
	URL   string // http://host:port
	Token string
	HTTP  *http.Client // nil is a plain one
}

// Problem is an answer that says what went wrong (RFC 9457).
type Problem struct {
	Status   int            `json:"status"`
	Title    string         `json:"title"`
	Detail   string         `json:"detail"`
	Problems []flow.Problem `json:"problems,omitempty"`
	Files    []string       `json:"files,omitempty"` // that somebody else changed
	// Of steps that somebody else changed too: both texts, who that was, and the
	// workflow as they left it.
	Clashes []flow.Clash `json:"clashes,omitempty"`
	By      string       `json:"by,omitempty"`
	Text    string       `json:"text,omitempty"`
}

func (p *Problem) Error() string {
	text := p.Title
	if p.Detail != "" {
		text += ": " + p.Detail
	}
	for _, one := range p.Problems {
		if one.Severity == flow.Wrong {
			text += "\n" + one.String()
		}
	}
	return text
}

// ErrUnreachable says that no service answers at the address.
var ErrUnreachable = errors.New("no service answers")

// Do makes one request below /api/v1. in and out may be nil. A refusal is a
// *[Problem].
func (c *Client) Do(ctx context.Context, method, path string, in, out any) error {
	var body io.Reader
	if in != nil {
		data, err := json.Marshal(in)
		if err != nil {
			return fmt.Errorf("client: %w", err)
		}
		body = bytes.NewReader(data)
	}
	request, err := http.NewRequestWithContext(ctx, method, strings.TrimSuffix(c.URL, "/")+"/api/v1"+path, body)
	if err != nil {
		return fmt.Errorf("client: %w", err)
	}
	if in != nil {
		request.Header.Set("Content-Type", "application/json")
	}
	if c.Token != "" {
		request.Header.Set("Authorization", "Bearer "+c.Token)
	}
	response, err := c.http().Do(request)
	if err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return fmt.Errorf("%w at %s: is it running? Set WOOLSIGNAL_URL to its address (%w)", ErrUnreachable, c.URL, err)
	}
	defer response.Body.Close()
	if response.StatusCode >= 400 {
		return readProblem(response)
	}
	if out == nil || response.StatusCode == http.StatusNoContent {
		return nil
	}
	if err := json.NewDecoder(response.Body).Decode(out); err != nil {
		return fmt.Errorf("client: the answer of %s cannot be read: %w", path, err)
	}
	return nil
}

func (c *Client) http() *http.Client {
	if c.HTTP != nil {
		return c.HTTP
	}
	return http.DefaultClient
}

func readProblem(r *http.Response) error {
	data, _ := io.ReadAll(io.LimitReader(r.Body, 1<<20))
	p := &Problem{Status: r.StatusCode}
	if json.Unmarshal(data, p) != nil || p.Title == "" {
		p.Title, p.Detail = r.Status, strings.TrimSpace(string(data))
	}
	return p
}

func get[T any](ctx context.Context, c *Client, path string) (T, error) {
	var out T
	err := c.Do(ctx, http.MethodGet, path, nil, &out)
	return out, err
}

// NewToken gets a token for an e-mail and password.
func (c *Client) NewToken(ctx context.Context, email, password string) (wire.Token, error) {
	var out wire.Token
	err := c.Do(ctx, http.MethodPost, "/tokens", wire.SignIn{Email: email, Password: password}, &out)
	return out, err
}

// Session tells who the token's person is.
func (c *Client) Session(ctx context.Context) (wire.Session, error) {
	return get[wire.Session](ctx, c, "/session")
}

// Workflows lists every workflow.
func (c *Client) Workflows(ctx context.Context) ([]wire.Workflow, error) {
	return get[[]wire.Workflow](ctx, c, "/workflows")
}

// Workflow gives one workflow as sentences.
func (c *Client) Workflow(ctx context.Context, id string) (wire.Script, error) {
	return get[wire.Script](ctx, c, "/workflows/"+url.PathEscape(id))
}

// Filter picks runs. Empty fields pick all.
type Filter struct {
	Workflow, Status, Text, Label, Kind, Since, Until, Cost, Before string
	Limit                                                           int
}

// Runs lists runs, newest first.
func (c *Client) Runs(ctx context.Context, f Filter) (wire.Runs, error) {
	q := url.Values{}
	for name, v := range map[string]string{"workflow": f.Workflow, "status": f.Status, "text": f.Text, "label": f.Label,
		"kind":  f.Kind,
		"since": f.Since, "until": f.Until, "cost": f.Cost, "before": f.Before} {
		if v != "" {
			q.Set(name, v)
		}
	}
	if f.Limit > 0 {
		q.Set("limit", fmt.Sprint(f.Limit))
	}
	return get[wire.Runs](ctx, c, "/runs?"+q.Encode())
}

// Run gives one run in full.
func (c *Client) Run(ctx context.Context, id string) (wire.Detail, error) {
	return get[wire.Detail](ctx, c, "/runs/"+url.PathEscape(id))
}

// Journal gives a run's journal.
func (c *Client) Journal(ctx context.Context, id string) ([]run.Entry, error) {
	return get[[]run.Entry](ctx, c, "/runs/"+url.PathEscape(id)+"/journal")
}

// Stop stops a run before it is done.
func (c *Client) Stop(ctx context.Context, id, note string) (wire.Detail, error) {
	var out wire.Detail
	err := c.Do(ctx, http.MethodPost, "/runs/"+url.PathEscape(id)+"/stop", wire.Stop{Note: note}, &out)
	return out, err
}

// Reviews lists what waits for a person, or what was decided last.
func (c *Client) Reviews(ctx context.Context, decided bool) ([]wire.Review, error) {
	out, err := get[wire.Reviews](ctx, c, fmt.Sprintf("/reviews?decided=%t", decided))
	return out.Reviews, err
}

// Review gives one review.
func (c *Client) Review(ctx context.Context, id string) (wire.Review, error) {
	return get[wire.Review](ctx, c, "/reviews/"+url.PathEscape(id))
}

// Decide answers a review.
func (c *Client) Decide(ctx context.Context, id string, d wire.Decision) (wire.Review, error) {
	var out wire.Review
	err := c.Do(ctx, http.MethodPost, "/reviews/"+url.PathEscape(id), d, &out)
	return out, err
}

// Files gives the workspace's files.
func (c *Client) Files(ctx context.Context) (map[string]string, error) {
	out, err := get[wire.Files](ctx, c, "/files")
	return out.Files, err
}

// Apply replaces the workspace's files, the draft of it. Where the checker
// objects, or somebody changed one of the files since the editions of base,
// the error is a *[Problem] and nothing was changed.
func (c *Client) Apply(ctx context.Context, in wire.Files) ([]flow.Problem, error) {
	var out wire.Checked
	err := c.Do(ctx, http.MethodPut, "/files", in, &out)
	return out.Problems, err
}

// Say sends a message to a workflow.
func (c *Client) Say(ctx context.Context, workflow, thread, text string) (wire.Heard, error) {
	var out wire.Heard
	err := c.Do(ctx, http.MethodPost, "/workflows/"+url.PathEscape(workflow)+"/chat",
		wire.Said{Thread: thread, Text: text}, &out)
	return out, err
}

// Thread gives a conversation.
func (c *Client) Thread(ctx context.Context, workflow, thread string) (wire.Thread, error) {
	return get[wire.Thread](ctx, c, "/workflows/"+url.PathEscape(workflow)+"/chat/"+url.PathEscape(thread))
}

// Read tells what a text of a workflow means; nothing of it is kept.
func (c *Client) Read(ctx context.Context, workflow, text string) (out wire.Meaning, err error) {
	return out, c.Do(ctx, http.MethodPost, "/workflows/"+url.PathEscape(workflow)+"/read", wire.Text{Text: text}, &out)
}

// Edit keeps a text as a workflow's draft, readable or not. What others changed
// since the text it was made from is merged; the problem of a step that both
// changed has status 409.
func (c *Client) Edit(ctx context.Context, workflow string, d wire.Draft) (out wire.Drafted, err error) {
	return out, c.Do(ctx, http.MethodPut, "/workflows/"+url.PathEscape(workflow)+"/draft", d, &out)
}
