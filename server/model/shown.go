package model

import (
	"context"
	"encoding/base64"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/run"
)

// shown is a file as a model is shown it: as it is, or by its words.
type shown struct {
	agent.File
	data  string // base64; "" where it is words
	words string
}

// mostShown is how much one turn shows, in bytes of files.
const mostShown = 20 << 20

// pictureTypes are the pictures models look at.
var pictureTypes = []string{"image/png", "image/jpeg", "image/gif", "image/webp"}

// load reads the files of a conversation.
func (s *Server) load(ctx context.Context, model flow.Model, ask *run.Ask) (map[string]shown, error) {
	out := map[string]shown{}
	left := int64(mostShown)
	for _, m := range ask.Messages {
		for _, f := range m.Files {
			if _, there := out[f.Blob]; there {
				continue
			}
			if left -= f.Size; left < 0 {
				return nil, fmt.Errorf("the files are larger than %d MB altogether, the most one turn shows",
					mostShown>>20)
			}
			one, err := s.show(ctx, model, ask.Model, f)
			if err != nil {
				return nil, fmt.Errorf("the file %s cannot be shown: %w", f.Name, err)
			}
			out[f.Blob] = one
		}
	}
	return out, nil
}

// show makes one file ready: pictures and PDFs as they are where the model looks
// at them, all else by its words.
func (s *Server) show(ctx context.Context, model flow.Model, name string, f agent.File) (shown, error) {
	data, err := s.Files.Bytes(ctx, f)
	if err != nil {
		return shown{}, err
	}
	f.Type = kindOf(f.Type, data)
	picture := slices.Contains(pictureTypes, f.Type)
	switch {
	case picture && !model.Can(flow.ReadsPictures):
		return shown{}, fmt.Errorf("it is a picture, and %s looks at none: choose a model that reads pictures", name)
	case picture, f.Type == "application/pdf" && model.Can(flow.ReadsPDF):
		return shown{File: f, data: base64.StdEncoding.EncodeToString(data)}, nil
	}
	words, err := s.Files.Words(ctx, f, data)
	return shown{File: f, words: words}, err
}

// kindOf is the media type of a file. Browsers and mail programs often say only that
// it is bytes.
func kindOf(said string, data []byte) string {
	kind, _, _ := strings.Cut(said, ";")
	if kind = strings.TrimSpace(kind); kind == "" || kind == "application/octet-stream" {
		kind, _, _ = strings.Cut(http.DetectContentType(data), ";")
	}
	return kind
}

// isPicture tells whether it is shown as a picture.
func (s shown) isPicture() bool { return s.data != "" && s.IsPicture() }

// told is a file that is shown by its words.
func (s shown) told() string { return "The file " + agent.Line(s.Name) + ":\n\n" + s.words }

// pictures is how many are shown.
func (q *question) pictures() int {
	n := 0
	for _, m := range q.Messages {
		for _, f := range m.Files {
			if q.shown[f.Blob].isPicture() {
				n++
			}
		}
	}
	return n
}
