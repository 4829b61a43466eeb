package workspace

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"strings"

	"go.yaml.in/yaml/v3"

	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/server/store"
)

// ErrAgentOff says that an agent is switched off.
var ErrAgentOff = errors.New("this agent is switched off; take off: out of its file")

// ErrNoAgent says that there is no agent of a name.
var ErrNoAgent = errors.New("there is no such agent")

// tasks is what the name of an agent's own tasks begins with. No workflow has such a
// name.
const tasks = "agents/"

// TaskOf is what stands in place of a workflow's name for a run that is a task of an
// agent alone.
func TaskOf(agent string) string { return tasks + agent }

// AgentOf is the agent whose task a run is.
func AgentOf(workflow string) (agent string, is bool) { return strings.CutPrefix(workflow, tasks) }

// Task gives what a task of an agent is carried out with: the agent as it is written,
// in a script that asks it what the signal says. Errors: [ErrNoAgent], [ErrAgentOff], [ErrProblems].
func (h *Holder) Task(ctx context.Context, agent string, signal *run.Signal) (hash string, err error) {
	s := h.Now()
	def := s.Agents[agent]
	if def == nil {
		return "", fmt.Errorf("%w: %s", ErrNoAgent, agent)
	}
	if def.Off {
		return "", fmt.Errorf("%w: %s", ErrAgentOff, agent)
	}
	file := "agents/" + agent + ".yaml"
	for _, p := range s.Problems {
		if p.File == file && p.Severity == flow.Wrong {
			return "", fmt.Errorf("%w: %s", ErrProblems, p)
		}
	}
	key := taskKey("", agent, signal)
	if known, kept := s.found.tasks.Load(key); kept {
		return known.(string), nil
	}
	script, err := scriptOf(def, signal, true)
	if err != nil {
		return "", err
	}
	one, _ := flow.DecodeWorkflow(taskFile, script)
	return h.keepTask(ctx, writtenOf(s.Workspace, one, s.Tools), s, script, key)
}

// taskKey tells the scripts of tasks apart: by what the agent is taken from, "" for the
// files as they are, and by whether files came. What else it is given makes no
// difference: whoever gives it chooses the names.
func taskKey(definition, agent string, signal *run.Signal) string {
	key := definition + "\n" + agent
	if len(signal.Files) > 0 {
		key += "\nfiles"
	}
	return key
}

// taskFile is where the script of a task stands among the files it depends on.
const taskFile = "workflows/task.yaml"

// keepTask keeps what a task is carried out with, once for each key.
func (h *Holder) keepTask(ctx context.Context, d written, s *Snapshot, script, key string) (hash string, err error) {
	d.Files[taskFile], d.Task = script, true
	var b store.Batch
	if hash, err = d.keep(&b); err != nil {
		return "", err
	}
	if err := h.store.Write(ctx, b); err != nil {
		return "", err
	}
	s.found.tasks.Store(key, hash)
	return hash, nil
}

// Consulted gives what an agent is consulted with by one of a definition: the agent as
// it was kept there. Errors: [ErrNoAgent], [ErrAgentOff].
func (h *Holder) Consulted(ctx context.Context, definition, agent string, signal *run.Signal) (hash string, err error) {
	s := h.Now()
	by, err := h.bundle(ctx, s, definition)
	if err != nil {
		return "", err
	}
	def := by.def.Agents[agent]
	if def == nil {
		return "", fmt.Errorf("%w: %s", ErrNoAgent, agent)
	}
	if h.off(agent) {
		return "", fmt.Errorf("%w: %s", ErrAgentOff, agent)
	}
	key := taskKey(definition, agent, signal)
	if known, kept := s.found.tasks.Load(key); kept {
		return known.(string), nil
	}
	script, err := scriptOf(def, signal, false)
	if err != nil {
		return "", err
	}
	d := by.written
	d.Files = maps.Clone(d.Files)
	maps.DeleteFunc(d.Files, func(path, _ string) bool { return strings.HasPrefix(path, "workflows/") })
	return h.keepTask(ctx, d, s, script, key)
}

// scriptOf is the script of a task: the agent is asked, and says its answer where that
// is aloud; whoever consulted it is given it.
func scriptOf(a *flow.Agent, signal *run.Signal, aloud bool) (string, error) {
	step := map[string]any{"id": "answer", "agent": a.ID, "task": "${signal.text}"}
	if len(signal.Files) > 0 {
		step["files"] = "${signal.files}"
	}
	said := "${answer.text}"
	if a.Answer != nil {
		said = "${answer}"
	}
	steps := []any{step}
	if aloud {
		steps = append(steps, map[string]any{"say": map[string]any{"text": said}})
	}
	script, err := yaml.Marshal(map[string]any{"workflow": "task", "title": a.Title,
		"inputs": map[string]any{"type": "object"}, "gives": map[string]any{"answer": said}, "steps": steps})
	if err != nil {
		return "", fmt.Errorf("workspace: %w", err)
	}
	return string(script), nil
}

// Again gives what a run is repeated with that follows what is live: the version of
// its workflow, or the agent as it is written. Errors: [ErrNotLive], and those of
// [Holder.Task].
func (h *Holder) Again(ctx context.Context, workflow string, signal *run.Signal) (hash string, err error) {
	if agent, is := AgentOf(workflow); is {
		return h.Task(ctx, agent, signal)
	}
	live, ok := h.Now().Live[workflow]
	if !ok {
		return "", fmt.Errorf("%w: %s; repeat it on the version it followed", ErrNotLive, workflow)
	}
	return live.Hash, nil
}
