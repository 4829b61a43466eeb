package run

import (
	"fmt"
	"time"

	"woolsignal/core/flow"
)

// Each visits every step that began, in the order of the script.
func (s *State) Each(visit func(*Step)) { s.Root.each(visit) }

func (f *Frame) each(visit func(*Step)) {
	for _, step := range f.Steps {
		visit(step)
		for _, inner := range step.Inside {
			inner.each(visit)
		}
	}
}

// eachOpen visits every step something may still happen to, outer ones first.
func (s *State) eachOpen(visit func(*Step)) { s.Root.eachOpen(visit) }

func (f *Frame) eachOpen(visit func(*Step)) {
	for _, step := range f.Steps {
		if step.open() {
			visit(step)
			step.eachInside(visit)
		}
	}
}

func (s *Step) eachInside(visit func(*Step)) {
	for _, inner := range s.Inside {
		if inner.Status == "" {
			inner.eachOpen(visit)
		}
	}
}

// Step finds a step by path; nil where it never began.
func (s *State) Step(path string) *Step {
	frame, index, err := s.locate(path)
	if err != nil || index >= len(frame.Steps) {
		return nil
	}
	return frame.Steps[index]
}

// ensure finds a step, or begins the next one of its block.
func (s *State) ensure(path string, at time.Time) (*Step, error) {
	frame, index, err := s.locate(path)
	if err != nil {
		return nil, err
	}
	if index == len(frame.Steps) {
		frame.Steps = append(frame.Steps, &Step{Path: path, Began: at})
	}
	if index >= len(frame.Steps) {
		return nil, fmt.Errorf("the step %q begins before the one above it", path)
	}
	return frame.Steps[index], nil
}

// locate finds the frame a path leads to and the index in it.
func (s *State) locate(path string) (*Frame, int, error) {
	frame := s.Root
	for rest := path; ; {
		index, name, deeper, err := flow.CutPath(rest)
		if err != nil || deeper == "" {
			return frame, index, err
		}
		if index >= len(frame.Steps) {
			return nil, 0, fmt.Errorf("no step at %q", path)
		}
		inner := frame.Steps[index].block(name)
		if inner == nil {
			return nil, 0, fmt.Errorf("no block at %q", path)
		}
		frame, rest = inner, deeper
	}
}
