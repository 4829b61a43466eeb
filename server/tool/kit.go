package tool

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"woolsignal/core/flow"
	"woolsignal/server/confined"
	"woolsignal/server/egress"
	"woolsignal/server/oauth"
	"woolsignal/server/store"
	"woolsignal/server/vault"
)

// Kit is what tools are made with. Its zero value makes tools that can be
// described and checked, and not called.
type Kit struct {
	Peers http.RoundTripper // answers calls inside this process where it is not nil

	// Commands are the processes connections may start, by the name their
	// files use. Only whoever starts the service can allow one.
	Commands map[string][]string

	// Confined are the processes in which documents from outside are read.
	Confined *confined.Pool

	secrets *vault.Vault
	tokens  *oauth.Keeper
	store   *store.Store // files and tables

	noted  sync.Map // connection → time its last success was written down
	beside sync.Map // what protocols keep with the kit, by their own keys
}

// NewKit gives a kit whose tools can be called.
func NewKit(s *store.Store, secrets *vault.Vault, tokens *oauth.Keeper) *Kit {
	return &Kit{store: s, secrets: secrets, tokens: tokens}
}

// Beside gives what a protocol keeps with the kit, such as open sessions. It is
// made when it is first asked for. key is of a type of the protocol's own.
func (k *Kit) Beside(key any, make func() any) any {
	if kept, ok := k.beside.Load(key); ok {
		return kept
	}
	kept, _ := k.beside.LoadOrStore(key, make())
	return kept
}

// Store is where a protocol keeps what its servers offer, and files.
func (k *Kit) Store() *store.Store { return k.store }

// Secret gives a connection's secret, for what is no client of its address.
func (k *Kit) Secret(c *flow.Connection) (string, error) { return k.secrets.Get(c.ID, c.SecretFor()) }

// Key gives what a connection signs with.
func (k *Kit) Key(c *flow.Connection) egress.Key {
	if c.Auth.Kind == "oauth" {
		return func(ctx context.Context, fresh bool) (string, error) { return k.tokens.Token(ctx, c, fresh) }
	}
	return func(_ context.Context, fresh bool) (string, error) {
		if fresh {
			return "", egress.ErrNotRenewed
		}
		return k.Secret(c)
	}
}

// Client gives the HTTP client of a connection.
func (k *Kit) Client(c *flow.Connection) (*http.Client, error) {
	return egress.Client(c, k.Key(c), k.Peers)
}

// Build makes the tools of every connection and table.
func Build(w *flow.Workspace, kit *Kit) (Catalogue, []flow.Problem) {
	all := Catalogue{}
	var problems []flow.Problem
	for _, id := range slices.Sorted(maps.Keys(w.Connections)) {
		c := w.Connections[id]
		operations, err := kit.operations(w, c)
		if err != nil {
			problems = append(problems, flow.Problem{File: "connections/" + id + ".yaml", Line: c.At.Line,
				Column:   c.At.Column,
				Severity: flow.Wrong, What: err.Error()})
		}
		known := map[string]bool{}
		for _, op := range operations {
			op.Connection = id
			known[strings.TrimPrefix(op.Name, id+"/")] = true
			n := c.Tools[strings.TrimPrefix(op.Name, id+"/")]
			if note(op, n) {
				all[op.Name] = op
			}
			for _, what := range op.Lacks {
				problems = append(problems, flow.Problem{File: "connections/" + id + ".yaml", Line: c.At.Line,
					Column: c.At.Column, Severity: flow.Remark, What: op.Name + " cannot send " + what,
					Why: "the tool works without it, and takes no such argument"})
			}
			if op.Says != "" && n.ReadOnly == nil && n.Destructive == nil {
				problems = append(problems,
					flow.Problem{File: "connections/" + id + ".yaml", Line: c.At.Line, Column: c.At.Column,
						Severity: flow.Remark,
						What:     fmt.Sprintf("%s says that %s %s; nobody has confirmed it", c.Title, op.Name, op.Says),
						Why:      "what a server says of itself is a claim, and an agent trusts it only once you do",
						Remedy: "add tools: with " + strings.TrimPrefix(op.Name, id+"/") +
							": {read_only: true}, or false"})
			}
		}
		for name := range c.Tools {
			if !known[name] && (protocols[c.Kind].Offers == nil || len(operations) > 0) {
				problems = append(problems,
					flow.Problem{File: "connections/" + id + ".yaml", Line: c.At.Line, Column: c.At.Column,
						Severity: flow.Wrong,
						What:     "tools: " + id + " has no operation " + name, Remedy: "possible here: " +
							strings.Join(slices.Sorted(maps.Keys(known)), ", ")})
			}
		}
	}
	problems = append(problems, showings(w, kit, all)...)
	for id, c := range w.Connections {
		for name, op := range all {
			if operation, of := strings.CutPrefix(name, id+"/"); of && c.Drafts != "" &&
				all[c.Drafts+"/"+operation] != nil {
				op.Draft = c.Drafts + "/" + operation
			}
		}
	}
	for _, op := range kit.documentOperations() {
		all[op.Name] = op
	}
	for _, id := range slices.Sorted(maps.Keys(w.Tables)) {
		for _, op := range kit.tableOperations(w.Tables[id]) {
			op.Connection = id
			all[op.Name] = op
		}
	}
	for _, op := range all {
		op.Shows = op.Show != nil
	}
	return all, problems
}

// note puts what the builder knows better over what a service says of its
// operation, and tells whether it is offered.
func note(op *Operation, n flow.ToolNote) bool {
	op.ReadOnly = orElse(n.ReadOnly, op.ReadOnly)
	op.Destructive = orElse(n.Destructive, op.Destructive)
	op.OpenWorld = orElse(n.OpenWorld, op.OpenWorld)
	if n.Resend != "" {
		op.Resend = n.Resend
	}
	op.Price, op.ResultPrice = n.Price, n.ResultPrice
	return !n.Off
}

func orElse(said *bool, otherwise bool) bool {
	if said != nil {
		return *said
	}
	return otherwise
}

// Lacks turns what a missing secret or sign-in causes into a [MissingError].
func (k *Kit) Lacks(connection string, err error) error {
	var needed *oauth.NeededError
	var moved *vault.MovedError
	switch {
	case errors.As(err, &needed):
		of := needed.Person
		if of == "" {
			of = "builder"
		}
		return &MissingError{connection, of, needed.Why}
	case errors.As(err, &moved):
		return &MissingError{connection, "builder",
			fmt.Sprintf("%s. Give it one for there on its page, or with: woolsignal connect %s", sentence(moved),
				connection)}
	case errors.Is(err, vault.ErrNoSecret):
		return &MissingError{connection, "builder",
			fmt.Sprintf("The connection %s has no secret yet. Give it one on its page, or with: woolsignal connect %s",
				connection, connection)}
	}
	return err
}

func sentence(err error) string {
	said := err.Error()
	return strings.ToUpper(said[:1]) + said[1:]
}

// noteEvery bounds how often a connection that works is noted to.
const noteEvery = time.Minute

// Used notes that a connection worked, or what went wrong with it. A plain no
// of the service is work too.
func (k *Kit) Used(ctx context.Context, connection string, err error) {
	if k.store == nil || connection == "" || ctx.Err() != nil {
		return
	}
	now := time.Now()
	var refused *RefusedError
	var b store.Batch
	if err == nil || errors.As(err, &refused) {
		if last, ok := k.noted.Load(connection); ok && now.Sub(last.(time.Time)) < noteEvery {
			return
		}
		k.noted.Store(connection, now)
		b.Do("INSERT INTO health (connection, worked) VALUES (?, ?) ON CONFLICT (connection) DO UPDATE SET worked = "+
			"excluded.worked", connection, store.Time(now))
	} else {
		k.noted.Delete(connection)
		b.Do("INSERT INTO health (connection, failed, problem) VALUES (?, ?, ?) ON CONFLICT (connection) DO UPDATE "+
			"SET failed = excluded.failed, problem = excluded.problem",
			connection, store.Time(now), k.secrets.Mask(err.Error()))
	}
	k.store.Queue(b) // nobody waits for it
}
