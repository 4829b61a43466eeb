// Package workspace keeps the files a workspace is made of, and what they
// mean: the checked definitions and the tools of their connections.
//
// The files are kept byte for byte; they are the draft. What runs follow are
// versions: a workflow with its agents and schemas as they were when somebody
// published it, kept by content, so that a run finishes on the version it
// began with whatever is written later. Connections and the workspace's own
// file have no versions: they act as soon as they are written.
package workspace

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sync"
	"sync/atomic"

	_ "woolsignal/server/protocol" // every protocol there is

	"woolsignal/core/flow"
	_ "woolsignal/core/protocol" // the kinds of connections and steps files may have
	"woolsignal/core/run"
	"woolsignal/core/schema"
	"woolsignal/core/trigger"
	"woolsignal/server/store"
	"woolsignal/server/tool"
	"woolsignal/server/vault"
)

// Snapshot is a workspace at one moment. It is not changed.
type Snapshot struct {
	*flow.Workspace // the draft
	Tools           tool.Catalogue
	Problems        []flow.Problem
	Live            map[string]*Live // by workflow
	Leaving         []Leaving
	Webhooks        map[string]Webhook // by path, of what is live and on
	Heard           map[string]bool    // sources that runs wait for signals of, or may come to
	doors           map[string][]Webhook
	drafts          map[string]string   // workflow → edition of its draft
	renames         map[string][]rename // by the name a workflow had, oldest first
	found           *found
}

// Live is the version of a workflow that signals start.
type Live struct {
	*flow.Workflow
	Version int
	Hash    string
	On      bool
	edition string // of what was written, as drafts have one
	def     *run.Definition
}

// Webhook is a trigger that listens at a path.
type Webhook struct {
	Workflow string // "" where only waiting runs listen
	flow.Trigger
	Hook       *trigger.Webhook
	Definition *run.Definition
	Draft      bool // of what is written rather than of what is live
	leaving    string
}

// Holder keeps the current snapshot.
type Holder struct {
	store    *store.Store
	kit      *tool.Kit
	secrets  *vault.Vault // nil where files are only checked
	people   People
	current  atomic.Pointer[Snapshot]
	public   atomic.Pointer[public]
	write    sync.Mutex // held while files or versions change, from reading what is to writing what is to be
	reading  sync.Mutex // one definition is read at a time, and once: many runs begin at the same moment
	catching sync.Map   // workflows whose next signal is kept as a sample
	changed  chan struct{}
	watchers []chan struct{}

	aroundRename atomic.Pointer[func(from, to string, write func() error) error]
}

// People gives the e-mails of everybody who has an account, in small letters.
type People func(context.Context) (map[string]bool, error)

// Open reads the workspace from the store; a new one is empty. Its tools are
// made with the kit. people is whom its files may name; nil takes any.
func Open(ctx context.Context, s *store.Store, kit *tool.Kit, secrets *vault.Vault,
	people People) (*Holder, error) {
	h := &Holder{store: s, kit: kit, secrets: secrets, people: people, changed: make(chan struct{}, 1)}
	files, err := h.Files(ctx)
	if err != nil {
		return nil, err
	}
	next := h.read(files)
	if err := errors.Join(h.enliven(ctx, next), h.catches(ctx)); err != nil {
		return nil, err
	}
	h.current.Store(next)
	return h, nil
}

// Now gives the current snapshot.
func (h *Holder) Now() *Snapshot { return h.current.Load() }

// Live lists the workflows that are live and on.
func (h *Holder) Live() map[string]*Live {
	out := map[string]*Live{}
	for id, l := range h.Now().Live {
		if l.On {
			out[id] = l
		}
	}
	return out
}

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
		return &Snapshot{Workspace: w, Tools: tool.Catalogue{}, drafts: map[string]string{}, found: &found{}}
	}
	w, problems := flow.Decode(files)
	if h.people != nil {
		w.People, _ = h.people(context.Background()) // where they cannot be read, anybody may be named
	}
	tools, more := tool.Build(w, h.kit)
	problems = append(append(problems, more...), w.Check(tools.Find, slices.Collect(maps.Keys(tools))...)...)
	s := &Snapshot{Workspace: w, Tools: tools, Problems: problems, drafts: map[string]string{},
		found: &found{}}
	for path, doc := range w.Schemas {
		if _, err := schema.Compile(doc); err != nil {
			s.Problems = append(s.Problems,
				flow.Problem{File: path, Line: 1, Column: 1, Severity: flow.Wrong, What: err.Error()})
		}
	}
	for path, text := range files {
		if h.secrets != nil && h.secrets.Mask(text) != text {
			s.Problems = append(s.Problems,
				flow.Problem{File: path, Line: 1, Column: 1, Severity: flow.Wrong,
					What:   "this file holds a secret of one of the connections",
					Why:    "files are read, copied and exported; a secret in one is a secret no more",
					Remedy: "remove it here, and replace the secret where it was issued"})
		}
	}
	flow.SortProblems(s.Problems)
	for id, one := range w.Workflows {
		s.drafts[id] = writtenOf(w, one, nil).edition()
	}
	return s
}

// Check decodes and checks files without any service.
func Check(files map[string]string) []flow.Problem {
	return (&Holder{kit: &tool.Kit{}}).read(files).Problems
}

// Check decodes and checks files without keeping them.
func (h *Holder) Check(files map[string]string) []flow.Problem { return h.read(files).Problems }

// cannotStart is why a live version that cannot be read matters.
const cannotStart = "nothing starts a workflow that cannot be read, and its open runs are stopped"

// enliven reads what is live and readies it to be found.
func (h *Holder) enliven(ctx context.Context, s *Snapshot) error {
	rows, err := h.store.Read().QueryContext(ctx,
		"SELECT l.workflow, l.version, l.is_on, v.definition FROM live l JOIN versions v ON v.workflow = l.workflow "+
			"AND v.n = l.version ORDER BY l.workflow")
	if err != nil {
		return fmt.Errorf("workspace: %w", err)
	}
	defer rows.Close()
	s.Problems = slices.DeleteFunc(slices.Clone(s.Problems), func(p flow.Problem) bool {
		return p.Why == cannotStart || p.Why == stillWaits
	})
	s.Live, s.Webhooks, s.Heard = map[string]*Live{}, map[string]Webhook{}, map[string]bool{}
	for rows.Next() {
		one := &Live{}
		var id string
		if err := rows.Scan(&id, &one.Version, &one.On, &one.Hash); err != nil {
			return fmt.Errorf("workspace: %w", err)
		}
		b, err := h.bundle(ctx, s, one.Hash)
		var unreadable *UnreadableError
		if errors.As(err, &unreadable) {
			s.Problems = append(s.Problems,
				flow.Problem{File: "workflows/" + id + ".yaml", Line: 1, Column: 1, Severity: flow.Remark,
					What: "what is live of it can no longer be read (" + unreadable.Why + ")",
					Why:  cannotStart, Remedy: "put the file right and publish it"})
			continue
		} else if err != nil {
			return err
		}
		one.Workflow, one.edition, one.def = b.def.Workflow, b.edition, b.def
		s.Live[id] = one
		if one.On {
			s.starts(id, b.def)
		}
	}
	if err := errors.Join(rows.Err(), h.oldNames(ctx, s), h.stay(ctx, s)); err != nil {
		return err
	}
	s.hear()
	s.Problems = append(s.Problems, s.shared()...)
	flow.SortProblems(s.Problems)
	return nil
}

// starts notes where signals come in that start a workflow.
func (s *Snapshot) starts(id string, def *run.Definition) {
	for _, t := range def.Workflow.Triggers {
		if hook, is := t.Is.(*trigger.Webhook); is {
			s.Webhooks[hook.Path] = Webhook{Workflow: id, Trigger: t, Hook: hook, Definition: def}
		}
	}
}

// hear notes what runs wait for, or may come to.
func (s *Snapshot) hear() {
	s.doors = map[string][]Webhook{}
	s.eachWait(func(t flow.Trigger, def *run.Definition, leaving string) {
		if t.Is.HeardBy() == flow.ByConversation {
			s.Heard[run.ChatSource] = true
		} else {
			s.Heard[t.Source()] = true
		}
		if hook, is := t.Is.(*trigger.Webhook); is {
			s.doors[hook.Path] = append(s.doors[hook.Path], Webhook{Trigger: t, Hook: hook, Definition: def,
				leaving: leaving})
		}
	})
}

// eachWait visits what the steps wait by of what is live and on, then of what is
// leaving, with the hash of that.
func (s *Snapshot) eachWait(visit func(t flow.Trigger, def *run.Definition, leaving string)) {
	of := func(def *run.Definition, leaving string) {
		flow.Walk(def.Workflow.Steps, func(step *flow.Step) {
			if t := step.Hears(); t != nil {
				visit(*t, def, leaving)
			}
		})
	}
	for _, id := range slices.Sorted(maps.Keys(s.Live)) {
		if live := s.Live[id]; live.On {
			of(live.def, "")
		}
	}
	for _, l := range s.Leaving {
		of(l.Definition, l.hash)
	}
}

// renew reads again what is live, after it was written. Whoever wrote it may
// have left since: what is in the database is what runs follow.
func (h *Holder) renew(ctx context.Context) error {
	next := *h.Now()
	if err := h.enliven(context.WithoutCancel(ctx), &next); err != nil {
		return err
	}
	h.install(&next)
	return nil
}

// Reread checks the files anew, after a service changed what it offers or
// somebody joined.
func (h *Holder) Reread(ctx context.Context) error {
	h.write.Lock()
	defer h.write.Unlock()
	next := h.read(h.Now().Files)
	if err := h.enliven(ctx, next); err != nil {
		return err
	}
	h.install(next)
	return nil
}

func (h *Holder) install(next *Snapshot) {
	h.current.Store(next)
	for _, w := range append([]chan struct{}{h.changed}, h.watchers...) {
		select {
		case w <- struct{}{}:
		default:
		}
	}
}

// Subscribe gives a channel of one's own that gets a token whenever the
// workspace changed.
func (h *Holder) Subscribe() <-chan struct{} {
	h.write.Lock()
	defer h.write.Unlock()
	w := make(chan struct{}, 1)
	h.watchers = append(h.watchers, w)
	return w
}

// Errors a caller can test for.
var (
	// ErrProblems says that files were not taken, or a workflow not
	// published, because of what the checker found; the problems are returned
	// beside it.
	ErrProblems = errors.New("the checker found problems")
	// ErrNoWorkflow says that there is no workflow of a name.
	ErrNoWorkflow = errors.New("there is no such workflow")
	// ErrNotLive says that a workflow was never published.
	ErrNotLive = errors.New("this workflow is a draft; publish it first")
	// ErrOff says that a workflow is switched off.
	ErrOff = errors.New("this workflow is switched off")
	// ErrTaken says that something else already has a name.
	ErrTaken = errors.New("something else is called that already")
	// ErrNoVersion says that a workflow has no version of a number.
	ErrNoVersion = errors.New("there is no such version")
)
