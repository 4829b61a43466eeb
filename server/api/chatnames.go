package api

import (
	"errors"
	"net/http"
	"slices"
	"strings"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/server/access"
	"woolsignal/wire"
)

// chatNames lists the caller's names at chat servers, and the servers at which
// one can be linked.
func (a *API) chatNames(r *request, _ none) (wire.ChatNames, error) {
	s := a.Workspace.Now()
	out := wire.ChatNames{Names: []wire.ChatName{}, Servers: []wire.ChatServer{}}
	all, err := a.Access.ChatNames(r.Context(), person(r.Context()))
	if err != nil {
		return out, err
	}
	for _, n := range all {
		one := wire.ChatName{Connection: n.Connection, Title: n.Connection, Handle: n.Handle, Linked: n.Linked}
		if c := s.Connections[n.Connection]; c != nil {
			one.Title = c.Title
		}
		out.Names = append(out.Names, one)
	}
	for _, c := range s.Connections {
		if hears(c) {
			out.Servers = append(out.Servers, wire.ChatServer{Connection: c.ID, Title: c.Title})
		}
	}
	slices.SortFunc(out.Servers, func(x, y wire.ChatServer) int { return strings.Compare(x.Title, y.Title) })
	return out, nil
}

// hears tells whether a connection is a chat server that tells us what is
// written.
func hears(c *flow.Connection) bool {
	if c == nil {
		return false
	}
	server, is := c.Is.(*protocol.ChatServer)
	return is && server.Events != ""
}

func (a *API) newChatCode(r *request, in wire.ChatServer) (wire.ChatCode, error) {
	c := a.Workspace.Now().Connections[in.Connection]
	if !hears(c) {
		return wire.ChatCode{}, refuse(http.StatusNotFound, "Not here", "There is no chat server connection "+
			in.Connection+" that tells the service what is written.")
	}
	code, expires, err := a.Access.NewChatCode(r.Context(), person(r.Context()), c.ID)
	if err != nil {
		return wire.ChatCode{}, err
	}
	return wire.ChatCode{Write: "link " + code, To: c.Title, Expires: expires}, nil
}

func (a *API) unlinkChatName(r *request, _ none) (none, error) {
	p := person(r.Context())
	err := a.Access.UnlinkChatName(r.Context(), p, r.Param("connection"), r.Param("handle"))
	if errors.Is(err, access.ErrNoChatName) {
		return none{}, refuse(http.StatusNotFound, "Not here", "You have no name "+r.Param("handle")+" there.")
	}
	return none{}, err
}
