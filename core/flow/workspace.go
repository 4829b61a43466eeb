package flow

import (
	"encoding/json"
	"maps"
	"slices"
	"strings"
	"time"
)

// Workspace is everything a folder of files says, decoded.
type Workspace struct {
	Name        string
	Zone        *time.Location
	Currency    string // ISO 4217
	Teams       map[string][]string
	Workflows   map[string]*Workflow
	Agents      map[string]*Agent
	Connections map[string]*Connection
	Schemas     map[string]map[string]any // by file path
	Files       map[string]string         // the source text, by path
}

// MainFile is the file every workspace has.
const MainFile = "woolsignal.yaml"

// Decode reads the files of a workspace, given by path. Tools and their
// schemas are checked by [Workspace.Check], once a catalogue is at hand.
func Decode(files map[string]string) (*Workspace, []Problem) {
	w := &Workspace{Name: "Workspace", Zone: time.UTC, Currency: "EUR", Teams: map[string][]string{},
		Workflows: map[string]*Workflow{}, Agents: map[string]*Agent{}, Connections: map[string]*Connection{},
		Schemas: map[string]map[string]any{}, Files: files}
	var problems []Problem
	for _, path := range slices.Sorted(maps.Keys(files)) {
		text := files[path]
		folder, name, _ := strings.Cut(path, "/")
		if strings.Contains(name, "/") || strings.HasPrefix(name, ".") {
			folder = "" // one level deep, and no way out of it
		}
		switch {
		case path == MainFile:
			problems = append(problems, w.decodeMain(text)...)
		case folder == "workflows" && strings.HasSuffix(path, ".yaml"):
			one, found := DecodeWorkflow(path, text)
			problems = append(problems, found...)
			w.Workflows[one.ID] = one
		case folder == "agents" && strings.HasSuffix(path, ".yaml"):
			one, found := DecodeAgent(path, text)
			problems = append(problems, found...)
			w.Agents[one.ID] = one
		case folder == "connections" && strings.HasSuffix(path, ".yaml"):
			one, found := DecodeConnection(path, text)
			problems = append(problems, found...)
			w.Connections[one.ID] = one
		case folder == "schemas" && strings.HasSuffix(path, ".json"):
			var schema map[string]any
			if err := json.Unmarshal([]byte(text), &schema); err != nil {
				problems = append(problems, Problem{File: path, Line: 1, Column: 1, Severity: Wrong, What: "this is not JSON: " + err.Error()})
				continue
			}
			w.Schemas[path] = schema
		default:
			problems = append(problems, Problem{File: path, Line: 1, Column: 1, Severity: Wrong,
				What: "a workspace has no place for this file", Remedy: "keep " + MainFile + ", workflows/*.yaml, agents/*.yaml, connections/*.yaml and schemas/*.json"})
		}
	}
	if _, ok := files[MainFile]; !ok {
		problems = append(problems, Problem{File: MainFile, Line: 1, Column: 1, Severity: Wrong,
			What: "the file " + MainFile + " is missing", Remedy: "add it with name: and zone:"})
	}
	return w, problems
}

func (w *Workspace) decodeMain(text string) []Problem {
	r := &reader{file: MainFile}
	root := r.document(text)
	if root == nil {
		return r.problems
	}
	f, _ := r.mapping(root, "a workspace", "name", "zone", "currency", "teams")
	w.Name = r.required(f, "name", "who you are")
	if zone := r.required(f, "zone", "Europe/London"); zone != "" {
		loaded, err := time.LoadLocation(zone)
		if err != nil || zone == "Local" {
			r.wrong(f.pos("zone"), "use a name of the IANA time zone database, such as Europe/London", "%q is not a time zone", zone)
		} else {
			w.Zone = loaded
		}
	}
	if f.has("currency") {
		w.Currency = r.text(f, "currency")
	}
	if n, ok := f.nodes["teams"]; ok {
		g, _ := r.mapping(n, "teams")
		for _, team := range g.order {
			w.Teams[team] = r.texts(g, team)
		}
	}
	return r.problems
}

// FindModel looks a model up by the name agents use, over every model server
// in order of connection id.
func (w *Workspace) FindModel(name string) (connection *Connection, model Model, ok bool) {
	for _, id := range slices.Sorted(maps.Keys(w.Connections)) {
		if c := w.Connections[id]; c.ModelServer != nil {
			if m, ok := c.ModelServer.Models[name]; ok {
				return c, m, true
			}
		}
	}
	return nil, Model{}, false
}

// ModelNames lists every model agents may name.
func (w *Workspace) ModelNames() []string {
	var names []string
	for _, id := range slices.Sorted(maps.Keys(w.Connections)) {
		if c := w.Connections[id]; c.ModelServer != nil {
			names = append(names, c.ModelServer.Order...)
		}
	}
	return names
}
