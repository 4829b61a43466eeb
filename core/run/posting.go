package run

import (
	"slices"

	"woolsignal/core/agent"
)

// Posts tells whether a question of the run, or what an agent reads back, is on its
// way to a chat server: who reads it there may answer before that is known.
func (s *State) Posts() (is bool) {
	s.eachOpen(func(step *Step) {
		is = is || step.Asking != nil && step.Asking.Phase == Posting ||
			step.Agent != nil && slices.ContainsFunc(step.Agent.Calls, func(c *agent.Call) bool {
				return c.Back != nil && c.Back.Phase == agent.BackPosting
			})
	})
	return is
}

// Hears tells whether a step of the run waits for a signal.
func (s *State) Hears() (is bool) {
	s.eachOpen(func(step *Step) { is = is || step.Hearing != nil })
	return is
}
