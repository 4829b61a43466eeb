// Package model talks to model servers. The product knows of a server only
// its address, its protocol, its key and the names of its models.
package model

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/money"
	"woolsignal/core/run"
)

// Server asks the models of one connection.
type Server struct {
	Connection *flow.Connection
	Client     *http.Client
}

// Reply is a model's message and what it cost.
type Reply struct {
	Message agent.Message
	Turn    agent.Turn
}

// tries is how often an overloaded or broken server is asked.
const tries = 3

// Ask sends a conversation and gives the model's message. say is called with
// each piece of text as it arrives; it may be nil. Errors are written for the
// person who reads the run.
func (s *Server) Ask(ctx context.Context, model flow.Model, ask *run.Ask, say func(string)) (Reply, error) {
	ctx, cancel := context.WithTimeout(ctx, ask.Within)
	defer cancel()
	var failure error
	for try := range tries {
		reply, again, err := s.once(ctx, model, ask, say)
		if err == nil {
			price := money.Price{Input: model.InputPrice, Output: model.OutputPrice}
			reply.Turn.Cost = price.Of(reply.Turn.Input, reply.Turn.Output)
			return reply, nil
		}
		failure = err
		if again <= 0 || try == tries-1 {
			break
		}
		select {
		case <-time.After(again):
		case <-ctx.Done():
			return Reply{}, s.explain(ctx.Err(), ask.Within)
		}
	}
	return Reply{}, s.explain(failure, ask.Within)
}

func (s *Server) explain(err error, within time.Duration) error {
	if err == context.DeadlineExceeded {
		return fmt.Errorf("%s did not answer within %s", s.Connection.Title, flow.Span{Duration: within}.String())
	}
	return fmt.Errorf("%s: %w", s.Connection.Title, err)
}
