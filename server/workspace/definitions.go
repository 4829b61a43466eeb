package workspace

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/schema"
	"woolsignal/server/store"
)

// bundle is a workflow with all it depends on, as it was written.
type bundle struct {
	files   map[string]string
	def     *run.Definition
	accepts map[string]*schema.Schema // compiled, by file path
}

// bundleOf gathers the files a run of a workflow depends on.
func bundleOf(w *flow.Workspace, one *flow.Workflow) map[string]string {
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
	for _, path := range one.SchemasUsed() {
		add(path)
	}
	return files
}

func hashOf(files map[string]string) string {
	data, _ := json.Marshal(files) // a map of texts always encodes, its keys sorted
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:12])
}

// keep writes the draft of a workflow as a definition.
func (s *Snapshot) keep(b *store.Batch, workflow string) error {
	text, err := json.Marshal(bundleOf(s.Workspace, s.Workflows[workflow]))
	if err != nil {
		return fmt.Errorf("workspace: %w", err)
	}
	b.Do("INSERT INTO definitions (hash, files) VALUES (?, ?) ON CONFLICT DO NOTHING", s.drafts[workflow], string(text))
	return nil
}

// Definition gives what a signal starts a run of a workflow with. Errors:
// [ErrNoWorkflow], [ErrNotLive], [ErrOff].
func (h *Holder) Definition(ctx context.Context, workflow string) (hash string, def *run.Definition, err error) {
	s := h.Now()
	live, ok := s.Live[workflow]
	switch {
	case !ok && s.Workflows[workflow] != nil:
		return "", nil, fmt.Errorf("%w: %s", ErrNotLive, workflow)
	case !ok:
		return "", nil, fmt.Errorf("%w: %s", ErrNoWorkflow, workflow)
	case !live.On:
		return "", nil, fmt.Errorf("%w: %s", ErrOff, workflow)
	}
	def, err = h.ByHash(ctx, live.Hash)
	return live.Hash, def, err
}

// Draft gives what the draft of a workflow is tried with. Errors:
// [ErrNoWorkflow], and [ErrProblems] where it does not check.
func (h *Holder) Draft(ctx context.Context, workflow string) (hash string, err error) {
	s := h.Now()
	if s.Workflows[workflow] == nil {
		return "", fmt.Errorf("%w: %s", ErrNoWorkflow, workflow)
	}
	if problems := s.wrongs(workflow); len(problems) > 0 {
		return "", fmt.Errorf("%w: %s", ErrProblems, problems[0])
	}
	var b store.Batch
	if err := s.keep(&b, workflow); err != nil {
		return "", err
	}
	return s.drafts[workflow], h.store.Write(ctx, b)
}

// ByHash gives the definition a run was started with.
func (h *Holder) ByHash(ctx context.Context, hash string) (*run.Definition, error) {
	b, err := h.bundle(ctx, h.Now(), hash)
	if err != nil {
		return nil, err
	}
	return b.def, nil
}

// bundle reads a definition in the light of a workspace: its zone, holidays
// and model. Tools are always those of the current one.
func (h *Holder) bundle(ctx context.Context, in *Snapshot, hash string) (*bundle, error) {
	if b, ok := in.kept.Load(hash); ok {
		return b.(*bundle), nil
	}
	var text string
	if err := h.store.Read().QueryRowContext(ctx, "SELECT files FROM definitions WHERE hash = ?", hash).Scan(&text); err != nil {
		return nil, fmt.Errorf("workspace: the definition %s: %w", hash, err)
	}
	b := &bundle{accepts: map[string]*schema.Schema{}}
	if err := json.Unmarshal([]byte(text), &b.files); err != nil {
		return nil, fmt.Errorf("workspace: the definition %s: %w", hash, err)
	}
	b.def = &run.Definition{Zone: in.Zone, Holidays: in.Holidays, Model: in.Model, Tools: func(name string) (flow.Tool, bool) { return h.Now().Tools.Find(name) }}
	decoded, _ := flow.Decode(b.files) // it was checked before it was kept
	for _, w := range decoded.Workflows {
		b.def.Workflow = w
	}
	b.def.Agents = decoded.Agents
	if b.def.Workflow == nil {
		return nil, fmt.Errorf("workspace: the definition %s holds no workflow", hash)
	}
	for path, doc := range decoded.Schemas {
		if compiled, err := schema.Compile(doc); err == nil {
			b.accepts[path] = compiled
		}
	}
	in.kept.Store(hash, b)
	return b, nil
}
