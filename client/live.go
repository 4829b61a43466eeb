package client

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"

	"woolsignal/wire"
)

// workflowPath is where a workflow's addresses begin.
func workflowPath(id, rest string) string { return "/workflows/" + url.PathEscape(id) + rest }

func send[T any](ctx context.Context, c *Client, method, path string, in any) (T, error) {
	var out T
	err := c.Do(ctx, method, path, in, &out)
	return out, err
}

// Publish makes drafts live: of the workflows named, or of all that differ.
// Where one does not check, the error is a *[Problem] and none is.
func (c *Client) Publish(ctx context.Context, p wire.Publish) ([]wire.PublishedVersion, error) {
	out, err := send[wire.Published](ctx, c, http.MethodPost, "/publish", p)
	return out.Versions, err
}

// Versions lists what was published of a workflow, newest first.
func (c *Client) Versions(ctx context.Context, workflow string) ([]wire.Version, error) {
	return get[[]wire.Version](ctx, c, workflowPath(workflow, "/versions"))
}

// Diff tells two versions apart: numbers, "draft", or "" for what is live.
func (c *Client) Diff(ctx context.Context, workflow, from, to string) (wire.Difference, error) {
	return get[wire.Difference](ctx, c, workflowPath(workflow, "/diff?"+
		url.Values{"from": {from}, "to": {to}}.Encode()))
}

// Revert makes an earlier version live again.
func (c *Client) Revert(ctx context.Context, workflow string, version int) (wire.Version, error) {
	return send[wire.Version](ctx, c, http.MethodPost, workflowPath(workflow, "/revert"), wire.Revert{Version: version})
}

// Switch turns a workflow on or off; with "" everything.
func (c *Client) Switch(ctx context.Context, workflow string, on bool) error {
	path := "/on"
	if workflow != "" {
		path = workflowPath(workflow, "/on")
	}
	return c.Do(ctx, http.MethodPut, path, wire.Switch{On: on}, nil)
}

// Rename gives a workflow another id, everywhere it is named.
func (c *Client) Rename(ctx context.Context, workflow, to string) error {
	return c.Do(ctx, http.MethodPost, workflowPath(workflow, "/rename"), wire.Rename{To: to}, nil)
}

// Delete moves a workflow to the bin.
func (c *Client) Delete(ctx context.Context, workflow string) error {
	return c.Do(ctx, http.MethodDelete, workflowPath(workflow, ""), nil, nil)
}

// Bin lists what was deleted, newest first.
func (c *Client) Bin(ctx context.Context) ([]wire.Binned, error) {
	return get[[]wire.Binned](ctx, c, "/bin")
}

// TakeBack puts a deleted file back.
func (c *Client) TakeBack(ctx context.Context, n int64) (path string, err error) {
	out, err := send[map[string]string](ctx, c, http.MethodPost, fmt.Sprintf("/bin/%d/take-back", n), struct{}{})
	return out["path"], err
}

// Start starts a run.
func (c *Client) Start(ctx context.Context, workflow string, s wire.Start) (string, error) {
	out, err := send[wire.Started](ctx, c, http.MethodPost, workflowPath(workflow, "/runs"), s)
	return out.Run, err
}

// Try runs one step of a draft alone.
func (c *Client) Try(ctx context.Context, workflow string, t wire.Try) (string, error) {
	out, err := send[wire.Started](ctx, c, http.MethodPost, workflowPath(workflow, "/try"), t)
	return out.Run, err
}

// Again goes through a run again.
func (c *Client) Again(ctx context.Context, run string, r wire.Again) (string, error) {
	out, err := send[wire.Started](ctx, c, http.MethodPost, "/runs/"+url.PathEscape(run)+"/again", r)
	return out.Run, err
}

// AgainMany goes through many runs again.
func (c *Client) AgainMany(ctx context.Context, r wire.AgainMany) (wire.Repeated, error) {
	return send[wire.Repeated](ctx, c, http.MethodPost, "/again", r)
}

// Samples lists the kept signals of a workflow.
func (c *Client) Samples(ctx context.Context, workflow string) ([]wire.Sample, error) {
	return get[[]wire.Sample](ctx, c, workflowPath(workflow, "/samples"))
}

// KeepSample keeps a signal: a run's, one made up, or the next that comes.
func (c *Client) KeepSample(ctx context.Context, workflow, name string, k wire.KeepSample) error {
	return c.Do(ctx, http.MethodPut, workflowPath(workflow, "/samples/"+url.PathEscape(name)), k, nil)
}

// Backup writes the service's database, as it is now, to w.
func (c *Client) Backup(ctx context.Context, w io.Writer) error {
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, strings.TrimSuffix(c.URL, "/")+"/api/v1/backup",
		nil)
	if err != nil {
		return fmt.Errorf("client: %w", err)
	}
	request.Header.Set("Authorization", "Bearer "+c.Token)
	response, err := c.http().Do(request)
	if err != nil {
		return fmt.Errorf("%w at %s (%w)", ErrUnreachable, c.URL, err)
	}
	defer response.Body.Close()
	if response.StatusCode >= 400 {
		return readProblem(response)
	}
	n, err := io.Copy(w, response.Body)
	if err != nil {
		return fmt.Errorf("client: the backup broke off after %d bytes: %w", n, err)
	}
	return nil
}

// WorkOut says what an expression means where it stands in a workflow's text,
// and what it gives for a run or a sample.
func (c *Client) WorkOut(ctx context.Context, workflow string, w wire.WorkOut) (wire.Worked, error) {
	return send[wire.Worked](ctx, c, http.MethodPost, workflowPath(workflow, "/work-out"), w)
}
