package step

import "woolsignal/core/run"

// The kinds there are. Importing this package registers them, in the order
// they are shown.
func init() {
	for _, k := range []struct {
		name, help string
		new        func() run.Doing
	}{
		{"agent", "Has an agent do something, until it answers.", func() run.Doing { return &Agent{} }},
		{"tool", "Calls one tool of a connection or table.", func() run.Doing { return &Tool{} }},
		{"compute", "Names values; later ones see earlier ones. The values are what it gives.",
			func() run.Doing { return &Compute{} }},
		{"decide", "Takes the first case that holds.", func() run.Doing { return &Decide{} }},
		{"each", "Does the same for every item of a list.", func() run.Doing { return &Each{} }},
		{"together", "Goes several ways at once.", func() run.Doing { return &Together{} }},
		{"repeat", "Goes round until it is enough.", func() run.Doing { return &Repeat{} }},
		{"section", "Puts steps under one title.", func() run.Doing { return &Section{} }},
		{"wait", "Waits for a while, till a time, or for a signal.", func() run.Doing { return &Wait{} }},
		{"model", "Asks a model once.", func() run.Doing { return &Model{} }},
		{"call", "Runs another workflow.", func() run.Doing { return &Call{} }},
		{"javascript", "Computes what expressions cannot say.", func() run.Doing { return &JavaScript{} }},
		{"say", "Writes in the conversation.", func() run.Doing { return &Say{} }},
		{"question", "Asks in the conversation until the answer is valid.", func() run.Doing { return &Question{} }},
		{"answer_caller", "Answers whoever called, once.", func() run.Doing { return &AnswerCaller{} }},
		{"review", "Asks a person to decide.", func() run.Doing { return &Review{} }},
		{"label", "Marks the run.", func() run.Doing { return &Label{} }},
		{"remember", "Keeps a fact about somebody or something.", func() run.Doing { return &Remember{} }},
		{"end_run", "Ends the whole run.", func() run.Doing { return &EndRun{} }},
	} {
		run.Register(k.name, k.help, k.new)
	}
}
