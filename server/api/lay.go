package api

import (
	"fmt"
	"strconv"
	"strings"

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
			step := wire.Step{Line: line}
			if strings.TrimPrefix(line.Path, "trigger/") == state.Signal.Trigger {
				step.Status, step.Began, step.Ended = run.Done, &state.Accepted, &state.Accepted
			}
			out.Steps = append(out.Steps, step)
		}
	}
	l.block(def.Of(state).Workflow.Steps, state.Root, "", "")
	if line, ok := l.lines["gives"]; ok {
		step := wire.Step{Line: line}
		if state.Status == run.Done {
			step.Status, step.Began, step.Ended, step.Output = run.Done, moment(state.Ended), moment(state.Ended), state.Result
		}
		out.Steps = append(out.Steps, step)
	}
}

// block lays the steps of a block. at is its path in the run, in the one in
// the script; frame is nil where the run did not come here.
func (l *layer) block(steps []*flow.Step, frame *run.Frame, at, in string) {
	for i, def := range steps {
		n := strconv.Itoa(i)
		var did *run.Step
		if frame != nil && i < len(frame.Steps) {
			did = frame.Steps[i]
		}
		l.step(did, at+n, in+n)
		for _, b := range def.Blocks() {
			l.inside(def, did, b, at+n+"/", in+n+"/")
		}
	}
}

func (l *layer) step(did *run.Step, at, in string) {
	step := wire.Step{Line: l.lines[in]}
	step.Path = at
	if did == nil {
		l.out.Steps = append(l.out.Steps, step)
		return
	}
	step.Status, step.Began, step.Ended, step.Input, step.Output, step.Error, step.Agent = did.Status, &did.Began, moment(did.Ended), did.Input, did.Output, did.Error, did.Agent
	step.Tries, step.Until, step.Child, step.Recorded = did.Tries, moment(did.Until), did.Child, did.Recorded
	step.Reviews = did.Reviews
	if did.Agent != nil {
		_, _, step.Cost = did.Agent.Spent()
	}
	for _, review := range did.Reviews {
		l.out.Reviews = append(l.out.Reviews, *l.state.Reviews[review])
		if did.Status == run.Running && l.state.Status == run.Waiting {
			step.Status = run.Waiting
		}
	}
	if did.Status == run.Again {
		step.Status = run.Running
	}
	l.out.Steps = append(l.out.Steps, step)
}

// inside lays a block of a step: once, or once for each item or round.
func (l *layer) inside(def *flow.Step, did *run.Step, b flow.NamedBlock, at, in string) {
	var frames []*run.Frame
	if did != nil {
		for _, f := range did.Inside {
			if f.Name == b.Name || (b.Name == "i" || b.Name == "r") && f.Name[0] == b.Name[0] {
				frames = append(frames, f)
			}
		}
	}
	if len(frames) == 0 {
		l.opening(nil, l.lines[in+b.Name], at+b.Name, did)
		l.block(b.Do, nil, at+b.Name+"/", in+b.Name+"/")
		return
	}
	for i, f := range frames {
		line := l.lines[in+b.Name]
		if i == mostShown {
			line.Parts = []flow.Part{{Text: fmt.Sprintf("… and %d more", len(frames)-mostShown)}}
			l.opening(nil, line, at+"more", did)
			return
		}
		if b.Name == "i" || b.Name == "r" {
			line.Parts = []flow.Part{{Text: map[string]string{"i": "item ", "r": "round "}[b.Name]}, {Text: strconv.Itoa(i + 1), How: "word"}}
		}
		l.opening(f, line, at+f.Name, did)
		l.block(b.Do, f, at+f.Name+"/", in+b.Name+"/")
	}
}

// opening is the line above a block.
func (l *layer) opening(f *run.Frame, line flow.Line, at string, did *run.Step) {
	step := wire.Step{Line: line}
	step.Path = at
	if f != nil {
		if step.Status = f.Status; f.Status == "" {
			step.Status = did.Status
		}
		step.Began, step.Output, step.Error = &did.Began, f.Gives, f.Error
		if f.Name == did.Block && did.Reason != "" {
			step.Output = map[string]any{"reason": did.Reason, "confidence": did.Confidence}
		}
		if f.Status != "" {
			step.Ended = moment(did.Ended)
		}
	}
	l.out.Steps = append(l.out.Steps, step)
}
