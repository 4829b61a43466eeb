package wire

import (
	"woolsignal/core/flow"
	"woolsignal/core/money"
	"woolsignal/core/run"
)

// Agent is an agent in short.
type Agent struct {
	ID       string   `json:"id"`
	Title    string   `json:"title"`
	Purpose  string   `json:"purpose,omitempty"`
	Model    Model    `json:"model"`
	Tools    int      `json:"tools"`
	Used     []string `json:"used_by"` // workflows
	Problems int      `json:"problems"`
	Usual    *Usual   `json:"usual,omitempty"` // nil where it never did a task of its own
}

// AgentInFull is an agent as its file says it.
type AgentInFull struct {
	Agent
	File     string         `json:"file"`
	Text     string         `json:"text"`
	Kit      []KitTool      `json:"kit"`
	Inputs   map[string]any `json:"inputs,omitempty"` // JSON Schema of what it is given beside its task
	Answer   map[string]any `json:"answer,omitempty"` // … and of its answer; nil is words
	Told     []Section      `json:"told"`
	Problems []flow.Problem `json:"about"` // what the checker says of it
}

// Section is a part of what an agent is told.
type Section struct {
	Heading string `json:"heading"`
	Lines   int    `json:"lines"`
}

// KitTool is a tool an agent has.
type KitTool struct {
	Name     string   `json:"name"`
	Title    string   `json:"title"`
	ReadOnly bool     `json:"read_only"`
	Missing  bool     `json:"missing,omitempty"` // its connection offers no such tool
	Fixed    []string `json:"fixed,omitempty"`   // arguments the model neither sees nor sets
	// When somebody is asked before it is used: never, always, "when" and a
	// condition, "judge" and a criterion; and whom.
	Approval string `json:"approval"`
	When     string `json:"when,omitempty"`
	Ask      string `json:"ask,omitempty"`
}

// Model is a model as its file says it.
type Model struct {
	Name          string   `json:"name"` // the one agents and steps use
	Connection    string   `json:"connection,omitempty"`
	Title         string   `json:"title,omitempty"` // of the connection
	Window        int      `json:"window,omitempty"`
	LongestAnswer int      `json:"longest_answer,omitempty"`
	Abilities     []string `json:"abilities"`
	InputPrice    float64  `json:"input_price,omitempty"`
	CachedPrice   float64  `json:"cached_price,omitempty"`
	OutputPrice   float64  `json:"output_price,omitempty"`
	PicturePrice  float64  `json:"picture_price,omitempty"`
	SearchPrice   float64  `json:"search_price,omitempty"`
}

// Usual is what runs of one kind cost lately.
type Usual struct {
	Runs int          `json:"runs"` // how many were looked at
	Cost money.Micros `json:"cost_micros"`
	Most money.Micros `json:"most_micros"`
}

// Spending is what one budget has spent in its period so far.
type Spending struct {
	Workflow string       `json:"workflow,omitempty"` // "" is all of them
	Title    string       `json:"title"`
	Period   string       `json:"period"` // day or month
	Most     money.Micros `json:"most_micros"`
	Spent    money.Micros `json:"spent_micros"`
}

// Task is something an agent is given to do, without any workflow.
type Task struct {
	Task   string         `json:"task"`
	Inputs map[string]any `json:"inputs,omitempty"`
	Files  []run.File     `json:"files,omitempty"`
	Thread string         `json:"thread,omitempty"` // a conversation of yours with it that this goes on with
	Held   bool           `json:"held,omitempty"`   // hold back what would change something outside
}
