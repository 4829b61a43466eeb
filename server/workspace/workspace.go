// Package workspace keeps the files a workspace is made of, and what they
// mean: the checked definitions and the tools of their connections.
//
// The files are kept byte for byte. Beside them stands, by content, every
// definition a run may have been started with, so that a run finishes on the
// definition it began with whatever is written later.
package workspace

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/schema"
	"woolsignal/server/store"
	"woolsignal/server/tool"
	"woolsignal/server/vault"
)

// Snapshot is a workspace at one moment. It is not changed.
type Snapshot struct {
	*flow.Workspace
	Tools    tool.Catalogue
	Problems []flow.Problem
	Accepts  map[string]*schema.Schema // compiled schemas, by file path
	Webhooks map[string]Webhook        // by path
	hashes   map[string]string         // workflow → definition
}

// Holder keeps the current snapshot.
type Holder struct {
	store   *store.Store
	secrets *vault.Vault
	peers   http.RoundTripper // nil dials
	current atomic.Pointer[Snapshot]
	kept    sync.Map // hash → *run.Definition
	write   sync.Mutex
	changed chan struct{}
}

// Open reads the workspace from the store; a new one is empty. peers answers
// the calls of tools inside this process where it is not nil.
func Open(ctx context.Context, s *store.Store, secrets *vault.Vault, peers http.RoundTripper) (*Holder, error) {
	h := &Holder{store: s, secrets: secrets, peers: peers, changed: make(chan struct{}, 1)}
	files, err := h.Files(ctx)
	if err != nil {
		return nil, err
	}
	h.current.Store(h.read(files))
	return h, nil
}

// Now gives the current snapshot.
func (h *Holder) Now() *Snapshot { return h.current.Load() }

// Changed gets a token whenever the workspace changed.
func (h *Holder) Changed() <-chan struct{} { return h.changed }

// Files reads every file, by path.
func (h *Holder) Files(ctx context.Context) (map[string]string, error) {
	rows, err := h.store.Read().QueryContext(ctx, "SELECT path, text FROM files")
	if err != nil {
		return nil, fmt.Errorf("workspace: %w", err)
	}
	defer rows.Close()
	files := map[string]string{}
	for rows.Next() {
		var path, text string
		if err := rows.Scan(&path, &text); err != nil {
			return nil, fmt.Errorf("workspace: %w", err)
		}
		files[path] = text
	}
	return files, rows.Err()
}

// read decodes and checks files. An empty workspace has no problems: it is
// where everybody starts.
func (h *Holder) read(files map[string]string) *Snapshot {
	if len(files) == 0 {
		w, _ := flow.Decode(files)
		return &Snapshot{Workspace: w, Tools: tool.Catalogue{}, hashes: map[string]string{}}
	}
	w, problems := flow.Decode(files)
	tools, more := tool.Build(w, h.secrets, h.peers)
	problems = append(append(problems, more...), w.Check(tools.Find)...)
	s := &Snapshot{Workspace: w, Tools: tools, Problems: problems, Accepts: map[string]*schema.Schema{}, Webhooks: map[string]Webhook{}, hashes: map[string]string{}}
	for path, doc := range w.Schemas {
		if described(w, path) {
			continue
		}
		compiled, err := schema.Compile(doc)
		if err != nil {
			s.Problems = append(s.Problems, flow.Problem{File: path, Line: 1, Column: 1, Severity: flow.Wrong, What: err.Error()})
			continue
		}
		s.Accepts[path] = compiled
	}
	flow.SortProblems(s.Problems)
	for id, one := range w.Workflows {
		s.hashes[id] = hashOf(bundle(w, one))
		for _, t := range one.Triggers {
			if t.Webhook != nil {
				s.Webhooks[t.Webhook.Path] = Webhook{id, t}
			}
		}
	}
	return s
}

// described tells whether a file is an API's description rather than a schema.
func described(w *flow.Workspace, path string) bool {
	for _, c := range w.Connections {
		if c.OpenAPI != nil && c.OpenAPI.Description == path {
			return true
		}
	}
	return false
}

// Check decodes and checks files without keeping them.
func (h *Holder) Check(files map[string]string) []flow.Problem { return h.read(files).Problems }

// ErrProblems says that files were not taken because of what the checker
// found; the problems are returned beside it.
var ErrProblems = errors.New("the workspace has problems")

// Apply takes a whole set of files in place of the current one.
func (h *Holder) Apply(ctx context.Context, files map[string]string, by string) ([]flow.Problem, error) {
	h.write.Lock()
	defer h.write.Unlock()
	next := h.read(files)
	if flow.Wrongs(next.Problems) > 0 {
		return next.Problems, ErrProblems
	}
	var b store.Batch
	b.Do("DELETE FROM files")
	for _, path := range slices.Sorted(maps.Keys(files)) {
		b.Do("INSERT INTO files (path, text, changed, by) VALUES (?, ?, ?, ?)", path, files[path], store.Time(time.Now()), by)
	}
	for id, hash := range next.hashes {
		text, err := json.Marshal(bundle(next.Workspace, next.Workflows[id]))
		if err != nil {
			return nil, fmt.Errorf("workspace: %w", err)
		}
		b.Do("INSERT INTO definitions (hash, files) VALUES (?, ?) ON CONFLICT DO NOTHING", hash, string(text))
	}
	if err := h.store.Write(ctx, b); err != nil {
		return nil, fmt.Errorf("workspace: %w", err)
	}
	h.current.Store(next)
	h.kept.Clear() // tools may take other arguments now
	select {
	case h.changed <- struct{}{}:
	default:
	}
	return next.Problems, nil
}

// bundle gives the files a run of a workflow depends on.
func bundle(w *flow.Workspace, one *flow.Workflow) map[string]string {
	files := map[string]string{}
	add := func(path string) {
		if text, ok := w.Files[path]; ok {
			files[path] = text
		}
	}
	add("workflows/" + one.ID + ".yaml")
	for _, a := range one.AgentsUsed() {
		add("agents/" + a + ".yaml")
	}
	return files
}

func hashOf(files map[string]string) string {
	data, _ := json.Marshal(files) // a map of texts always encodes, its keys sorted
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:12])
}

// ErrNoWorkflow says that there is no workflow of a name.
var ErrNoWorkflow = errors.New("there is no such workflow")

// Definition gives what a new run of a workflow is started with.
func (h *Holder) Definition(ctx context.Context, workflow string) (hash string, def *run.Definition, err error) {
	hash, ok := h.Now().hashes[workflow]
	if !ok {
		return "", nil, fmt.Errorf("%w: %s", ErrNoWorkflow, workflow)
	}
	def, err = h.ByHash(ctx, hash)
	return hash, def, err
}

// ByHash gives the definition a run was started with.
func (h *Holder) ByHash(ctx context.Context, hash string) (*run.Definition, error) {
	if d, ok := h.kept.Load(hash); ok {
		return d.(*run.Definition), nil
	}
	var text string
	if err := h.store.Read().QueryRowContext(ctx, "SELECT files FROM definitions WHERE hash = ?", hash).Scan(&text); err != nil {
		return nil, fmt.Errorf("workspace: the definition %s: %w", hash, err)
	}
	var files map[string]string
	if err := json.Unmarshal([]byte(text), &files); err != nil {
		return nil, fmt.Errorf("workspace: the definition %s: %w", hash, err)
	}
	now := h.Now()
	def := &run.Definition{Agents: map[string]*flow.Agent{}, Zone: now.Zone, Tools: func(name string) (flow.Tool, bool) { return h.Now().Tools.Find(name) }}
	decoded, _ := flow.Decode(files) // it was checked before it was kept
	for _, w := range decoded.Workflows {
		def.Workflow = w
	}
	def.Agents = decoded.Agents
	if def.Workflow == nil {
		return nil, fmt.Errorf("workspace: the definition %s holds no workflow", hash)
	}
	h.kept.Store(hash, def)
	return def, nil
}

// Webhook is a workflow's trigger that listens at a path.
type Webhook struct {
	Workflow string
	flow.Trigger
}
