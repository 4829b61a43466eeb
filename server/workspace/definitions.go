package workspace

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/step"
	"woolsignal/core/trigger"
	"woolsignal/server/store"
	"woolsignal/server/tool"
)

// bundle is a workflow with all it depends on, as it was written.
type bundle struct {
	written
	edition string
	def     *run.Definition
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
	for _, a := range w.AgentsWith(one.AgentsUsed()) {
		add("agents/" + a + ".yaml")
		if def := w.Agents[a]; def != nil {
			for _, path := range def.SchemasUsed() {
				add(path)
			}
		}
	}
	for _, path := range one.SchemasUsed() {
		add(path)
	}
	return files
}

// written is a definition as it is kept: the files, and what of the workspace
// a run depends on beside them. Addresses, secrets, limits, who may do what,
// and whether a workflow is on are not in it: these act at once.
type written struct {
	Files    map[string]string    `json:"files"`
	Zone     string               `json:"zone"`
	Holidays []string             `json:"holidays,omitempty"`
	Model    string               `json:"model,omitempty"`
	Tools    map[string]flow.Tool `json:"tools,omitempty"` // their words and schemas, by name
	// Task says that it is a task of an agent alone, which is handed what came in.
	Task bool `json:"task,omitempty"`
}

// writtenOf gathers all a run of a workflow depends on.
func writtenOf(w *flow.Workspace, one *flow.Workflow, tools tool.Catalogue) written {
	out := written{Files: bundleOf(w, one), Zone: w.Zone.String(), Holidays: slices.Sorted(maps.Keys(w.Holidays)),
		Model: w.Model, Tools: map[string]flow.Tool{}}
	find := w.WithCompany(tools.Find)
	for _, name := range toolsOf(w, one) {
		spec, ok := find(name)
		if kind, _, _ := flow.CompanyTool(name); ok && kind == flow.HelperTools {
			out.Tools[name] = spec // whose file is kept here too
		} else if ok {
			out.Tools[name] = flow.Tool{Name: name, Title: spec.Title, Description: spec.Description,
				Connection: spec.Connection, Input: spec.Input, Output: spec.Output}
		}
	}
	return out
}

// toolsOf lists the tools a workflow may use: in its steps, by its agents, and
// to answer in a conversation on a server.
func toolsOf(w *flow.Workspace, one *flow.Workflow) []string {
	out := one.Uses(flow.HoldsTool)
	for _, id := range w.AgentsWith(one.AgentsUsed()) {
		if a := w.Agents[id]; a != nil {
			for _, t := range a.Kit() {
				out = append(out, t.Tool)
			}
		}
	}
	for _, t := range one.Triggers {
		if c, chat := t.Is.(*trigger.Chat); chat && c.Connection != "" {
			out = append(out, c.Connection+"/write_in", c.Connection+"/write_to")
		}
	}
	return out
}

// edition names what somebody wrote, apart from what tools say of themselves:
// a workflow is another draft when its files or its workspace's zone, holidays
// or model are others.
func (d written) edition() string {
	d.Tools = nil
	return d.hash()
}

func (d written) hash() string {
	data, _ := json.Marshal(d) // texts and JSON always encode, keys sorted
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:12])
}

// keep writes the draft of a workflow as a definition, and gives its name.
func (s *Snapshot) keep(b *store.Batch, workflow string) (hash string, err error) {
	return writtenOf(s.Workspace, s.Workflows[workflow], s.Tools).keep(b)
}

// keep writes the definition, and gives its name.
func (d written) keep(b *store.Batch) (hash string, err error) {
	text, err := json.Marshal(d)
	if err != nil {
		return "", fmt.Errorf("workspace: %w", err)
	}
	hash = d.hash()
	b.Do("INSERT INTO definitions (hash, definition) VALUES (?, ?) ON CONFLICT DO NOTHING", hash, string(text))
	return hash, nil
}

// UnreadableError says that a definition was written in a language this
// version no longer reads.
type UnreadableError struct{ Workflow, Why string }

func (u *UnreadableError) Error() string {
	return "the version of " + u.Workflow + " it follows can no longer be read (" + u.Why + ")"
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

// Draft gives what the draft of a workflow is tried with: where it does not
// check, the last text that did. Errors: [ErrNoWorkflow], and [ErrProblems] where
// there was none.
func (h *Holder) Draft(ctx context.Context, workflow string) (hash string, err error) {
	s := h.Now()
	if s.Workflows[workflow] == nil {
		return "", fmt.Errorf("%w: %s", ErrNoWorkflow, workflow)
	}
	if problems := s.wrongs(workflow); len(problems) > 0 {
		if s, err = h.lastReadable(ctx, workflow); err != nil {
			return "", err
		} else if s == nil {
			return "", fmt.Errorf("%w: %s", ErrProblems, problems[0])
		}
	}
	var b store.Batch
	if hash, err = s.keep(&b, workflow); err != nil {
		return "", err
	}
	return hash, h.store.Write(ctx, b)
}

// ByHash gives the definition a run was started with. The error is an
// *[UnreadableError] where this version cannot read it.
func (h *Holder) ByHash(ctx context.Context, hash string) (*run.Definition, error) {
	b, err := h.bundle(ctx, h.Now(), hash)
	if err != nil {
		return nil, err
	}
	return b.def, nil
}

// bundle reads a definition. Tools have the schemas they had then; whether
// they are there at all, and what is said of their effects, is as it is now.
func (h *Holder) bundle(ctx context.Context, in *Snapshot, hash string) (*bundle, error) {
	if b, ok := in.found.bundles.Load(hash); ok {
		return b.(*bundle), nil
	}
	h.reading.Lock()
	defer h.reading.Unlock()
	if b, ok := in.found.bundles.Load(hash); ok {
		return b.(*bundle), nil
	}
	var text string
	if err := h.store.Read().QueryRowContext(ctx, "SELECT definition FROM definitions WHERE hash = ?",
		hash).Scan(&text); err != nil {
		return nil, fmt.Errorf("workspace: the definition %s: %w", hash, err)
	}
	var d written
	if err := json.Unmarshal([]byte(text), &d); err != nil {
		return nil, fmt.Errorf("workspace: the definition %s: %w", hash, err)
	}
	b, err := h.decode(d)
	if err != nil {
		return nil, err
	}
	in.found.bundles.Store(hash, b)
	return b, nil
}

func (h *Holder) decode(d written) (*bundle, error) {
	decoded, problems := flow.Decode(d.Files)
	name := "a workflow"
	for id := range decoded.Workflows {
		name = id
	}
	for _, p := range problems {
		if _, own := d.Files[p.File]; own && p.Severity == flow.Wrong { // it was without any when it was kept
			return nil, &UnreadableError{name, fmt.Sprintf("%s, line %d: %s", p.File, p.Line, p.What)}
		}
	}
	zone, err := time.LoadLocation(d.Zone)
	if err != nil {
		return nil, &UnreadableError{name, err.Error()}
	}
	b := &bundle{written: d, edition: d.edition()}
	b.def = &run.Definition{Zone: zone, Holidays: map[string]bool{}, Model: d.Model, Agents: decoded.Agents,
		Tools: h.toolsAsWritten(d.Tools), Models: h.model, Off: h.off}
	for _, day := range d.Holidays {
		b.def.Holidays[day] = true
	}
	for _, w := range decoded.Workflows {
		b.def.Workflow = w
	}
	if d.Task {
		flow.Walk(b.def.Workflow.Steps, func(s *flow.Step) {
			if asked, is := s.Does.(*step.Agent); is {
				asked.Handed = true
			}
		})
	}
	if b.def.Workflow == nil {
		return nil, &UnreadableError{name, "it holds no workflow"}
	}
	return b, nil
}

// off tells whether an agent is switched off now, whatever a run follows.
func (h *Holder) off(agent string) bool {
	a := h.Now().Agents[agent]
	return a != nil && a.Off
}

// model finds what a model's file says of it now.
func (h *Holder) model(name string) (flow.Model, bool) {
	_, m, ok := h.Now().FindModel(name)
	return m, ok
}

// toolsAsWritten finds the tools there are now, with the words and schemas a
// definition has of them.
func (h *Holder) toolsAsWritten(kept map[string]flow.Tool) flow.Catalogue {
	for name, spec := range kept {
		spec.Input = expr.CanonicalMap(spec.Input)
		spec.Output = expr.CanonicalMap(spec.Output)
		kept[name] = spec
	}
	return func(name string) (flow.Tool, bool) {
		was, known := kept[name]
		if kind, _, _ := flow.CompanyTool(name); known && kind == flow.HelperTools {
			return was, true
		}
		spec, ok := h.Now().Find(name)
		if ok && known {
			spec.Title, spec.Description, spec.Input, spec.Output = was.Title, was.Description, was.Input, was.Output
		}
		return spec, ok
	}
}
