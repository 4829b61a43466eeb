package agent

import (
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/schema"
)

// Grant is a tool an agent may use, as the workspace describes it.
type Grant struct {
	flow.AgentTool
	Spec   flow.Tool
	Schema *schema.Schema // of the arguments; nil where the tool names none
}

// Move is what to do next. Exactly one field is set.
type Move struct {
	Ask     bool     // ask the model
	Say     string   // … and tell it this first: what was wrong with its answer
	Start   *Call    // send this call
	Review  *Call    // ask a person about this call first
	HandOff *Call    // let the agent it names go on
	Refuse  *Call    // settle this call as failed without sending it
	Answer  *Answer  // the agent is done
	Fail    *Failure // a limit is reached, or the model gave no answer
}

// Answer is what an agent answered: words, or a value that fits its schema.
type Answer struct{ Value any }

// Failure says which limit ended the work, or how the model's message was cut.
type Failure struct{ Limit, Message string }

// Next says what to do now; nothing while the model, a tool or a person is
// awaited. scope is what fixed arguments and approval conditions may see.
func (s *State) Next(def *flow.Agent, grants []Grant, scope expr.Scope) []Move {
	if !s.Ready || s.Thinking() {
		return nil
	}
	if asks := s.openAsks(); len(asks) > 0 {
		var moves []Move
		for i, ask := range asks {
			if s.callFor(ask.ID) == nil && !s.waits(ask) {
				moves = append(moves, s.propose(def, grants, scope, ask, len(s.Calls)+len(moves)+1, i))
			}
		}
		return moves
	}
	if f := s.CutShort(); f != nil {
		return []Move{{Fail: f}}
	}
	move := Move{Ask: true}
	if last := s.Messages[len(s.Messages)-1]; last.Role == "assistant" {
		value, err := s.Answer(def.Answer)
		if err == nil {
			return []Move{{Answer: &Answer{value}}}
		}
		if s.Wrong+1 >= MostAnswers {
			return []Move{{Fail: &Failure{"answer", fmt.Sprintf("%s's answer does not fit after %d tries: %v",
				def.Title,
				MostAnswers, err)}}}
		}
		move.Say = Correction(err)
	}
	if f := s.limit(def, scope.Now); f != nil {
		return []Move{{Fail: f}}
	}
	return []Move{move}
}

func (s *State) limit(def *flow.Agent, now time.Time) *Failure {
	written, turns := s.Written(), len(s.Turns)-s.act().Turn
	switch l := def.Limits; {
	case l.OutputTokens > 0 && written >= l.OutputTokens:
		return &Failure{"output", fmt.Sprintf("%s wrote all its %d tokens without an answer", def.Title,
			l.OutputTokens)}
	case l.Turns > 0 && turns >= l.Turns:
		return &Failure{"turns", fmt.Sprintf("%s used all its %d turns without an answer", def.Title, l.Turns)}
	case l.Time > 0 && s.Worked(now) > l.Time:
		return &Failure{"time", fmt.Sprintf("%s took longer than %s", def.Title, flow.Span{Duration: l.Time}.String())}
	case l.Cost > 0 && s.Cost().Units() >= l.Cost:
		return &Failure{"cost", fmt.Sprintf("%s spent its limit of %g", def.Title, l.Cost)}
	}
	return nil
}

// propose turns an ask into a call: refused where it cannot be right, put to
// a person where that was written down, else started.
func (s *State) propose(def *flow.Agent, grants []Grant, scope expr.Scope, ask Request, number, place int) Move {
	call := &Call{ID: fmt.Sprintf("call%d", number), Ask: ask.ID, Tool: ask.Tool, State: Running, Began: scope.Now}
	refuse := func(format string, args ...any) Move {
		call.State, call.Error, call.Ended = Failed, fmt.Sprintf(format, args...), scope.Now
		return Move{Refuse: call}
	}
	args, ok := ask.Args.(map[string]any)
	if !ok {
		call.Args = map[string]any{}
		return refuse("the arguments are not a JSON object: %s", expr.Text(ask.Args))
	}
	call.Args = make(map[string]any, len(args))
	for k, v := range args {
		call.Args[k] = v
	}
	i := slices.IndexFunc(grants, func(g Grant) bool { return g.Tool == ask.Tool })
	if i < 0 {
		return refuse("there is no tool %s", ask.Tool)
	}
	grant := grants[i]
	call.Resend = grant.Spec.SentAgain()
	if limit := def.Limits.ToolCalls; limit > 0 && len(s.Calls)-s.act().Call+place >= limit {
		return refuse("the limit of %d tool calls is reached; answer with what is known", limit)
	}
	if failed := s.failures(ask.Tool); failed >= def.Limits.TriesPerTool {
		return refuse("%s failed %d times in this task; try another way or say what is wrong", ask.Tool, failed)
	}
	fixed, err := flow.EvalEntries(grant.Args, scope)
	if err != nil {
		return refuse("a fixed argument could not be computed: %v", err)
	}
	for k, v := range fixed {
		call.Args[k] = v
	}
	if err := grant.check(call.Args); err != nil {
		return refuse("the arguments do not fit: %v", err)
	}
	if def.Plan != nil && !grant.Spec.ReadOnly && ask.Tool != flow.PlanTool {
		if s.Plan == nil {
			return refuse("say with %s what you are going to do, before anything is changed", flow.PlanTool)
		}
		call.Beside = !s.planned(ask.Tool)
	}
	if isHandOff(ask.Tool) {
		if s.handsOverBefore(ask) {
			return refuse("the conversation is handed over once, to the first that was named")
		}
		return Move{HandOff: call}
	}
	asked, err := grant.needsPerson(call.Args, scope)
	if err != nil {
		return refuse("the condition for approval could not be computed: %v", err)
	}
	if asked {
		call.State = Proposed
		return Move{Review: call}
	}
	return Move{Start: call}
}

func isHandOff(tool string) bool {
	kind, _, _ := flow.CompanyTool(tool)
	return kind == flow.HandOffTools
}

// waits tells whether an ask is one to hand over that waits until all others of its
// message are settled.
func (s *State) waits(ask Request) bool {
	if !isHandOff(ask.Tool) || s.handsOverBefore(ask) {
		return false
	}
	return slices.ContainsFunc(s.openAsks(), func(other Request) bool {
		c := s.callFor(other.ID)
		return other.ID != ask.ID && (c == nil || !c.settled())
	})
}

// handsOverBefore tells whether an ask before this one hands over too.
func (s *State) handsOverBefore(ask Request) bool {
	for _, other := range s.openAsks() {
		if other.ID == ask.ID {
			return false
		}
		if isHandOff(other.Tool) {
			return true
		}
	}
	return false
}

// failures counts how often a tool failed in this task.
func (s *State) failures(tool string) int {
	n := 0
	for _, c := range s.Calls {
		if c.Tool == tool && c.State == Failed {
			n++
		}
	}
	return n
}

func (g Grant) check(args map[string]any) error {
	if g.Schema == nil {
		return nil
	}
	return g.Schema.Validate(args)
}

// needsPerson tells whether somebody is asked first. A tool that changes
// something and has no written approval always asks.
func (g Grant) needsPerson(args map[string]any, scope expr.Scope) (bool, error) {
	switch {
	case g.Approval == nil:
		return !g.Spec.ReadOnly, nil
	case g.Approval.None:
		return false, nil
	case g.Approval.When == nil: // each time, or when a criterion holds, which is weighed first
		return true, nil
	}
	names := map[string]any{"args": args}
	for k, v := range scope.Names {
		names[k] = v
	}
	scope.Names = names
	return g.Approval.When.Holds(scope)
}

// Offered gives the schema the model sees: the tool's own without the
// arguments that are fixed.
func (g Grant) Offered() map[string]any {
	if len(g.Args) == 0 {
		return g.Spec.Input
	}
	out := make(map[string]any, len(g.Spec.Input))
	for k, v := range g.Spec.Input {
		out[k] = v
	}
	fixed := func(name string) bool {
		return slices.ContainsFunc(g.Args, func(e flow.Entry) bool { return e.Key == name })
	}
	properties := map[string]any{}
	if all, ok := g.Spec.Input["properties"].(map[string]any); ok {
		for name, p := range all {
			if !fixed(name) {
				properties[name] = p
			}
		}
	}
	out["properties"] = properties
	if required, ok := g.Spec.Input["required"].([]any); ok {
		out["required"] = slices.DeleteFunc(slices.Clone(required),
			func(v any) bool { n, _ := v.(string); return fixed(n) })
	}
	return out
}

// longWait is a wait after which the model is told the time anew: what it was
// told at the beginning may be yesterday's.
const longWait = 10 * time.Minute

// report tells the model what became of a call.
func (c *Call) report() string {
	if c.Waited < longWait {
		return c.outcome()
	}
	who := "It took %s"
	if c.By != "" {
		who = c.By + " took %s to decide"
	}
	return fmt.Sprintf("%s ("+who+"; it is now %s.)", c.outcome(), c.Waited.Round(time.Minute),
		c.Ended.UTC().Format("Monday 2 January 2006, 15:04 UTC"))
}

func (c *Call) outcome() string {
	switch c.State {
	case Done:
		out, err := json.Marshal(c.Result)
		if err != nil {
			return fmt.Sprint(c.Result)
		}
		if c.Edited {
			args, _ := json.Marshal(c.Args)
			return fmt.Sprintf("%s (%s changed the arguments to %s before allowing it)", out, c.By, args)
		}
		return string(out)
	case Declined:
		text := fmt.Sprintf("%s declined this; it was not done.", c.By)
		if c.Back != nil && c.Back.Third {
			text = fmt.Sprintf("%s said neither yes nor no, so it was not done.", c.By)
		} else if c.By == "" {
			return ErrorMark + "it was not done: " + c.Note
		}
		if c.Note != "" {
			text += " They said: " + c.Note
		}
		return text
	}
	return ErrorMark + c.Error
}

// ErrorMark begins what a model is told of a call that failed.
const ErrorMark = "error: "
