package step

import "woolsignal/core/flow"

// Aloud tells whether what the step with a path answers is said in the conversation as
// it is, by the step behind it: then its words may be heard as they come. What is looked
// over, changed or only read by other steps is not.
func Aloud(w *flow.Workflow, path string) bool {
	steps := w.Steps
	for rest := path; ; {
		index, name, inner, err := flow.CutPath(rest)
		if err != nil || index >= len(steps) {
			return false
		}
		if inner == "" {
			return index+1 < len(steps) && says(steps[index+1], steps[index])
		}
		block, is := steps[index].BlockAt(name)
		if !is {
			return false
		}
		steps, rest = block.Do, inner
	}
}

// says tells whether a step says what another answers, whenever that does.
func says(next, of *flow.Step) bool {
	say, is := next.Does.(*Say)
	if !is || of.ID == "" || next.Off || next.When != nil && (of.When == nil || of.When.Source != next.When.Source) {
		return false
	}
	return say.Words.answerOf() == of.ID
}
