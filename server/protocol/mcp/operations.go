package mcp

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"os/exec"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/modelcontextprotocol/go-sdk/jsonrpc"
	"github.com/modelcontextprotocol/go-sdk/mcp"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/core/schema"
	"woolsignal/server/egress"
	"woolsignal/server/tool"
)

// offered is a tool as a server described it.
type offered struct {
	Name        string         `json:"name"`
	Title       string         `json:"title,omitempty"`
	Description string         `json:"description"`
	Input       map[string]any `json:"input"`
	Output      map[string]any `json:"output,omitempty"`
	ReadOnly    bool           `json:"says_read_only,omitempty"` // claims of the server
	Destructive bool           `json:"says_destructive,omitempty"`
}

func transport(k *tool.Kit, c *flow.Connection) (mcp.Transport, error) {
	if c.Is.(*protocol.MCP).Command == "" {
		client, err := k.Client(c)
		if err != nil {
			return nil, err
		}
		return &mcp.StreamableClientTransport{Endpoint: c.Address, HTTPClient: client}, nil
	}
	command := k.Commands[c.Is.(*protocol.MCP).Command]
	if len(command) == 0 {
		return nil, &tool.RefusedError{Message: fmt.Sprintf("no command %s is allowed here; whoever starts the "+
			"service "+
			"allows one with: serve -allow-command %s='…'", c.Is.(*protocol.MCP).Command,
			c.Is.(*protocol.MCP).Command)}
	}
	cmd := exec.Command(command[0], command[1:]...)
	cmd.Env = []string{"PATH=/usr/local/bin:/usr/bin:/bin"} // nothing of ours is its business
	return &mcp.CommandTransport{Command: cmd, TerminateDuration: time.Second}, nil
}

// toolName is what a tool may be called to have a name in files.
var toolName = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_.-]{0,79}$`)

// RefreshOffers asks a server what it offers and keeps the answer. changed
// tells whether it differs from what was kept.
func RefreshOffers(ctx context.Context, k *tool.Kit, c *flow.Connection) (changed bool, err error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	session, err := session(ctx, k, c)
	if err != nil {
		return false, err
	}
	var all []offered
	for t, err := range session.Tools(ctx, nil) {
		if err != nil {
			return false, fmt.Errorf("%s: its tools cannot be listed: %w", c.Title, err)
		}
		if one, ok := offer(t); ok && !slices.ContainsFunc(all, func(o offered) bool { return o.Name == one.Name }) &&
			len(all) < 1000 {
			all = append(all, one)
		}
	}
	data, err := json.Marshal(all)
	if err != nil {
		return false, err
	}
	return tool.KeepOffers(ctx, k, c.ID, data)
}

// longestDescription bounds what a server may say of a tool: models read it.
const longestDescription = 4000

// offer reads one tool of a server's list; ok is false for what cannot be used.
func offer(t *mcp.Tool) (o offered, ok bool) {
	if t == nil || !toolName.MatchString(t.Name) {
		return o, false
	}
	o = offered{Name: t.Name, Title: t.Title, Description: t.Description}
	if len(o.Description) > longestDescription {
		o.Description = o.Description[:longestDescription] + "…"
	}
	o.Input, ok = expr.Canonical(t.InputSchema).(map[string]any)
	if !ok || o.Input["type"] != "object" {
		return o, false
	}
	if _, err := schema.Compile(o.Input); err != nil {
		return o, false
	}
	if out, isMap := expr.Canonical(t.OutputSchema).(map[string]any); isMap {
		if _, err := schema.Compile(out); err == nil {
			o.Output = out
		}
	}
	if a := t.Annotations; a != nil {
		o.ReadOnly, o.Destructive = a.ReadOnlyHint, a.DestructiveHint != nil && *a.DestructiveHint
	}
	return o, true
}

// operations makes tools of what a server said it offers. Before anybody
// has asked it, the operations its file names are known by name alone.
func operations(k *tool.Kit, _ *flow.Workspace, c *flow.Connection) ([]*tool.Operation, error) {
	var all []offered
	if data, err := tool.KeptOffers(k, c.ID); err == nil {
		v, err := expr.DecodeJSON(data)
		if err == nil {
			data, _ = json.Marshal(v)
			err = json.Unmarshal(data, &all)
		}
		if err != nil {
			return nil, fmt.Errorf("what %s offers cannot be read: %w", c.Title, err)
		}
	}
	wanted := c.Is.(*protocol.MCP).Offer
	for _, name := range wanted {
		if !slices.ContainsFunc(all, func(o offered) bool { return o.Name == name }) {
			all = append(all, offered{Name: name, Description: "Not described yet: nobody has asked " + c.Title + "."})
		}
	}
	var out []*tool.Operation
	for _, o := range all {
		if len(wanted) > 0 && !slices.Contains(wanted, o.Name) {
			continue
		}
		o.Input = expr.CanonicalMap(o.Input)
		o.Output = expr.CanonicalMap(o.Output)
		call := &mcpCall{kit: k, c: c, name: o.Name, output: o.Output}
		if o.Output != nil {
			call.schema, _ = schema.Compile(o.Output) // it compiled when it was taken in
		}
		op := tool.NewOperation(c.ID, c.Title, o.Name, o.Description, o.Input, o.Output, tool.Sends, call.call)
		if o.Output == nil && o.Input != nil {
			op.Output = tool.Result(map[string]any{"text": tool.Prop("string", "What it said"),
				"files": tool.ListOf(tool.FileResult(), "")})
		}
		if o.Title != "" {
			op.Title = c.Title + ": " + o.Title
		}
		op.OpenWorld, op.Destructive = true, o.Destructive
		op.Says = claims(o)
		out = append(out, op)
	}
	return out, nil
}

// claims says in words what a server says of its tool, for whoever confirms
// or corrects it.
func claims(o offered) string {
	switch {
	case o.ReadOnly:
		return "only reads"
	case o.Destructive:
		return "may destroy something"
	}
	return ""
}

// mcpCall is one tool of a server.
type mcpCall struct {
	kit    *tool.Kit
	c      *flow.Connection
	name   string
	output map[string]any
	schema *schema.Schema
}

// mcpPatience bounds one call.
const mcpPatience = 2 * time.Minute

func (m *mcpCall) call(ctx context.Context, args map[string]any, s tool.Sending) (any, error) {
	ctx, cancel := context.WithTimeout(ctx, mcpPatience)
	defer cancel()
	session, err := session(ctx, m.kit, m.c)
	if err != nil {
		return nil, err
	}
	var last egress.Status
	got, err := session.CallTool(egress.WithStatus(ctx, &last),
		&mcp.CallToolParams{Name: m.name, Arguments: args, Meta: mcp.Meta{"woolsignal.example/key": s.Key}})
	if err != nil {
		return nil, m.failed(err, last.Get())
	}
	words, files, err := m.contents(ctx, got.Content)
	if got.IsError {
		return nil, &tool.RefusedError{Message: m.c.Title + " refused: " + tool.Reason([]byte(words))}
	}
	if err != nil {
		return nil, &tool.HappenedError{Message: fmt.Sprintf("%s: what %s gave could not be kept: %v", m.c.Title,
			m.name,
			err)}
	}
	if got.StructuredContent == nil && m.schema != nil {
		return nil, &tool.HappenedError{Message: fmt.Sprintf("%s: %s gave no structured result, though it says it does",
			m.c.Title, m.name)}
	}
	if got.StructuredContent != nil {
		value := expr.Canonical(got.StructuredContent)
		if m.schema != nil {
			if err := m.schema.Validate(value); err != nil {
				return nil, &tool.HappenedError{Message: fmt.Sprintf("%s: what %s gave is not what it says it "+
					"gives: %v",
					m.c.Title, m.name, err)}
			}
		}
		return value, nil
	}
	return map[string]any{"text": words, "files": files}, nil
}

// refusals are the answers of JSON-RPC 2.0 that say that nothing was done.
var refusals = []int64{jsonrpc.CodeParseError, jsonrpc.CodeInvalidRequest, jsonrpc.CodeMethodNotFound,
	jsonrpc.CodeInvalidParams}

// failed sorts an error of a call: by the server's own answer, by what HTTP
// said, or by whether there was a session at all. A session that was lost on
// the way leaves it open what happened.
func (m *mcpCall) failed(err error, status int) error {
	var answer *jsonrpc.Error
	switch {
	case errors.As(err, &answer) && slices.Contains(refusals, answer.Code):
		return &tool.RefusedError{Message: m.c.Title + " refused: " + answer.Message}
	case errors.Is(err, mcp.ErrSessionMissing), egress.NeverSent(err):
		return &tool.NotSentError{Err: fmt.Errorf("%s: %w", m.c.Title, err)}
	case status == http.StatusTooManyRequests:
		return &tool.BusyError{Message: fmt.Sprintf("%s is asked too often (429)", m.c.Title)}
	case status >= 400 && status < 500:
		return &tool.RefusedError{Message: fmt.Sprintf("%s refused (%d): %v", m.c.Title, status, err)}
	}
	return fmt.Errorf("%s: %w", m.c.Title, err)
}

// contents sorts what a server gave into words and files.
func (m *mcpCall) contents(ctx context.Context, all []mcp.Content) (string, []any, error) {
	var words []string
	files := []any{}
	keep := func(name, kind string, data []byte) error {
		kept, err := m.kit.Save(ctx, tool.Content{Name: name, Kind: kind, Data: data})
		files = append(files, kept)
		return err
	}
	var failed error
	for i, one := range all {
		switch one := one.(type) {
		case *mcp.TextContent:
			words = append(words, one.Text)
		case *mcp.ImageContent:
			failed = errors.Join(failed, keep(fmt.Sprintf("picture-%d", i+1), one.MIMEType, one.Data))
		case *mcp.AudioContent:
			failed = errors.Join(failed, keep(fmt.Sprintf("sound-%d", i+1), one.MIMEType, one.Data))
		case *mcp.ResourceLink:
			words = append(words, one.URI)
		case *mcp.EmbeddedResource:
			if one.Resource != nil && one.Resource.Text != "" {
				words = append(words, one.Resource.Text)
			} else if one.Resource != nil {
				failed = errors.Join(failed,
					keep(tool.SafeName(one.Resource.URI), one.Resource.MIMEType, one.Resource.Blob))
			}
		}
	}
	return strings.Join(words, "\n"), files, failed
}
