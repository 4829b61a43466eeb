package flow

import (
	"encoding/json"
	"maps"
	"slices"
	"strings"
	"time"

	"woolsignal/core/calendar"
)

// Workspace is everything a folder of files says, decoded.
type Workspace struct {
	Name        string
	Zone        *time.Location
	Currency    string          // ISO 4217
	Model       string          // used where a workflow or step names none
	Holidays    map[string]bool // days nobody works, as 2026-12-25
	Teams       map[string][]string
	People      map[string]bool // e-mails of who has an account, in small letters; nil where that is not known
	MostLinks   int             // how many runs in a row may start one another
	Budget      Budget          // of all runs together
	Workflows   map[string]*Workflow
	Agents      map[string]*Agent
	Connections map[string]*Connection
	Tables      map[string]*Table
	Schemas     map[string]map[string]any // by file path
	Files       map[string]string         // the source text, by path
}

// How many runs in a row may start one another: by calling, by failing, by
// writing rows others wait for.
const (
	defaultLinks = 20
	mostLinks    = 1000
)

// MainFile is the file every workspace has.
const MainFile = "woolsignal.yaml"

// Decode reads the files of a workspace, given by path. Tools and their
// schemas are checked by [Workspace.Check], once a catalogue is at hand.
func Decode(files map[string]string) (*Workspace, []Problem) {
	w := &Workspace{Name: "Workspace", Zone: time.UTC, Currency: "EUR", MostLinks: defaultLinks,
		Teams:     map[string][]string{},
		Workflows: map[string]*Workflow{}, Agents: map[string]*Agent{}, Connections: map[string]*Connection{},
		Tables:  map[string]*Table{},
		Schemas: map[string]map[string]any{}, Holidays: map[string]bool{}, Files: files}
	var problems []Problem
	for _, path := range slices.Sorted(maps.Keys(files)) {
		text := files[path]
		folder, name, _ := strings.Cut(path, "/")
		if depth := strings.Count(name, "/"); depth > 1 || depth == 1 && folder != "samples" ||
			strings.HasPrefix(name, ".") || strings.Contains(path, "..") {
			folder = "" // as deep as the language says, and no way out of it
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
		case folder == "tables" && strings.HasSuffix(path, ".yaml"):
			one, found := DecodeTable(path, text)
			problems = append(problems, found...)
			w.Tables[one.ID] = one
		case folder == "tables" && strings.HasSuffix(path, ".csv"): // the rows a new table begins with
		case folder == "schemas" && w.described(path): // read by what speaks with that service
		case folder == "schemas" && strings.HasSuffix(path, ".json"):
			var schema map[string]any
			if err := json.Unmarshal([]byte(text), &schema); err != nil {
				problems = append(problems,
					Problem{File: path, Line: 1, Column: 1, Severity: Wrong, What: "this is not JSON: " + err.Error()})
				continue
			}
			w.Schemas[path] = schema
		case folder == "samples" && strings.HasSuffix(path, ".json") && strings.Count(path, "/") == 2:
		default:
			problems = append(problems, Problem{File: path, Line: 1, Column: 1, Severity: Wrong,
				What: "a workspace has no place for this file", Remedy: "keep " + MainFile +
					", workflows/*.yaml, agents/*.yaml, connections/*.yaml, tables/*.yaml and .csv, schemas/*.json " +
					"and samples/<workflow>/*.json"})
		}
	}
	for _, one := range w.Workflows {
		w.resolve(one.schemas)
	}
	for _, one := range w.Agents {
		w.resolve(one.schemas)
	}
	if _, ok := files[MainFile]; !ok {
		problems = append(problems, Problem{File: MainFile, Line: 1, Column: 1, Severity: Wrong,
			What: "the file " + MainFile + " is missing", Remedy: "add it with name: and zone:"})
	}
	return w, problems
}

// resolve finds the schemas that are named by file; each visits them.
func (w *Workspace) resolve(each func(func(*Schema))) {
	each(func(s *Schema) {
		if s.Path != "" {
			s.Doc = w.Schemas[s.Path]
		}
	})
}

// schemas visits every schema field of a workflow that is written.
func (w *Workflow) schemas(visit func(*Schema)) {
	some := func(s *Schema) {
		if s != nil {
			visit(s)
		}
	}
	some(w.Inputs)
	some(w.Result)
	for _, t := range w.Triggers {
		t.schemas(visit)
	}
	Walk(w.Steps, func(s *Step) {
		s.Schemas(visit)
		if t := s.Hears(); t != nil && t.Is != nil {
			t.schemas(visit)
		}
	})
}

// SchemasUsed lists the files of schemas a workflow names, each once.
func (w *Workflow) SchemasUsed() []string { return filesOf(w.schemas) }

// SchemasUsed lists the files of schemas an agent names, each once.
func (a *Agent) SchemasUsed() []string { return filesOf(a.schemas) }

// schemas visits the schemas of an agent that are written.
func (a *Agent) schemas(visit func(*Schema)) { eachSchema(a, visit) }

func filesOf(each func(func(*Schema))) []string {
	var out []string
	each(func(s *Schema) {
		if s.Path != "" && !slices.Contains(out, s.Path) {
			out = append(out, s.Path)
		}
	})
	return out
}

// main is the workspace's own file.
type main struct {
	name, zone, currency, model string
	holidays                    []string
	teams                       map[string][]string
	limits                      chainLimits
	budget                      wholeBudget
}

// Fields are what it may say.
func (m *main) Fields() []Field {
	return []Field{
		{Name: "name", Into: &m.name, Required: true, Help: "Who you are.", Example: "Larkrigg"},
		{Name: "zone", Into: &m.zone, Holds: HoldsZone, Required: true, Help: "Your time zone.",
			Example: "Europe/London"},
		{Name: "currency", Into: &m.currency, Default: "EUR", Help: "What prices are in, as ISO 4217 says.",
			Example: "GBP"},
		{Name: "model", Into: &m.model, Holds: HoldsModel, Help: "The model where a workflow or step names none.",
			Example: "medium"},
		{Name: "holidays", Into: &m.holidays, Holds: HoldsDay, Help: "Days nobody works.", Example: "[2026-12-25]"},
		{Name: "teams", Into: &m.teams, Help: "Who belongs to a team, by e-mail.",
			Example: "{grading-lead: [tobias@larkrigg.example]}"},
		{Name: "limits", Into: Inside(&m.limits), Help: "What bounds the workspace."},
		{Name: "budget", Into: Inside(&m.budget), Help: "What all runs together may spend."},
	}
}

// chainLimits bound how runs start one another.
type chainLimits struct{ links int }

// Fields are what limits may say.
func (l *chainLimits) Fields() []Field {
	return []Field{{Name: "links", Into: &l.links, Default: "20", Least: 1, Most: mostLinks, Example: "30",
		Help: "How many runs in a row may start one another, by calling, by failing or by writing rows."}}
}

func (w *Workspace) decodeMain(text string) []Problem {
	r := &reader{file: MainFile}
	root := r.document(text)
	if root == nil {
		return r.problems
	}
	m := &main{limits: chainLimits{defaultLinks}}
	r.part(root, "a workspace", m)
	w.Budget = m.budget.Budget
	w.Name, w.Currency, w.Model, w.MostLinks = m.name, m.currency, m.model, m.limits.links
	if zone, err := time.LoadLocation(m.zone); err == nil && m.zone != "" && m.zone != "Local" {
		w.Zone = zone
	}
	for _, day := range m.holidays {
		w.Holidays[day] = true
	}
	if m.teams != nil {
		w.Teams = m.teams
	}
	return r.problems
}

// Calendar is how the workspace counts its days.
func (w *Workspace) Calendar() calendar.Calendar {
	return calendar.Calendar{Zone: w.Zone, Holidays: w.Holidays}
}

// FindModel looks a model up by the name agents use, over every model server
// in order of connection id.
func (w *Workspace) FindModel(name string) (connection *Connection, model Model, ok bool) {
	for _, id := range slices.Sorted(maps.Keys(w.Connections)) {
		for _, m := range w.Connections[id].Models() {
			if m.Key == name {
				return w.Connections[id], m.Is, true
			}
		}
	}
	return nil, Model{}, false
}

// ModelNames lists every model agents may name.
func (w *Workspace) ModelNames() []string {
	var names []string
	for _, id := range slices.Sorted(maps.Keys(w.Connections)) {
		for _, m := range w.Connections[id].Models() {
			names = append(names, m.Key)
		}
	}
	return names
}
