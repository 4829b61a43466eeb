package flow

import (
	"time"
)

// Workflow is an ordered script: what starts it and the steps it takes.
type Workflow struct {
	ID, Title, Purpose string
	Context            string // every model and agent call in the workflow sees it
	Triggers           []Trigger
	Steps              []*Step
	file               string
}

// Trigger is one thing that starts a run. Exactly one kind is set.
type Trigger struct {
	ID       string
	At       Pos
	Chat     *Chat
	Webhook  *Webhook
	Schedule *Schedule
}

// Chat starts a run with each message of a conversation.
type Chat struct{ Page string }

// Webhook starts a run with each signed POST to /in/<Path>.
type Webhook struct {
	Path         string
	Verify       string // a connection of kind signing_key
	Accepts      string // path of a JSON Schema in the workspace
	Computed     bool   // the workflow answers the caller; else a receipt does
	AnswerWithin time.Duration
}

// Schedule starts a run every so often.
type Schedule struct{ Every time.Duration }

// Step is one line of the script. Exactly one kind is set.
type Step struct {
	ID, Title, Note string
	Kind            string
	At              Pos

	Agent   *AgentStep
	Tool    *ToolStep
	Compute *ComputeStep
	Decide  *DecideStep
	Say     *SayStep
	Respond *RespondStep
	Review  *ReviewStep
	Stop    *StopStep
}

// AgentStep runs an agent until it answers.
type AgentStep struct {
	Agent  string
	Task   Value
	Thread *Value // another conversation to remember by
}

// ToolStep calls one tool.
type ToolStep struct {
	Tool string
	Args []Entry
}

// ComputeStep names values; later ones see earlier ones.
type ComputeStep struct{ Values []NamedExpression }

// NamedExpression is one computed value. The expression is nil where it could
// not be read, which the checker has said.
type NamedExpression struct {
	Name string
	*Expression
}

// DecideStep takes the first case that holds.
type DecideStep struct {
	Cases []Case
	Else  *Case
}

// Case is one way a decision can go.
type Case struct {
	At    Pos
	When  *Expression // nil for the else case
	Do    []*Step
	Gives []Entry
}

// SayStep writes in the conversation.
type SayStep struct{ Text Value }

// RespondStep answers the caller, once.
type RespondStep struct {
	Status  int
	Headers []Entry
	Body    *Value
}

// ReviewStep asks a person to decide.
type ReviewStep struct {
	Show    Value
	Edit    []Entry
	Choices []string
	Of      string // a person's e-mail, a role or a team
}

// StopStep ends the whole run.
type StopStep struct {
	Failed  bool
	Because *Value
}

// Walk visits every step in file order, the ones inside cases included.
func Walk(steps []*Step, visit func(*Step)) {
	for _, s := range steps {
		visit(s)
		if s.Decide != nil {
			for _, c := range s.Decide.Cases {
				Walk(c.Do, visit)
			}
			if s.Decide.Else != nil {
				Walk(s.Decide.Else.Do, visit)
			}
		}
	}
}

// AgentsUsed lists the ids of the agents a workflow runs, each once.
func (w *Workflow) AgentsUsed() []string {
	var ids []string
	seen := map[string]bool{}
	Walk(w.Steps, func(s *Step) {
		if s.Agent != nil && !seen[s.Agent.Agent] {
			seen[s.Agent.Agent] = true
			ids = append(ids, s.Agent.Agent)
		}
	})
	return ids
}
