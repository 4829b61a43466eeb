// Package server puts the service together: storage, secrets, people, the
// workspace, the engine and the HTTP face of it all.
package server

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"os"
	"sync"
	"time"

	"woolsignal/server/audit"
	"woolsignal/server/protocol/mcp"

	"woolsignal/core/flow"
	"woolsignal/server/access"
	"woolsignal/server/api"
	"woolsignal/server/confined"
	"woolsignal/server/crash"
	"woolsignal/server/engine"
	"woolsignal/server/fault"
	"woolsignal/server/intake"
	"woolsignal/server/oauth"
	"woolsignal/server/script"
	"woolsignal/server/store"
	"woolsignal/server/tool"
	"woolsignal/server/vault"
	"woolsignal/server/workspace"
)

// Options say where a service keeps its data and what it serves.
type Options struct {
	Data    string // folder; made where it is missing
	Console fs.FS  // the built console
	Log     *slog.Logger

	// Public is the address people reach the service at, without a slash at
	// its end; "" is whichever they ask by.
	Public string

	// Confined is the command of a process that runs scripts and reads
	// documents, ending up in confined.Serve.
	Confined []string

	// Proxies are the networks of the proxies whose word is taken for whom a
	// request comes from.
	Proxies []netip.Prefix

	// StrangersRoom is how much strangers may leave here within a day, in bytes; 0
	// is [store.StrangersRoom].
	StrangersRoom int64

	// Commands are the processes connections may start, by name.
	Commands map[string][]string

	// Crash is what the process before this one left behind; nil where it did
	// not end itself.
	Crash *crash.Report

	// Peers answers calls to outside services inside this process, for
	// measuring the service alone. Nil, as always outside of that, dials.
	Peers http.RoundTripper
}

// Server is an open service. [Server.Serve] makes it answer.
type Server struct {
	Store     *store.Store
	Secrets   *vault.Vault
	Tokens    *oauth.Keeper
	Access    *access.Access
	Workspace *workspace.Holder
	Engine    *engine.Engine
	Kit       *tool.Kit
	options   Options
	confined  *confined.Pool
}

// Open opens the data of a service, alone.
func Open(ctx context.Context, o Options) (*Server, error) {
	if err := os.MkdirAll(o.Data, 0o700); err != nil {
		return nil, fmt.Errorf("server: %w", err)
	}
	s := &Server{options: o}
	var err error
	if s.Store, err = store.Open(ctx, o.Data); err != nil {
		return nil, err
	}
	if o.StrangersRoom > 0 {
		s.Store.Room.Store(o.StrangersRoom)
	}
	if s.Secrets, err = vault.Open(ctx, o.Data, s.Store); err != nil {
		return nil, errors.Join(err, s.Store.Close())
	}
	s.Tokens = &oauth.Keeper{Store: s.Store, Secrets: s.Secrets}
	s.Kit = tool.NewKit(s.Store, s.Secrets, s.Tokens)
	s.confined = confined.NewPool(o.Confined...)
	s.Kit.Peers, s.Kit.Commands, s.Kit.Confined = o.Peers, o.Commands, s.confined
	s.Access = access.New(s.Store)
	if s.Workspace, err = workspace.Open(ctx, s.Store, s.Kit, s.Secrets, s.Access.Emails); err != nil {
		return nil, errors.Join(err, s.Store.Close())
	}
	s.Engine = engine.New(s.Store, s.Workspace, s.Kit, s.Secrets, &script.Runner{Pool: s.confined}, o.Log)
	if o.Crash != nil {
		o.Log.Error("the service ended itself the last time", "over", o.Crash.Work, "why", o.Crash.Why, "details",
			o.Crash.Path)
		if err := s.Engine.Ended(ctx, o.Crash.Work, o.Crash.Why); err != nil {
			return nil, errors.Join(err, s.Store.Close())
		}
	}
	return s, nil
}

// Close lets go of the data.
func (s *Server) Close() error {
	s.confined.Close()
	mcp.CloseSessions(s.Kit)
	return s.Store.Close()
}

// grace is how long a stopping service waits for what is on its way.
const grace = 10 * time.Second

// Serve answers on a listener until the context ends, then stops cleanly:
// callers are answered, calls on their way come home, and what is open goes
// on at the next start. ready is called once the service answers.
func (s *Server) Serve(ctx context.Context, listener net.Listener, ready func()) error {
	trail := &audit.Trail{Store: s.Store, Log: s.options.Log}
	face := &api.API{Store: s.Store, Workspace: s.Workspace, Engine: s.Engine, Secrets: s.Secrets,
		Tokens: s.Tokens, Kit: s.Kit, Access: s.Access, Audit: trail, Log: s.options.Log, Console: s.options.Console,
		Public: s.options.Public}
	streams, endStreams := context.WithCancel(context.Background())
	defer endStreams()
	web := &http.Server{
		Handler: intake.Callers(s.options.Proxies, face.Handler()), ReadHeaderTimeout: 10 * time.Second,
		ReadTimeout: time.Minute, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10,
		BaseContext: func(net.Listener) context.Context { return streams },
		ErrorLog:    slog.NewLogLogger(s.options.Log.Handler(), slog.LevelDebug),
	}
	if err := s.Engine.Start(ctx); err != nil {
		return err
	}
	var triggers sync.WaitGroup
	triggers.Go(func() {
		(&intake.Schedules{Workspace: s.Workspace, Engine: s.Engine, Store: s.Store, Log: s.options.Log}).Run(ctx)
	})
	triggers.Go(func() {
		(&intake.Watches{Workspace: s.Workspace, Engine: s.Engine, Store: s.Store, Kit: s.Kit,
			Secrets: s.Secrets, Log: s.options.Log}).Run(ctx)
	})
	triggers.Go(func() { s.offers(ctx) })
	triggers.Go(func() { s.toldOfFiles(ctx) })
	triggers.Go(func() { s.tidy(ctx, trail) })
	served := make(chan error, 1)
	go func() { served <- web.Serve(listener) }()
	ready()
	select {
	case err := <-served:
		return fmt.Errorf("server: %w", err)
	case <-ctx.Done():
	}
	last, cancel := context.WithTimeout(context.Background(), grace)
	defer cancel()
	time.AfterFunc(time.Second, endStreams) // live streams never end by themselves
	err := web.Shutdown(last)
	s.Engine.Stop(last)
	triggers.Wait()
	return err
}

// toldOfFiles tells whoever watches live that the workspace's files changed.
func (s *Server) toldOfFiles(ctx context.Context) {
	changed := s.Workspace.Subscribe()
	for {
		select {
		case <-changed:
			s.Engine.Hub.Tell(engine.News{Kind: "workspace"})
		case <-ctx.Done():
			return
		}
	}
}

// offers asks servers what they offer: at the start, when their files
// change, and when they say that it changed. Each is asked by itself: one that
// is slow keeps nobody waiting.
func (s *Server) offers(ctx context.Context) {
	told, answered := make(chan string, 16), make(chan struct{}, 1)
	tool.OnOffersChanged(s.Kit, func(connection string) {
		select {
		case told <- connection:
		case <-ctx.Done():
		}
	})
	changed := s.Workspace.Subscribe()
	asked := map[string]*flow.Connection{}
	made := tool.OffersKept(s.Kit)
	var asking sync.WaitGroup
	defer asking.Wait()
	for {
		for id, c := range s.Workspace.Now().Connections {
			if !tool.Asked(c) || asked[id] == c {
				continue
			}
			asked[id] = c
			asking.Go(func() {
				s.ask(ctx, c)
				select {
				case answered <- struct{}{}:
				default: // it looks anyway
				}
			})
		}
		if kept := tool.OffersKept(s.Kit); kept != made {
			made = kept
			if err := s.Workspace.Reread(ctx); err != nil && ctx.Err() == nil {
				s.options.Log.Error("the tools could not be made anew", "error", err)
			}
			for id, c := range s.Workspace.Now().Connections { // reading made new values of the same files
				if asked[id] != nil {
					asked[id] = c
				}
			}
		}
		select {
		case <-answered:
		case connection := <-told:
			delete(asked, connection)
		case <-changed:
			s.same(asked)
		case <-ctx.Done():
			return
		}
	}
}

// ask asks one server what it offers.
func (s *Server) ask(ctx context.Context, c *flow.Connection) {
	err := fault.Catch(s.options.Log, "what "+c.ID+" offers", func() error {
		_, err := tool.AskOffers(ctx, s.Kit, c)
		return err
	})
	s.Kit.Used(ctx, c.ID, err)
	if err != nil && ctx.Err() == nil {
		s.options.Log.Warn("a server could not be asked what it offers", "connection", c.ID, "error",
			s.Secrets.Mask(err.Error()))
	}
}

// same forgets the connections whose files were rewritten since they were asked.
func (s *Server) same(asked map[string]*flow.Connection) {
	now := s.Workspace.Now()
	for id, before := range asked {
		c := now.Connections[id]
		if c != nil && tool.SameServer(c, before) {
			asked[id] = c
		} else {
			delete(asked, id)
		}
	}
}
