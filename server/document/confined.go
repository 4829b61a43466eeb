package document

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"woolsignal/server/confined"
)

// longest is how long reading or filling one document may take.
const longest = 10 * time.Second

// The works over documents: whoever sent one may have made it to trip its
// reader up.
const (
	wordsWork = "document words"
	fillWork  = "document fill"
)

func init() {
	confined.Register(wordsWork, func(_ time.Duration, in json.RawMessage) (any, error) {
		var p paper
		if err := json.Unmarshal(in, &p); err != nil {
			return nil, err
		}
		return text(p.Kind, p.Name, p.Data)
	})
	confined.Register(fillWork, func(_ time.Duration, in json.RawMessage) (any, error) {
		var p paper
		if err := json.Unmarshal(in, &p); err != nil {
			return nil, err
		}
		return fillIn(p.Name, p.Data, p.Values)
	})
}

// paper is a document on its way to a confined process.
type paper struct {
	Kind   string         `json:"kind,omitempty"`
	Name   string         `json:"name"`
	Data   []byte         `json:"data"`
	Values map[string]any `json:"values,omitempty"`
}

// Text gives the words of a file, by its media type and name, read in a
// confined process. An error says what the file holds or does that cannot be
// read.
func Text(ctx context.Context, p *confined.Pool, kind, name string, data []byte) (string, error) {
	if plain(kind, name, data) {
		return text(kind, name, data)
	}
	var words string
	err := do(ctx, p, wordsWork, paper{Kind: kind, Name: name, Data: data}, &words)
	return words, err
}

// Fill puts values into the places of a template: a text file, or an office
// document. A place without a value, or a value without a place, is an error:
// a sheet with holes must not go out.
func Fill(ctx context.Context, p *confined.Pool, name string, data []byte, values map[string]any) ([]byte, error) {
	var out []byte
	err := do(ctx, p, fillWork, paper{Name: name, Data: data, Values: values}, &out)
	return out, err
}

func do(ctx context.Context, p *confined.Pool, work string, in paper, out any) error {
	err := p.Do(ctx, work, longest, in, out)
	if errors.Is(err, confined.ErrBroke) {
		_, why, _ := strings.Cut(err.Error(), ": ")
		return fmt.Errorf("it cannot be read: %s", why)
	}
	return err
}
