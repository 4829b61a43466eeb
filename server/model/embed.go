package model

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/money"
)

// MostTexts is how many texts are embedded in one request.
const MostTexts = 512

// patienceForVectors is how long a server may take for them.
const patienceForVectors = time.Minute

// Embed gives a vector for each text: those that mean the like lie close together. The
// vectors of one model have one length, and are as the server gives them.
func (s *Server) Embed(ctx context.Context, model flow.Model, texts []string) ([][]float32, money.Micros, error) {
	ctx, cancel := context.WithTimeout(ctx, patienceForVectors)
	defer cancel()
	if len(texts) > MostTexts {
		return nil, 0, fmt.Errorf("there are %d texts, and at most %d are embedded at once", len(texts), MostTexts)
	}
	for try := 1; ; try++ {
		vectors, read, err := s.embedOnce(ctx, model, texts)
		if err == nil {
			return vectors, model.Price().Of(money.Use{Input: read}), nil
		}
		var busy *busyError
		if !errors.As(err, &busy) || try == tries {
			return nil, 0, s.explain(err, patienceForVectors)
		}
		select {
		case <-time.After(busy.after):
		case <-ctx.Done():
			return nil, 0, s.explain(ctx.Err(), patienceForVectors)
		}
	}
}

// longestVectors bounds an answer, in bytes.
const longestVectors = 64 << 20

func (s *Server) embedOnce(ctx context.Context, model flow.Model, texts []string) ([][]float32, int, error) {
	response, err := s.send(ctx, "/embeddings", map[string]any{"model": model.Name, "input": texts,
		"encoding_format": "float"}, "application/json", dialectOf(s.Connection))
	if err != nil {
		return nil, 0, err
	}
	defer response.Body.Close()
	if response.StatusCode != http.StatusOK {
		return nil, 0, (&question{model: model, without: func(string) bool { return true }}).failure(response)
	}
	data, err := io.ReadAll(io.LimitReader(response.Body, longestVectors))
	if err != nil {
		return nil, 0, &busyError{breath, fmt.Errorf("its answer broke off: %w", err)}
	}
	var answer struct {
		Data []struct {
			Index     int       `json:"index"`
			Embedding []float32 `json:"embedding"`
		} `json:"data"`
		Usage struct {
			Read int `json:"prompt_tokens"`
		} `json:"usage"`
		Error *wireError `json:"error"`
	}
	if err := decode(data, &answer); err != nil {
		return nil, 0, err
	}
	if answer.Error != nil {
		return nil, 0, answer.Error.err()
	}
	out := make([][]float32, len(texts))
	for _, d := range answer.Data {
		if d.Index < 0 || d.Index >= len(out) || len(d.Embedding) == 0 || out[d.Index] != nil {
			return nil, 0, errors.New("it gives vectors that belong to no text")
		}
		out[d.Index] = d.Embedding
	}
	for i, v := range out {
		if len(v) == 0 || len(v) != len(out[0]) {
			return nil, 0, fmt.Errorf("it gives no vector for text %d, or one of another length", i+1)
		}
	}
	return out, answer.Usage.Read, nil
}
