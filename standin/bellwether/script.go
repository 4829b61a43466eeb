package bellwether

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"sync"

	"go.yaml.in/yaml/v3"
)

// rules are those of whoever rehearses: put here, or files of a folder. They come
// before the demo's own.
type rules struct {
	folder string
	mu     sync.Mutex // guards given
	given  []rule
}

// readRules reads rules as YAML or JSON: a list of them.
func readRules(data []byte) ([]rule, error) {
	var out []rule
	if err := yaml.Unmarshal(data, &out); err != nil {
		return nil, err
	}
	for i, r := range out {
		if r.Say == "" && r.Answer == nil && r.Fault == "" && len(r.Do) == 0 {
			return nil, fmt.Errorf("rule %d does nothing: give it say, answer, do or fault", i+1)
		}
		if _, known := chatFaults[r.Fault]; r.Fault != "" && !known {
			return nil, fmt.Errorf("rule %d: there is no fault %q", i+1, r.Fault)
		}
		for _, a := range r.Do {
			if a.Tool == "" {
				return nil, fmt.Errorf("rule %d: a part of do names no tool", i+1)
			}
		}
	}
	return out, nil
}

// all are the rules that were put, and those of the folder, file by file.
func (r *rules) all() ([]rule, error) {
	r.mu.Lock()
	out := slices.Clone(r.given)
	r.mu.Unlock()
	if r.folder == "" {
		return out, nil
	}
	files, err := filepath.Glob(filepath.Join(r.folder, "*.yaml"))
	if err != nil {
		return nil, err
	}
	for _, path := range files {
		data, err := os.ReadFile(path)
		if err != nil {
			return nil, err
		}
		some, err := readRules(data)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", filepath.Base(path), err)
		}
		out = append(out, some...)
	}
	return out, nil
}

// list shows them.
func (r *rules) list(w http.ResponseWriter, _ *http.Request) {
	all, err := r.all()
	if err != nil {
		refuse(w, http.StatusBadRequest, err.Error())
		return
	}
	if all == nil {
		all = []rule{}
	}
	answer(w, all)
}

// longestRules bounds what is put, in bytes.
const longestRules = 1 << 20

// put puts others in place of those that were put; an empty body takes them away.
func (r *rules) put(w http.ResponseWriter, request *http.Request) {
	data, err := io.ReadAll(http.MaxBytesReader(w, request.Body, longestRules))
	if err != nil {
		refuse(w, http.StatusRequestEntityTooLarge, err.Error())
		return
	}
	some, err := readRules(data)
	if err != nil {
		refuse(w, http.StatusBadRequest, err.Error())
		return
	}
	r.mu.Lock()
	r.given = some
	r.mu.Unlock()
	r.list(w, request)
}
