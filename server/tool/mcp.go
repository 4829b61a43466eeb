package tool

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os/exec"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/modelcontextprotocol/go-sdk/mcp"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/schema"
	"woolsignal/server/store"
)

// sessions are the open sessions with MCP servers, by connection.
type sessions struct {
	mu     sync.Mutex
	open   map[string]*mcpSession
	onList func(connection string) // the server says that its tools changed
	kept   int                     // how often a list was kept anew
}

type mcpSession struct {
	c       *flow.Connection
	session *mcp.ClientSession
}

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

// OnOffersChanged says what to do when a server's list of tools changed.
func (k *Kit) OnOffersChanged(do func(connection string)) {
	k.mcp.mu.Lock()
	defer k.mcp.mu.Unlock()
	k.mcp.onList = do
}

// CloseSessions ends every session with an MCP server.
func (k *Kit) CloseSessions() {
	k.mcp.mu.Lock()
	defer k.mcp.mu.Unlock()
	for id, s := range k.mcp.open {
		_ = s.session.Close() // nothing is asked of it any more
		delete(k.mcp.open, id)
	}
}

// session gives the session with a server, opened where it is not.
func (k *Kit) session(ctx context.Context, c *flow.Connection) (*mcp.ClientSession, error) {
	k.mcp.mu.Lock()
	defer k.mcp.mu.Unlock()
	if s := k.mcp.open[c.ID]; s != nil && s.c == c {
		return s.session, nil
	} else if s != nil {
		_ = s.session.Close() // its file changed
	}
	transport, err := k.transport(c)
	if err != nil {
		return nil, err
	}
	client := mcp.NewClient(&mcp.Implementation{Name: "woolsignal", Version: "1"}, &mcp.ClientOptions{
		ToolListChangedHandler: func(context.Context, *mcp.ToolListChangedRequest) {
			go k.offersChanged(c.ID) // the session must go on reading meanwhile
		}})
	// The session outlives the call that opens it.
	opening, cancel := context.WithTimeout(context.WithoutCancel(ctx), 20*time.Second)
	defer cancel()
	session, err := client.Connect(opening, transport, nil)
	if err != nil {
		return nil, &NotSentError{fmt.Errorf("%s: %w", c.Title, err)}
	}
	if k.mcp.open == nil {
		k.mcp.open = map[string]*mcpSession{}
	}
	k.mcp.open[c.ID] = &mcpSession{c, session}
	go func() { // a session that ended is opened anew by whoever needs it next
		_ = session.Wait()
		k.mcp.mu.Lock()
		defer k.mcp.mu.Unlock()
		if s := k.mcp.open[c.ID]; s != nil && s.session == session {
			delete(k.mcp.open, c.ID)
		}
	}()
	return session, nil
}

func (k *Kit) transport(c *flow.Connection) (mcp.Transport, error) {
	if c.MCP.Command == "" {
		client, err := k.Client(c)
		if err != nil {
			return nil, err
		}
		return &mcp.StreamableClientTransport{Endpoint: c.Address, HTTPClient: client}, nil
	}
	command := k.Commands[c.MCP.Command]
	if len(command) == 0 {
		return nil, &RefusedError{Message: fmt.Sprintf("no command %s is allowed here; whoever starts the service allows one with: serve -allow-command %s='…'", c.MCP.Command, c.MCP.Command)}
	}
	cmd := exec.Command(command[0], command[1:]...)
	cmd.Env = []string{"PATH=/usr/local/bin:/usr/bin:/bin"} // nothing of ours is its business
	return &mcp.CommandTransport{Command: cmd, TerminateDuration: time.Second}, nil
}

// toolName is what a tool may be called to have a name in files.
var toolName = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_.-]{0,79}$`)

// RefreshOffers asks a server what it offers and keeps the answer. changed
// tells whether it differs from what was kept.
func (k *Kit) RefreshOffers(ctx context.Context, c *flow.Connection) (changed bool, err error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	session, err := k.session(ctx, c)
	if err != nil {
		return false, err
	}
	var all []offered
	for t, err := range session.Tools(ctx, nil) {
		if err != nil {
			return false, fmt.Errorf("%s: its tools cannot be listed: %w", c.Title, err)
		}
		if one, ok := offer(t); ok && !slices.ContainsFunc(all, func(o offered) bool { return o.Name == one.Name }) && len(all) < 1000 {
			all = append(all, one)
		}
	}
	data, err := json.Marshal(all)
	if err != nil {
		return false, err
	}
	if before, err := k.kept(c.ID); err == nil && string(before) == string(data) {
		return false, nil
	}
	var b store.Batch
	b.Do("INSERT INTO offers (connection, tools, at) VALUES (?, ?, ?) ON CONFLICT (connection) DO UPDATE SET tools = excluded.tools, at = excluded.at", c.ID, data, store.Time(time.Now()))
	if err := k.Store.Write(ctx, b); err != nil {
		return false, err
	}
	k.mcp.mu.Lock()
	defer k.mcp.mu.Unlock()
	k.mcp.kept++
	return true, nil
}

// OffersKept counts how often a server's list was kept anew, whoever asked
// for it: a catalogue made at another count is old.
func (k *Kit) OffersKept() int {
	k.mcp.mu.Lock()
	defer k.mcp.mu.Unlock()
	return k.mcp.kept
}

// offersChanged tells whoever makes the catalogue.
func (k *Kit) offersChanged(connection string) {
	k.mcp.mu.Lock()
	do := k.mcp.onList
	k.mcp.mu.Unlock()
	if do != nil {
		do(connection)
	}
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

func (k *Kit) kept(connection string) ([]byte, error) {
	if k.Store == nil {
		return nil, store.ErrNoBlob
	}
	var data []byte
	err := k.Store.Read().QueryRow("SELECT tools FROM offers WHERE connection = ?", connection).Scan(&data)
	return data, err
}

// mcpOperations makes tools of what a server said it offers. Before anybody
// has asked it, the operations its file names are known by name alone.
func (k *Kit) mcpOperations(c *flow.Connection) ([]*Operation, error) {
	var all []offered
	if data, err := k.kept(c.ID); err == nil {
		v, err := expr.DecodeJSON(data)
		if err == nil {
			data, _ = json.Marshal(v)
			err = json.Unmarshal(data, &all)
		}
		if err != nil {
			return nil, fmt.Errorf("what %s offers cannot be read: %w", c.Title, err)
		}
	}
	wanted := c.MCP.Operations
	for _, name := range wanted {
		if !slices.ContainsFunc(all, func(o offered) bool { return o.Name == name }) {
			all = append(all, offered{Name: name, Description: "Not described yet: nobody has asked " + c.Title + "."})
		}
	}
	var out []*Operation
	for _, o := range all {
		if len(wanted) > 0 && !slices.Contains(wanted, o.Name) {
			continue
		}
		expr.Canonical(o.Input)
		expr.Canonical(o.Output)
		call := &mcpCall{kit: k, c: c, name: o.Name, output: o.Output}
		if o.Output != nil {
			call.schema, _ = schema.Compile(o.Output) // it compiled when it was taken in
		}
		op := operation(c.ID, c.Title, o.Name, o.Description, o.Input, o.Output, sends, call.call)
		if o.Output == nil && o.Input != nil {
			op.Output = result(map[string]any{"text": prop("string", "What it said"), "files": listOf(fileResult(), "")})
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
	kit    *Kit
	c      *flow.Connection
	name   string
	output map[string]any
	schema *schema.Schema
}

// mcpPatience bounds one call.
const mcpPatience = 2 * time.Minute

func (m *mcpCall) call(ctx context.Context, args map[string]any, s Sending) (any, error) {
	ctx, cancel := context.WithTimeout(ctx, mcpPatience)
	defer cancel()
	session, err := m.kit.session(ctx, m.c)
	if err != nil {
		return nil, err
	}
	got, err := session.CallTool(ctx, &mcp.CallToolParams{Name: m.name, Arguments: args, Meta: mcp.Meta{"woolsignal.example/key": s.Key}})
	if err != nil {
		return nil, fmt.Errorf("%s: %w", m.c.Title, err)
	}
	words, files, err := m.contents(ctx, got.Content)
	if err != nil {
		return nil, err
	}
	if got.IsError {
		return nil, &RefusedError{Message: m.c.Title + " refused: " + reason([]byte(words))}
	}
	if got.StructuredContent == nil && m.schema != nil {
		return nil, fmt.Errorf("%s: %s gave no structured result, though it says it does", m.c.Title, m.name)
	}
	if got.StructuredContent != nil {
		value := expr.Canonical(got.StructuredContent)
		if m.schema != nil {
			if err := m.schema.Validate(value); err != nil {
				return nil, fmt.Errorf("%s: what %s gave is not what it says it gives: %w", m.c.Title, m.name, err)
			}
		}
		return value, nil
	}
	return map[string]any{"text": words, "files": files}, nil
}

// contents sorts what a server gave into words and files.
func (m *mcpCall) contents(ctx context.Context, all []mcp.Content) (string, []any, error) {
	var words []string
	files := []any{}
	keep := func(name, kind string, data []byte) error {
		kept, err := m.kit.save(ctx, content{name, kind, data})
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
				failed = errors.Join(failed, keep(safeName(one.Resource.URI), one.Resource.MIMEType, one.Resource.Blob))
			}
		}
	}
	return strings.Join(words, "\n"), files, failed
}
