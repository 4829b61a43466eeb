package agent

import (
	"fmt"
	"slices"
	"strings"
)

// PlanStep is one thing an agent said it is going to do.
type PlanStep struct {
	What string `json:"what"`
	Tool string `json:"tool,omitempty"` // what it will use for it; "" is none
}

// planOf reads a plan from the arguments it was said with.
func planOf(args map[string]any) []PlanStep {
	list, _ := args["steps"].([]any)
	out := []PlanStep{}
	for _, item := range list {
		fields, _ := item.(map[string]any)
		what, _ := fields["what"].(string)
		tool, _ := fields["tool"].(string)
		out = append(out, PlanStep{what, tool})
	}
	return out
}

// PlanInWords tells a plan, a line for each step.
func PlanInWords(args map[string]any) string {
	var lines []string
	for i, step := range planOf(args) {
		lines = append(lines, fmt.Sprintf("%d. %s", i+1, step.What))
	}
	return strings.Join(lines, "\n")
}

// planned tells whether the plan names a tool, by its whole name or its operation.
func (s *State) planned(tool string) bool {
	_, operation, _ := strings.Cut(tool, "/")
	return slices.ContainsFunc(s.Plan, func(p PlanStep) bool {
		return p.Tool == tool || p.Tool == operation || p.Tool == strings.ReplaceAll(tool, "/", "__")
	})
}
