package flow

import "woolsignal/core/expr"

// Language is all that files can say: what forms and references are made from.
type Language struct {
	Files      []FileKind     `json:"files"`
	Step       []Field        `json:"step"` // what any step may have
	Steps      []StepKind     `json:"steps"`
	Triggers   []TriggerKind  `json:"triggers"`
	Connection []Field        `json:"connection"` // what any connection may have
	Protocols  []ProtocolKind `json:"protocols"`
	// What rows of conditions can say, and what can be done to a value.
	Comparisons []expr.Comparison `json:"comparisons"`
	Links       []expr.Link       `json:"links"`
}

// FileKind is a kind of file that is a map of fields.
type FileKind struct {
	Name   string  `json:"name"`
	Help   string  `json:"help"`
	Fields []Field `json:"fields"`
}

// TheLanguage describes the language, with the kinds that are registered.
func TheLanguage() Language {
	return Language{
		Files: []FileKind{
			{"workspace", "Who you are: " + MainFile + ".", Described((&main{}).Fields())},
			{"workflow", "What starts it and the steps it takes: workflows/ID.yaml.",
				Described((&Workflow{}).Fields())},
			{"agent", "A model with a purpose, tools and limits: agents/ID.yaml.", Described((&Agent{}).Fields())},
			{"table", "Rows of typed columns: tables/ID.yaml.", Described((&Table{}).Fields())},
		},
		Step:       Described((&Step{}).Fields()),
		Steps:      StepKinds(),
		Triggers:   TriggerKinds(),
		Connection: Described((&Connection{}).Fields()),
		Protocols:  ProtocolKinds(),

		Comparisons: expr.Comparisons,
		Links:       expr.Links,
	}
}
