package api

import (
	"context"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/engine"
	"woolsignal/server/workspace"
	"woolsignal/wire"
)

func (a *API) agents(r *request, _ none) ([]wire.Agent, error) {
	out := []wire.Agent{}
	s, err := a.shown(r.Context())
	if err != nil {
		return nil, err
	}
	for _, id := range slices.Sorted(maps.Keys(s.Agents)) {
		one, err := a.describeAgent(r.Context(), s, s.Agents[id])
		if err != nil {
			return nil, err
		}
		out = append(out, one)
	}
	return out, nil
}

func (a *API) agent(r *request, _ none) (wire.AgentInFull, error) {
	id := r.Param("agent")
	s, err := a.shown(r.Context())
	if err != nil {
		return wire.AgentInFull{}, err
	}
	def, err := agentOf(s, id)
	if err != nil {
		return wire.AgentInFull{}, err
	}
	short, err := a.describeAgent(r.Context(), s, def)
	if err != nil {
		return wire.AgentInFull{}, err
	}
	file := agentFile(id)
	out := wire.AgentInFull{Agent: short, File: file, Text: s.Files[file], Kit: kitOf(s, def),
		Inputs: def.Inputs.Document(), Answer: def.Answer.Document(), Told: sectionsOf(def), Problems: []flow.Problem{}}
	for _, p := range s.Problems {
		if p.File == file {
			out.Problems = append(out.Problems, p)
		}
	}
	return out, nil
}

func agentFile(id string) string { return "agents/" + id + ".yaml" }

func agentOf(s *workspace.Snapshot, id string) (*flow.Agent, error) {
	if def := s.Agents[id]; def != nil {
		return def, nil
	}
	return nil, refuse(http.StatusNotFound, "Not here", "There is no agent "+id+".")
}

func (a *API) describeAgent(ctx context.Context, s *workspace.Snapshot, def *flow.Agent) (wire.Agent, error) {
	usual, err := a.usual(ctx, workspace.TaskOf(def.ID))
	out := wire.Agent{ID: def.ID, Title: def.Title, Purpose: def.Purpose, Model: modelOf(s, def.Model),
		Tools: len(def.Tools), Used: []string{}, Usual: usual}
	for _, id := range slices.Sorted(maps.Keys(s.Workflows)) {
		live := s.Live[id]
		if slices.Contains(s.AgentsWith(s.Workflows[id].AgentsUsed()), def.ID) ||
			live != nil && slices.Contains(s.AgentsWith(live.Workflow.AgentsUsed()), def.ID) {
			out.Used = append(out.Used, id)
		}
	}
	for _, p := range s.Problems {
		if p.File == agentFile(def.ID) && p.Severity == flow.Wrong {
			out.Problems++
		}
	}
	return out, err
}

// modelOf describes a model by the name agents use.
func modelOf(s *workspace.Snapshot, name string) wire.Model {
	c, m, ok := s.FindModel(name)
	if !ok {
		return wire.Model{Name: name, Abilities: []string{}}
	}
	return wire.Model{Name: name, Connection: c.ID, Title: c.Title, Window: m.Window, LongestAnswer: m.LongestAnswer,
		Abilities: append([]string{}, m.Abilities...), InputPrice: m.InputPrice, CachedPrice: m.CachedPrice,
		OutputPrice: m.OutputPrice, PicturePrice: m.PicturePrice, SearchPrice: m.SearchPrice}
}

// aboutModel says in a few words what a model reads and costs, where one chooses.
func aboutModel(s *workspace.Snapshot, name string) string {
	m := modelOf(s, name)
	parts := []string{m.Title}
	if m.Window > 0 {
		parts = append(parts, fmt.Sprintf("reads %d tokens", m.Window))
	}
	parts = append(parts, fmt.Sprintf("%g in and %g out for a million", m.InputPrice, m.OutputPrice))
	for ability, words := range map[string]string{flow.ReadsPictures: "looks at pictures", flow.ReadsPDF: "reads PDFs",
		flow.Embeds: "makes embeddings"} {
		if slices.Contains(m.Abilities, ability) {
			parts = append(parts, words)
		}
	}
	slices.Sort(parts[1:])
	return strings.Join(parts, " · ")
}

// kitOf describes the tools of an agent.
func kitOf(s *workspace.Snapshot, def *flow.Agent) []wire.KitTool {
	out := []wire.KitTool{}
	for _, t := range def.Kit() {
		spec, known := s.Find(t.Tool)
		one := wire.KitTool{Name: t.Tool, Title: spec.Title, ReadOnly: spec.ReadOnly, Missing: !known,
			Approval: "always"}
		for _, e := range t.Args {
			one.Fixed = append(one.Fixed, e.Key)
		}
		switch {
		case t.Approval == nil:
			if spec.ReadOnly {
				one.Approval = "never"
			}
		case t.Approval.None:
			one.Approval = "never"
		default:
			one.Ask = t.Approval.Ask
			if t.Approval.When != nil {
				one.Approval, one.When = "when", t.Approval.When.Source
			} else if t.Approval.Judge != "" {
				one.Approval, one.When = "judge", t.Approval.Judge
			}
		}
		out = append(out, one)
	}
	return out
}

// sectionsOf lists the sections of what an agent is told: a heading is a line that
// begins with #, or stands alone and ends with a colon.
func sectionsOf(def *flow.Agent) []wire.Section {
	out := []wire.Section{}
	text := ""
	if t := def.Instructions.Text; t != nil {
		text = t.Source
	}
	for line := range strings.Lines(text) {
		line = strings.TrimSpace(line)
		heading, is := strings.CutPrefix(line, "#")
		if !is && strings.HasSuffix(line, ":") && len(line) < 60 {
			heading, is = strings.TrimSuffix(line, ":"), true
		}
		switch {
		case line == "":
		case is:
			out = append(out, wire.Section{Heading: strings.TrimSpace(strings.TrimLeft(heading, "#"))})
		case len(out) == 0:
			out = append(out, wire.Section{Lines: 1})
		default:
			out[len(out)-1].Lines++
		}
	}
	return out
}

// mostUsual is how many runs are looked at to say what one usually costs.
const mostUsual = 50

// usual is what runs of a workflow, or of an agent's own tasks, cost lately; nil where
// there were none.
func (a *API) usual(ctx context.Context, workflow string) (*wire.Usual, error) {
	var out wire.Usual
	err := a.Store.Read().QueryRowContext(ctx, "SELECT count(*), coalesce(cast(avg(cost) AS INTEGER), 0), "+
		"coalesce(max(cost), 0) FROM (SELECT cost + below AS cost FROM runs WHERE workflow = ? AND ended IS NOT "+
		"NULL AND status != "+
		"'stopped' ORDER BY id DESC LIMIT ?)", workflow, mostUsual).Scan(&out.Runs, &out.Cost, &out.Most)
	if err != nil || out.Runs == 0 {
		return nil, err
	}
	return &out, nil
}

// spending lists what the budgets there are have spent.
func (a *API) spending(r *request, _ none) ([]wire.Spending, error) {
	all, err := a.Engine.Spending(r.Context())
	if err != nil {
		return nil, err
	}
	s := a.Workspace.Now()
	out := []wire.Spending{}
	for _, one := range all {
		title := "all workflows"
		if one.Workflow != "" {
			title = titleOf(s, one.Workflow)
		}
		out = append(out, wire.Spending{Workflow: one.Workflow, Title: title, Period: one.Period,
			Most: one.Most, Spent: one.Spent})
	}
	return out, nil
}

// longestThread bounds the name of a conversation.
const longestThread = 100

func (a *API) startTask(r *request, in wire.Task) (wire.Started, error) {
	s, id, p := a.Workspace.Now(), r.Param("agent"), person(r.Context())
	if _, err := agentOf(s, id); err != nil {
		return wire.Started{}, err
	}
	switch {
	case strings.TrimSpace(in.Task) == "":
		return wire.Started{}, refuse(http.StatusUnprocessableEntity, "Nothing to do", "Send task: what it is to do.")
	case len(in.Task) > longestMessage:
		return wire.Started{}, refuse(http.StatusRequestEntityTooLarge, "Too long",
			"A task may have 20,000 bytes; give it more as a file. Nothing was started.")
	case len(in.Thread) > longestThread:
		return wire.Started{}, refuse(http.StatusUnprocessableEntity, "Which conversation?",
			"Send thread, a name of at most 100 characters.")
	}
	t := engine.Task{Agent: id, Words: in.Task, Inputs: expr.CanonicalMap(in.Inputs), Held: in.Held, Source: "/api",
		Files: in.Files,
		From:  map[string]string{"name": p.Name, "email": p.Email, "role": string(p.Role)}, For: p.Email}
	if in.Thread != "" {
		t.Source, t.Thread = consoleSource(p), in.Thread
	}
	ticket, err := a.Engine.StartTask(r.Context(), t)
	if err != nil {
		return wire.Started{}, err
	}
	return wire.Started{Run: ticket.Run}, nil
}

// agentThread is a conversation of the caller's with an agent.
func (a *API) agentThread(r *request, _ none) (wire.Thread, error) {
	ctx := r.Context()
	thread := run.Thread{Workflow: workspace.TaskOf(r.Param("agent")),
		Conversation: run.Conversation{Source: consoleSource(person(ctx)), Thread: r.Param("thread")}}
	return a.conversation(ctx, thread.String(), 0)
}
