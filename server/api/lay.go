package api

import (
	"fmt"
	"maps"
	"strconv"
	"strings"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/wire"
)

// mostShown is how many items or rounds of one step a run shows.
const mostShown = 100

// layer lays a run over the script it was started with: the items of an each
// and the rounds of a repeat stand one below the other.
type layer struct {
	out   *wire.Detail
	state *run.State
	lines map[string]flow.Line // by path in the script
}

func lay(out *wire.Detail, def *run.Definition, state *run.State, lines []flow.Line) {
	l := &layer{out: out, state: state, lines: map[string]flow.Line{}}
	for _, line := range lines {
		l.lines[line.Path] = line
		if line.Kind == "trigger" {
			step := wire.Step{Line: line, Script: line.Path, Begins: true}
			if strings.TrimPrefix(line.Path, "trigger/") == state.Signal.Trigger {
				step.Status, step.Began, step.Ended = run.Done, &state.Accepted, &state.Accepted
			}
			out.Steps = append(out.Steps, step)
		}
	}
	l.block(def.Of(state).Workflow.Steps, state.Root, place{begins: true}, state.SeenByAll(def.Zone))
	if line, ok := l.lines["gives"]; ok {
		step := wire.Step{Line: line, Script: line.Path}
		if state.Status == run.Done {
			step.Status, step.Output = run.Done, state.Result
			step.Began, step.Ended = moment(state.Ended), moment(state.Ended)
		}
		out.Steps = append(out.Steps, step)
	}
}

// place is where a block, a step or a line is.
type place struct {
	run    string // its path in the run
	script string // … and in the script, which has one block for all items and rounds
	begins bool   // a run can be gone through again from here
}

func (p place) step(i int) place {
	return place{flow.StepPath(p.run, i), flow.StepPath(p.script, i), p.begins}
}

func (p place) block(run, script flow.BlockName, begins bool) place {
	return place{flow.BlockPath(p.run, run), flow.BlockPath(p.script, script), p.begins && begins}
}

// block lays the steps of a block; frame is nil where the run did not come
// here.
func (l *layer) block(steps []*flow.Step, frame *run.Frame, at place, seen run.Seen) {
	seen = maps.Clone(seen)
	for i, def := range steps {
		var did *run.Step
		if frame != nil && i < len(frame.Steps) {
			did = frame.Steps[i]
		}
		l.step(did, at.step(i), seen)
		for _, b := range def.Blocks() {
			l.inside(def, did, b, at.step(i), seen)
		}
		if did != nil && def.ID != "" && did.Output != nil {
			seen[def.ID] = did.Output
		}
	}
}

func (l *layer) step(did *run.Step, at place, seen run.Seen) {
	step := wire.Step{Line: l.lines[at.script], Script: at.script, Begins: at.begins}
	step.Path = at.run
	if did != nil {
		step.Values = readBy(step.Line, seen)
	}
	if did == nil {
		l.out.Steps = append(l.out.Steps, step)
		return
	}
	step.Status, step.Began, step.Ended = did.Status, &did.Began, moment(did.Ended)
	step.Input, step.Output, step.Error, step.Agent = did.Input, did.Output, did.Error, did.Agent
	step.Tries, step.Until, step.Child, step.Recorded = did.Tries, moment(did.Until), did.Child, did.Recorded
	step.Held = did.Held
	step.Reviews = did.Reviews
	step.Cost = did.Cost
	if did.Agent != nil {
		_, _, models := did.Agent.Spent()
		step.Cost += models
	}
	for _, review := range did.Reviews {
		l.out.Reviews = append(l.out.Reviews, *l.state.Reviews[review])
		if did.Status == run.Running && l.state.Status == run.Waiting {
			step.Status = run.Waiting
		}
	}
	if did.Status == run.Retrying && did.Until.IsZero() {
		step.Status = run.Running
	} else if did.Status == run.Retrying { // till its next try
		step.Status = run.Waiting
	}
	l.out.Steps = append(l.out.Steps, step)
}

// inside lays a block of a step: once, or once for each item or round.
func (l *layer) inside(def *flow.Step, did *run.Step, b flow.NamedBlock, at place, seen run.Seen) {
	var frames []*run.Frame
	if did != nil {
		for _, f := range did.Inside {
			if f.Name == b.Name || repeats(f.Name, b.Name) {
				frames = append(frames, f)
			}
		}
	}
	begins := !b.Many && b.Name != flow.Instead
	line := l.lines[flow.BlockPath(at.script, b.Name)]
	if len(frames) == 0 {
		in := at.block(b.Name, b.Name, begins)
		l.opening(nil, line, in, did, false)
		l.block(b.Do, nil, in, seen)
		return
	}
	for i, f := range frames {
		in := at.block(f.Name, b.Name, begins)
		many := repeats(f.Name, b.Name)
		if i == mostShown {
			line.Parts = []flow.Part{{Text: fmt.Sprintf("… and %d more", len(frames)-mostShown)}}
			l.opening(nil, line, in, did, false)
			return
		}
		if many {
			line.Parts = []flow.Part{{Text: f.Name.Word + " "}, {Text: strconv.Itoa(f.Name.Number), How: "word"}}
		}
		l.opening(f, line, in, did, many)
		l.block(b.Do, f, in, seen.SeenInside(def, did, f.Name))
	}
}

// longestValue is how much of a value a line shows, in characters.
const longestValue = 80

// readBy gives the values a line reads, as far as they are there.
func readBy(line flow.Line, seen run.Seen) map[string]string {
	out := map[string]string{}
	for _, r := range line.Reads {
		if v, there := seen.Value(strings.Split(r.Name, ".")); there {
			out[r.Name] = brief(v)
		}
	}
	return out
}

// brief is a value in short words.
func brief(v any) string {
	switch v := v.(type) {
	case nil:
		return "nothing"
	case []any:
		return fmt.Sprintf("a list of %d", len(v))
	case map[string]any:
		return fmt.Sprintf("a map of %d", len(v))
	}
	return flow.Clip(expr.Text(v), longestValue)
}

// repeats tells whether a block of a run is one of many of a block of the
// script.
func repeats(of, block flow.BlockName) bool {
	return of.Word == block.Word && of.Number > 0 && block.Number == 0
}

// opening is the line above a block.
func (l *layer) opening(f *run.Frame, line flow.Line, at place, did *run.Step, many bool) {
	step := wire.Step{Line: line, Script: at.script, Many: many}
	step.Path = at.run
	if f != nil {
		if step.Status = f.Status; f.Status == "" {
			step.Status = did.Status
		}
		step.Began, step.Output, step.Error = &did.Began, f.Gives, f.Error
		if f.Name == did.Block && did.Reason != "" {
			step.Output = map[string]any{"reason": did.Reason, "sure": flow.SurenessBeside(did.Confidence)}
		}
		if f.Status != "" {
			step.Ended = moment(did.Ended)
		}
	}
	l.out.Steps = append(l.out.Steps, step)
}
