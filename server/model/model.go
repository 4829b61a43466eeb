// Package model talks to model servers over the protocols they speak. The product
// knows of a server only its address, its protocol, its key, and what its file says
// of its models.
//
// Every way in which an answer can go wrong has one stated outcome. An answer that
// came to no proper end (too long, filtered, refused) is given with the reason in its
// turn's Cut; a server that is busy or whose answer broke off is asked again; all else
// is an error in words for whoever reads the run.
package model

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"sync"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/money"
	"woolsignal/core/protocol"
	"woolsignal/core/run"
)

// Server asks the models of one connection. It is safe for concurrent use, and
// remembers what the other side does not understand.
type Server struct {
	Connection *flow.Connection
	Client     *http.Client
	Files      Files

	without sync.Map // model and field → the server refuses it
}

// Files gives what is shown to models.
type Files interface {
	// Bytes are those of a file.
	Bytes(ctx context.Context, f agent.File) ([]byte, error)
	// Words are what a file says, for models that cannot look at it.
	Words(ctx context.Context, f agent.File, data []byte) (string, error)
}

// Reply is a model's message, and what its turn took and cost.
type Reply struct {
	Message agent.Message
	Turn    agent.Turn
}

// dialect is one protocol.
type dialect interface {
	path() string
	dress(http.Header)
	body(*question) any
	// chunk reads one event of a stream; true says that nothing follows it.
	chunk(w *writing, data string) (bool, error)
	// whole reads an answer that came in one piece.
	whole(w *writing, data []byte) error
}

// dialectOf is what a connection speaks.
func dialectOf(c *flow.Connection) dialect {
	if of, is := c.Is.(*protocol.ModelServer); is && of.Protocol == protocol.Messages {
		return messages{}
	}
	return completions{}
}

// tries is how often an overloaded or broken server is asked.
const tries = 3

// Ask sends a conversation and gives the model's message. say is called with
// each piece of text as it arrives; it may be nil. Errors are written for the
// person who reads the run. The reply's turn has what all was spent, also on what
// was no answer, and also with an error.
func (s *Server) Ask(ctx context.Context, model flow.Model, ask *run.Ask, say func(string)) (Reply, error) {
	ctx, cancel := context.WithTimeout(ctx, ask.Within)
	defer cancel()
	q, err := s.question(ctx, model, ask)
	if err != nil {
		return Reply{}, s.explain(err, ask.Within)
	}
	var spent money.Use
	for try := 1; ; try++ {
		reply, err := s.once(ctx, q, say)
		if err == nil || reply.Turn.Input+reply.Turn.Output > 0 {
			reply.Turn.Pictures = q.pictures()
			spent = spent.And(reply.Turn.Use)
		}
		reply.Turn.Use, reply.Turn.Cost = spent, model.Price().Of(spent)
		if err == nil {
			return reply, nil
		}
		var busy *busyError
		if !errors.As(err, &busy) || try == tries {
			return reply, s.explain(err, ask.Within)
		}
		select {
		case <-time.After(busy.after):
		case <-ctx.Done():
			return reply, s.explain(ctx.Err(), ask.Within)
		}
	}
}

// busyError is a failure after which another try may help.
type busyError struct {
	after time.Duration
	err   error
}

func (e *busyError) Error() string { return e.err.Error() }
func (e *busyError) Unwrap() error { return e.err }

func (s *Server) explain(err error, within time.Duration) error {
	if errors.Is(err, context.DeadlineExceeded) {
		return fmt.Errorf("%s did not answer within %s", s.Connection.Title, flow.Span{Duration: within}.String())
	}
	return fmt.Errorf("%s: %w", s.Connection.Title, err)
}
