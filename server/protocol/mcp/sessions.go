package mcp

import (
	"context"
	"fmt"
	"sync"
	"time"

	"github.com/modelcontextprotocol/go-sdk/mcp"

	"woolsignal/core/flow"
	"woolsignal/server/tool"
)

// sessions are the open sessions with MCP servers, by connection. Each has a
// turn of its own, so that a server that is slow to open holds nobody up but
// those who need it.
type sessions struct {
	mu    sync.Mutex // guards open and ended; never held while a server is spoken to
	open  map[string]*mcpSession
	ended bool // no session is opened any more
}

// sessionsOf gives the sessions of a kit.
func sessionsOf(k *tool.Kit) *sessions {
	return k.Beside(sessionsKey{}, func() any { return &sessions{} }).(*sessions)
}

type sessionsKey struct{}

// mcpSession is a session, or the place for one.
type mcpSession struct {
	turn    chan struct{} // holds a token while nobody opens or closes it
	c       *flow.Connection
	session *mcp.ClientSession // nil where none is open
}

// opening bounds how long a server may take to open a session.
const opening = 20 * time.Second

// CloseSessions ends every session with an MCP server. One that is just being
// opened is closed by whoever opens it.
func CloseSessions(k *tool.Kit) {
	for _, s := range sessionsOf(k).end() {
		select {
		case <-s.turn:
			s.close()
			s.turn <- struct{}{}
		default:
		}
	}
}

func (s *sessions) end() (all []*mcpSession) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.ended = true
	for _, one := range s.open {
		all = append(all, one)
	}
	return all
}

// place gives the place of a connection's session; nil where none is opened
// any more.
func (s *sessions) place(connection string) *mcpSession {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.ended {
		return nil
	}
	one := s.open[connection]
	if one == nil {
		one = &mcpSession{turn: make(chan struct{}, 1)}
		one.turn <- struct{}{}
		if s.open == nil {
			s.open = map[string]*mcpSession{}
		}
		s.open[connection] = one
	}
	return one
}

// close ends the session. Its turn is the caller's.
func (s *mcpSession) close() {
	if s.session != nil {
		_ = s.session.Close() // nothing is asked of it any more
		s.session = nil
	}
}

// session gives the session with a server, opened where it is not.
func session(ctx context.Context, k *tool.Kit, c *flow.Connection) (*mcp.ClientSession, error) {
	place := sessionsOf(k).place(c.ID)
	if place == nil {
		return nil, &tool.NotSentError{Err: context.Canceled}
	}
	select {
	case <-place.turn:
		defer func() { place.turn <- struct{}{} }()
	case <-ctx.Done():
		return nil, &tool.NotSentError{Err: fmt.Errorf("%s: no session could be opened: %w", c.Title, ctx.Err())}
	}
	if place.session != nil && place.c == c {
		return place.session, nil
	}
	place.close() // its file changed
	session, err := openSession(ctx, k, c, place)
	if err != nil {
		return nil, err
	}
	if sessionsOf(k).place(c.ID) == nil { // the service stops meanwhile
		_ = session.Close()
		return nil, &tool.NotSentError{Err: context.Canceled}
	}
	place.c, place.session = c, session
	return session, nil
}

// openSession opens a session that outlives the call it is opened for. One
// that ends is opened anew by whoever needs it next.
func openSession(ctx context.Context, k *tool.Kit, c *flow.Connection, place *mcpSession) (*mcp.ClientSession, error) {
	transport, err := transport(k, c)
	if err != nil {
		return nil, err
	}
	client := mcp.NewClient(&mcp.Implementation{Name: "woolsignal", Version: "1"}, &mcp.ClientOptions{
		ToolListChangedHandler: func(context.Context, *mcp.ToolListChangedRequest) {
			go tool.OffersChanged(k, c.ID) // the session must go on reading meanwhile
		}})
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), opening)
	defer cancel()
	session, err := client.Connect(ctx, transport, nil)
	if err != nil {
		return nil, &tool.NotSentError{Err: fmt.Errorf("%s: %w", c.Title, err)}
	}
	go func() {
		_ = session.Wait()
		<-place.turn
		defer func() { place.turn <- struct{}{} }()
		if place.session == session {
			place.session = nil
		}
	}()
	return session, nil
}
