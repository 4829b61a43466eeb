package run_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"strings"
	"testing"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/fuzztest"
	"woolsignal/core/money"
	"woolsignal/core/run"
)

var noon = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

const intake = `
workflow: intake
title: Intake
triggers:
  - id: scale
    webhook: {path: intake, verify: key, answer: computed}
steps:
  - id: net
    compute:
      kg: signal.body.gross - signal.body.tare
      share: round(kg / signal.body.gross, 2)
  - id: sort
    decide:
      cases:
        - when: net.kg <= 0
          do:
            - end_run:
                outcome: failed
                because: Net weight is ${net.kg} kg.
        - when: net.kg > 1000
          gives:
            lane: split
      otherwise:
        gives:
          lane: clean
  - id: row
    tool: register/add
    args:
      kg: ${net.kg}
      lane: ${sort.lane}
  - answer_caller:
      status: 201
      body:
        receipt: ${row.id}
        lane: ${sort.lane}
`

const desk = `
workflow: desk
title: Desk
triggers:
  - id: page
    chat: {page: desk}
steps:
  - id: answer
    agent: clerk
    task: ${signal.text}
  - say:
      text: ${answer.text}
`

const clerk = `
agent: clerk
title: Clerk
model: medium
instructions: Help with slots.
tools:
  - slots/find
  - tool: slots/remove
    approval: {always: true, ask: lead}
    args: {calendar: docks}
limits: {turns: 4, tries_per_tool: 2}
`

// grader is an agent whose inputs and answer are typed.
const grader = `
agent: grader
title: Grader
model: medium
instructions: Grade it.
tools:
  - slots/find
  - {tool: slots/remove, approval: {always: true, ask: lead}}
inputs: {type: object, required: [kg], properties: {kg: {type: number}}}
answer:
  type: object
  required: [lane]
  properties: {lane: {type: string, choices: {table: lanes, column: name, describe: meaning}}}
limits: {turns: 6, output_tokens: 500, cost: 0.5}
`

// priced is a model with a window and a price.
func priced(name string) (flow.Model, bool) {
	return flow.Model{Name: name, Window: 4000, LongestAnswer: 400, InputPrice: 1, OutputPrice: 2}, true
}

func schemaOf(properties string) map[string]any {
	var out map[string]any
	if err := json.Unmarshal([]byte(`{"type":"object","additionalProperties":false,"properties":`+properties+`}`),
		&out); err != nil {
		panic(err)
	}
	return out
}

func catalogue(name string) (flow.Tool, bool) {
	t, ok := map[string]flow.Tool{
		"register/add": {Name: "register/add", Title: "Register: add", Resend: flow.ResendNever,
			Input: schemaOf(`{"kg":{"type":"number"},"lane":{"type":"string"}}`)},
		"slots/find": {Name: "slots/find", Title: "Slots: find", ReadOnly: true, Resend: flow.ResendSafe,
			Input: schemaOf(`{"day":{"type":"string"}}`)},
		"slots/remove": {Name: "slots/remove", Title: "Slots: remove", Resend: flow.ResendOwnID,
			Input: schemaOf(`{"id":{"type":"string"},"calendar":{"type":"string"}}`)},
	}[name]
	return t, ok
}

func definition(t testing.TB, text string) *run.Definition {
	t.Helper()
	w, problems := flow.DecodeWorkflow("workflows/"+
		strings.TrimSpace(strings.TrimPrefix(strings.SplitN(text, "\n", 3)[1], "workflow:"))+".yaml", text)
	a, more := flow.DecodeAgent("agents/clerk.yaml", clerk)
	for _, p := range append(problems, more...) {
		t.Fatal(p)
	}
	typed, more := flow.DecodeAgent("agents/grader.yaml", grader)
	for _, p := range more {
		t.Fatal(p)
	}
	return &run.Definition{Workflow: w, Agents: map[string]*flow.Agent{"clerk": a, "grader": typed}, Tools: catalogue,
		Models: priced, Zone: time.UTC}
}

// life is a run under test: its state and the journal that led there.
type life struct {
	t       testing.TB
	def     *run.Definition
	state   *run.State
	journal [][]byte
	pending []run.Errand
	later   time.Duration // added to the time of what happens from now on
	host    run.Host
}

func begin(t testing.TB, def *run.Definition, signal run.Signal) *life {
	return beginAt(t, run.Host{}, def, signal)
}

func beginAt(t testing.TB, host run.Host, def *run.Definition, signal run.Signal) *life {
	l := &life{t: t, def: def, state: run.NewState("r1"), host: host}
	l.took(run.Move(def, l.state, noon, host, &run.Arrive{Signal: &signal}, &run.Begin{}))
	return l
}

// moved moves a run by one event, for the error of it.
func moved(def *run.Definition, state *run.State, now time.Time, e run.Event) error {
	_, _, err := run.Move(def, state, now, run.Host{}, e)
	return err
}

func (l *life) took(entry run.Entry, errands []run.Errand, err error) {
	l.t.Helper()
	if err != nil {
		l.t.Fatal(err)
	}
	data, err := run.EncodeEntry(entry)
	if err != nil {
		l.t.Fatal(err)
	}
	l.journal = append(l.journal, data)
	l.pending = append(l.pending, errands...)
}

// handle takes an event in; one that names no sending is about what is under
// way in its step.
func (l *life) handle(e run.Event) {
	l.t.Helper()
	if a, answers := e.(*run.Answer); answers && a.Sending == 0 {
		if step := l.state.Step(a.Step); step != nil {
			a.Sending = step.Sending
		}
	}
	l.took(run.Move(l.def, l.state, noon.Add(time.Duration(len(l.journal))*time.Second+l.later), l.host, e))
}

// called is the call an errand asks for.
func called(e run.Errand) *run.Call { return e.Task.(*run.Call) }

// next takes the oldest errand, which must be the only one.
func (l *life) next() run.Errand {
	l.t.Helper()
	if len(l.pending) == 0 {
		l.t.Fatalf("no errand is open; the run is %s %s", l.state.Status, l.state.Because)
	}
	e := l.pending[0]
	l.pending = l.pending[1:]
	return e
}

func (l *life) says(text string, asks ...agent.Request) {
	e := l.next()
	l.handle(&run.Answer{Ticket: run.Ticket{Step: e.Step, Turn: e.Turn},
		Reply: &run.Answered{Message: agent.Message{Text: text, Asks: asks},
			Turn: agent.Turn{Model: "m", Use: money.Use{Input: 10, Output: 2}, Cost: 5}}})
}

func (l *life) returns(result any, failure string) run.Errand {
	e := l.next()
	l.handle(&run.Answer{Ticket: run.Ticket{Step: e.Step, CallID: e.CallID},
		Reply: &run.Returned{Result: result, Error: failure}})
	return e
}

func (l *life) recalls(messages ...agent.Message) {
	e := l.next()
	l.handle(&run.Answer{Ticket: run.Ticket{Step: e.Step}, Reply: &run.Recalled{Messages: messages}})
}

// openReview gives the review that waits.
func (l *life) openReview() *run.Review {
	l.t.Helper()
	for _, r := range l.state.Reviews {
		if r.Choice == "" {
			return r
		}
	}
	l.t.Fatal("no review is open")
	return nil
}

func delivery(gross, tare any) run.Signal {
	return run.Signal{ID: "d1", Kind: "webhook", Body: map[string]any{"gross": gross, "tare": tare}}
}

func chat(text string) run.Signal {
	return run.Signal{ID: "c1", Kind: "chat", Source: "/console/ines", Thread: "t1", Text: text,
		From: map[string]string{"name": "Ines Faro"}}
}

func TestRulesToolAndAnswer(t *testing.T) {
	l := begin(t, definition(t, intake), delivery(412.5, int64(31)))
	e := l.next()
	if want := map[string]any{"kg": 381.5, "lane": "clean"}; !reflect.DeepEqual(called(e).Args, want) {
		t.Errorf("the tool was given %v, want %v", called(e).Args, want)
	}
	l.handle(&run.Answer{Ticket: run.Ticket{Step: e.Step}, Reply: &run.Returned{Result: map[string]any{"id": "D-1"}}})
	if l.state.Status != run.Done {
		t.Fatalf("%s: %s", l.state.Status, l.state.Because)
	}
	if want := map[string]any{"receipt": "D-1", "lane": "clean"}; l.state.Response.Status != 201 ||
		!reflect.DeepEqual(l.state.Response.Body, want) {
		t.Errorf("answered %+v, want 201 %v", l.state.Response, want)
	}
	if net := l.state.Step("0").Output; !reflect.DeepEqual(net, map[string]any{"kg": 381.5, "share": 0.92}) {
		t.Errorf("net is %v", net)
	}
}

func TestStopInsideACaseEndsTheRun(t *testing.T) {
	l := begin(t, definition(t, intake), delivery(int64(30), int64(31)))
	if l.state.Status != run.Failed || l.state.Because != "Net weight is -1 kg." || len(l.pending) != 0 {
		t.Errorf("%s %q, errands %v", l.state.Status, l.state.Because, l.pending)
	}
	if inner := l.state.Step("1/case-1/0"); inner == nil || inner.Status != run.Done {
		t.Errorf("the stop inside the case: %+v", inner)
	}
}

func TestAFailingStepSaysWhere(t *testing.T) {
	l := begin(t, definition(t, intake), delivery("heavy", int64(31)))
	if l.state.Status != run.Failed || !strings.Contains(l.state.Because, "net") ||
		!strings.Contains(l.state.Because, "line 8") {
		t.Errorf("%s %q", l.state.Status, l.state.Because)
	}
	l = begin(t, definition(t, intake), delivery(int64(50), int64(31)))
	l.returns(nil, "the register refused: grower unknown")
	if l.state.Status != run.Failed || !strings.Contains(l.state.Because, "grower unknown") {
		t.Errorf("%s %q", l.state.Status, l.state.Because)
	}
}

func TestAgentWithToolApprovalAndMemory(t *testing.T) {
	l := begin(t, definition(t, desk), chat("cancel it"))
	remembered := []agent.Message{{Role: "user", Text: "book"}, {Role: "assistant", Text: "booked s-7"}}
	l.recalls(remembered...)
	ask := l.pending[0].Task.(*run.Ask)
	if len(ask.Messages) != 3 || !strings.HasSuffix(ask.Messages[2].Text, "the name “Ines Faro”:\n\ncancel it") ||
		!strings.Contains(ask.System, "Monday 23 November 2026") || strings.Contains(ask.System, "Ines Faro") {
		t.Errorf("the model was sent %+v with %q", ask.Messages, ask.System)
	}
	if offered, _ := ask.Tools[1].Schema["properties"].(map[string]any); offered["calendar"] != nil ||
		offered["id"] == nil {
		t.Errorf("a fixed argument is offered to the model: %v", offered)
	}
	l.says("", agent.Request{ID: "x", Tool: "slots/remove", Args: map[string]any{"id": "s-7"}})
	if l.state.Status != run.Waiting || len(l.pending) != 0 {
		t.Fatalf("%s with errands %v; it should wait for a person", l.state.Status, l.pending)
	}
	review := l.openReview()
	if review.Ask != "lead" || review.Held["calendar"] != "docks" || review.Edit["calendar"] != nil {
		t.Errorf("the review is %+v", review)
	}
	var refused *run.Refused
	if _, _, err := run.Move(l.def, l.state, noon, l.host, &run.Decided{Review: review.ID, Choice: run.Approve,
		By: "Tobias Quill", Edited: map[string]any{"calendar": "elsewhere"}}); !errors.As(err, &refused) ||
		!strings.Contains(err.Error(), "calendar is fixed") {
		t.Errorf("what the file fixes was changed by who approves: %v", err)
	}
	l.handle(&run.Decided{Review: review.ID, Choice: run.Approve, By: "Tobias Quill",
		Edited: map[string]any{"id": "s-8"}})
	sent := l.returns(map[string]any{"removed": true}, "")
	if called(sent).Args["id"] != "s-8" || called(sent).Args["calendar"] != "docks" {
		t.Errorf("the edited argument was not used: %v", called(sent).Args)
	}
	l.says("Cancelled.")
	if l.state.Status != run.Done {
		t.Fatalf("%s: %s", l.state.Status, l.state.Because)
	}
	if totals := l.state.Spent; totals.Input != 20 || totals.Cost != 10 {
		t.Errorf("totals %+v", totals)
	}
	last := l.state.Step("0").Agent.Messages
	if answer := last[len(last)-2]; answer.Role != "tool" ||
		!strings.Contains(answer.Text, "Tobias Quill changed the arguments") {
		t.Errorf("the model was not told of the change: %+v", answer)
	}
}

func TestWaitingForAPersonUsesUpNoTime(t *testing.T) {
	l := begin(t, definition(t, desk), chat("cancel it"))
	l.recalls()
	l.says("", agent.Request{Tool: "slots/remove", Args: map[string]any{"id": "s-7"}})
	l.later = 50 * time.Hour // clerk's limit is 15 minutes
	l.handle(&run.Decided{Review: l.openReview().ID, Choice: run.Approve, By: "Tobias Quill"})
	l.returns(map[string]any{"removed": true}, "")
	sent := l.pending[0].Task.(*run.Ask).Messages
	if told := sent[len(sent)-1].Text; !strings.Contains(told,
		"Tobias Quill took 50h0m0s to decide; it is now Wednesday 25 November 2026") {
		t.Errorf("the model was told %q", told)
	}
	if within := l.pending[0].Task.(*run.Ask).Within; within < time.Minute {
		t.Errorf("after two days of waiting the model is given %s", within)
	}
	l.says("Cancelled.")
	if l.state.Status != run.Done {
		t.Errorf("%s: %s", l.state.Status, l.state.Because)
	}
}

func TestStoppingClosesWhatWasUnderWay(t *testing.T) {
	l := begin(t, definition(t, desk), chat("cancel it"))
	l.recalls()
	l.says("", agent.Request{Tool: "slots/remove", Args: map[string]any{"id": "s-7"}},
		agent.Request{Tool: "slots/find", Args: map[string]any{}})
	review := l.openReview().ID
	l.handle(&run.Stop{By: "Ines Faro", Note: "wrong farm"})
	step := l.state.Step("0")
	if l.state.Status != run.Stopped || l.state.Because != "stopped by Ines Faro: wrong farm" ||
		step.Status != run.Stopped || l.state.Reviews[review].Choice != run.Withdrawn {
		t.Errorf("%s %q, the step %s, the review %+v", l.state.Status, l.state.Because, step.Status,
			l.state.Reviews[review])
	}
	if calls := step.Agent.Calls; calls[0].State != agent.Declined || calls[1].State != agent.Failed ||
		!strings.Contains(calls[1].Error, "may have happened") {
		t.Errorf("the calls: %+v %+v", calls[0], calls[1])
	}
	for _, e := range []run.Event{&run.Answer{Ticket: run.Ticket{Step: "0", CallID: "call2"}, Reply: &run.Returned{}},
		&run.Stop{By: "x"}, &run.Decided{Review: review, Choice: run.Approve}} {
		if err := moved(l.def, l.state, noon, e); !errors.Is(err, run.ErrStale) {
			t.Errorf("%+v after the end: %v", e, err)
		}
	}
	queued := run.NewState("r2")
	signal := chat("hello")
	_, _, err := run.Move(l.def, queued, noon, run.Host{}, &run.Arrive{Signal: &signal}, &run.Stop{By: "Ines Faro"})
	if err != nil || queued.Status != run.Stopped {
		t.Errorf("stopping a queued run: %s, %v", queued.Status, err)
	}
	w := begin(t, definition(t, intake), delivery(int64(50), int64(31)))
	w.handle(&run.Stop{By: "Ines Faro"})
	if w.state.Response == nil || w.state.Response.Status != 409 {
		t.Errorf("the caller of a stopped run is answered %+v", w.state.Response)
	}
}

func TestDecisionsAreTakenOnceAndChecked(t *testing.T) {
	l := begin(t, definition(t, desk), chat("cancel it"))
	l.recalls()
	l.says("", agent.Request{Tool: "slots/remove", Args: map[string]any{"id": "s-7"}})
	id := l.openReview().ID
	try := func(d run.Decided) error {
		return moved(l.def, l.state, noon, &d)
	}
	var refused *run.Refused
	if err := try(run.Decided{Review: id, Choice: "maybe"}); !errors.As(err, &refused) {
		t.Errorf("a choice that is none: %v", err)
	}
	if err := try(run.Decided{Review: id, Choice: run.Approve, Edited: map[string]any{"id": int64(7)}}); !errors.As(err,
		&refused) {
		t.Errorf("an edit that does not fit the tool: %v", err)
	}
	l.handle(&run.Decided{Review: id, Choice: run.Decline, By: "Tobias Quill", Note: "dock is needed"})
	if err := try(run.Decided{Review: id, Choice: run.Approve}); !errors.Is(err, run.ErrStale) {
		t.Errorf("a second decision: %v", err)
	}
	messages := l.pending[0].Task.(*run.Ask).Messages
	if told := messages[len(messages)-1].Text; !strings.Contains(told, "declined") ||
		!strings.Contains(told, "dock is needed") {
		t.Errorf("the model was told %q", told)
	}
}

func TestAgentMistakesAndLimits(t *testing.T) {
	l := begin(t, definition(t, desk), chat("hello"))
	l.recalls()
	l.says("", agent.Request{Tool: "slots/burn", Args: map[string]any{}},
		agent.Request{Tool: "slots/find", Args: "not json"},
		agent.Request{Tool: "slots/find", Args: map[string]any{"week": "next"}})
	messages := l.pending[0].Task.(*run.Ask).Messages
	for i, want := range []string{"there is no tool slots/burn", "not a JSON object", "do not fit"} {
		if got := messages[len(messages)-3+i].Text; !strings.Contains(got, want) {
			t.Errorf("the model was told %q, want %q", got, want)
		}
	}
	l.says("", agent.Request{Tool: "slots/find", Args: map[string]any{}})
	if told := l.pending[0].Task.(*run.Ask).Messages; !strings.Contains(told[len(told)-1].Text, "failed 2 times") {
		t.Errorf("after two failures the model was told %q", told[len(told)-1].Text)
	}
	l.says("", agent.Request{Tool: "slots/burn", Args: map[string]any{}})
	l.says("", agent.Request{Tool: "slots/burn", Args: map[string]any{}})
	if l.state.Status != run.Failed || !strings.Contains(l.state.Because, "all its 4 turns") {
		t.Errorf("%s %q", l.state.Status, l.state.Because)
	}
}

func TestLostCallIsPutToAPerson(t *testing.T) {
	l := begin(t, definition(t, intake), delivery(int64(50), int64(31)))
	l.next()
	l.handle(&run.Answer{Ticket: run.Ticket{Step: "2"},
		Reply: &run.Lost{Why: "The service stopped while this call was on its way."}})
	if l.state.Status != run.Waiting || l.state.Step("2").Status != run.Uncertain {
		t.Fatalf("run %s, step %s", l.state.Status, l.state.Step("2").Status)
	}
	l.handle(&run.Decided{Review: l.openReview().ID, Choice: run.SendAgain, By: "Ines Faro"})
	l.returns(map[string]any{"id": "D-2"}, "")
	if l.state.Status != run.Done {
		t.Errorf("%s: %s", l.state.Status, l.state.Because)
	}
}

func TestStaleAnswersChangeNothing(t *testing.T) {
	l := begin(t, definition(t, intake), delivery(int64(50), int64(31)))
	l.returns(map[string]any{"id": "D-1"}, "")
	err := moved(l.def, l.state, noon, &run.Answer{Ticket: run.Ticket{Step: "2"},
		Reply: &run.Returned{Result: "again"}})
	if !errors.Is(err, run.ErrStale) {
		t.Errorf("a second result: %v", err)
	}
}

// TestAnyPrefixContinuesToTheSameEnd stops a run after every entry of its
// journal, folds what was written, sends what is outstanding again and goes
// on: the end is the one of the run that never stopped.
func TestAnyPrefixContinuesToTheSameEnd(t *testing.T) {
	drive := func(l *life) {
		for range 20 {
			if l.state.Status == run.Waiting {
				l.handle(&run.Decided{Review: l.openReview().ID, Choice: run.Approve, By: "Tobias Quill"})
				continue
			}
			if l.state.Status.Ended() {
				return
			}
			switch l.pending[0].Task.(type) {
			case *run.Recall:
				l.recalls()
			case *run.Call:
				l.returns(map[string]any{"id": "D-1", "kg": 2.0 / 3, "n": int64(3)}, "")
			default:
				if l.pending[0].Turn != 1 {
					l.says("All done.")
					break
				}
				l.says("", agent.Request{ID: "a", Tool: "slots/find", Args: map[string]any{"day": "Thursday"}},
					agent.Request{ID: "b", Tool: "slots/remove", Args: map[string]any{"id": "s-7"}})
			}
		}
		t.Fatal("the run does not end")
	}
	for _, c := range []struct {
		text   string
		signal run.Signal
	}{{intake, delivery(412.5, int64(31))}, {desk, chat("cancel it")}} {
		def := definition(t, c.text)
		whole := begin(t, def, c.signal)
		drive(whole)
		for n := 1; n <= len(whole.journal); n++ {
			l := &life{t: t, def: def, journal: whole.journal[:n:n]}
			var entries []run.Entry
			for _, data := range l.journal {
				e, err := run.DecodeEntry(data)
				if err != nil {
					t.Fatal(err)
				}
				entries = append(entries, e)
			}
			var err error
			if l.state, err = run.Fold("r1", entries); err != nil {
				t.Fatal(err)
			}
			if l.pending, err = run.Outstanding(def, l.state, noon); err != nil {
				t.Fatal(err)
			}
			drive(l)
			if differ := apart(l.state, whole.state); differ != "" {
				t.Errorf("%s stopped after entry %d ends otherwise: %s", def.Workflow.ID, n, differ)
			}
		}
	}
}

func FuzzDecodeEntry(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	l := begin(f, definition(f, desk), chat("hello"))
	f.Add(l.journal[0])
	f.Add([]byte(`{"seq":1,"records":[{"do":"call","step":"0"},{"do":"case_taken","step":"0","case":0},` +
		`{"do":"review_asked","step":"0"}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		e, err := run.DecodeEntry(data)
		if err == nil {
			e.Seq = 1
			_, _ = run.Fold("r", []run.Entry{e})
		}
	})
}

func ExampleFold() {
	state, err := run.Fold("r1", []run.Entry{{Seq: 2}})
	fmt.Println(state, err)
	// Output: <nil> run r1: entry 2 cannot follow entry 0
}

func TestReviewStepGivesWhatThePersonChose(t *testing.T) {
	def := definition(t, `
workflow: ask
title: Ask
triggers:
  - id: page
    chat: {page: ask}
steps:
  - id: said
    review:
      ask: lead
      show: Offer ${signal.text}?
      edit:
        price: ${2.5}
        lot: "14"
      choices: [offer, keep]
  - decide:
      cases:
        - when: said.choice == "offer"
          do:
            - say:
                text: Offered lot ${said.edited.lot} at ${said.edited.price}, says ${said.by}.
`)
	l := begin(t, def, chat("lot 14"))
	review := l.openReview()
	if review.Show != "Offer lot 14?" || l.state.Status != run.Waiting || l.state.Step("0").Status != run.Waiting {
		t.Errorf("%s, %+v", l.state.Status, review)
	}
	refuse := moved(def, l.state, noon, &run.Decided{Review: review.ID, Choice: "offer",
		Edited: map[string]any{"mill": "Almery"}})
	var refused *run.Refused
	if !errors.As(refuse, &refused) || !strings.Contains(refused.Message, "mill") {
		t.Errorf("editing what is not to be edited: %v", refuse)
	}
	l.handle(&run.Decided{Review: review.ID, Choice: "offer", By: "Tobias Quill", Edited: map[string]any{"price": 2.6}})
	entry, err := run.DecodeEntry(l.journal[len(l.journal)-1])
	if err != nil {
		t.Fatal(err)
	}
	said := ""
	for _, r := range entry.Records {
		if words, ok := r.(*run.WordsSaid); ok {
			said = words.Text
		}
	}
	if said != "Offered lot 14 at 2.6, says Tobias Quill." || l.state.Status != run.Done {
		t.Errorf("%s: %q", l.state.Status, said)
	}
}

func TestCallersAreAlwaysAnswered(t *testing.T) {
	const head = "\nworkflow: w\ntitle: W\ntriggers:\n  - id: scale\n" +
		"    webhook: {path: w, verify: key, answer: computed}\nsteps:\n"
	for name, c := range map[string]struct {
		steps  string
		status int
		detail string
	}{
		"done without an answer": {"  - compute: {a: \"1\"}\n", 204, ""},
		"stopped as failed": {"  - end_run: {outcome: failed, because: \"too light by ${2 * 3} kg\"}\n", 422,
			"too light by 6 kg"},
		"stopped as done":       {"  - end_run: {outcome: done}\n", 204, ""},
		"failed inside":         {"  - compute: {a: signal.body.secret_inner_name}\n", 500, "Its owner can see why"},
		"answered, then failed": {"  - answer_caller: {status: 202}\n  - compute: {a: \"1 / 0\"}\n", 202, ""},
		"answered twice":        {"  - answer_caller: {status: 200}\n  - answer_caller: {status: 201}\n", 200, ""},
	} {
		l := begin(t, definition(t, head+c.steps), delivery(int64(1), int64(1)))
		body, _ := json.Marshal(l.state.Response)
		if l.state.Response == nil || l.state.Response.Status != c.status ||
			!strings.Contains(string(body), c.detail) || strings.Contains(string(body), "secret_inner_name") {
			t.Errorf("%s: %s", name, body)
		}
	}
	if l := begin(t, definition(t, head+"  - answer_caller: {status: 200}\n  - answer_caller: {status: 201}\n"),
		delivery(int64(1), int64(1))); l.state.Status != run.Failed ||
		!strings.Contains(l.state.Because, "already answered") {
		t.Errorf("answering twice: %s %q", l.state.Status, l.state.Because)
	}
}

func TestToolsThatChangedUnderARun(t *testing.T) {
	def := definition(t, intake)
	known := def.Tools
	def.Tools = func(string) (flow.Tool, bool) { return flow.Tool{}, false }
	if l := begin(t, def, delivery(int64(50), int64(31))); l.state.Status != run.Failed ||
		!strings.Contains(l.state.Because, "no tool register/add any more") {
		t.Errorf("a tool that is gone: %q", l.state.Because)
	}
	def = definition(t, intake)
	def.Tools = func(name string) (flow.Tool, bool) {
		spec, ok := known(name)
		spec.Input = schemaOf(`{"kg":{"type":"string"}}`)
		return spec, ok
	}
	if l := begin(t, def, delivery(int64(50), int64(31))); l.state.Status != run.Failed ||
		!strings.Contains(l.state.Because, "do not fit") || !strings.Contains(l.state.Because, "kg") {
		t.Errorf("a tool that takes something else now: %q", l.state.Because)
	}
}

func TestAQueuedRunWaitsForItsStart(t *testing.T) {
	def, state := definition(t, desk), run.NewState("r1")
	if err := moved(def, state, noon, &run.Begin{}); !errors.Is(err, run.ErrStale) {
		t.Errorf("a start before the signal: %v", err)
	}
	signal := chat("hello")
	entry, errands, err := run.Move(def, state, noon, run.Host{}, &run.Arrive{Signal: &signal})
	if err != nil || state.Status != run.Queued || len(errands) != 0 || len(entry.Records) != 1 {
		t.Errorf("accepted: %s, %v", state.Status, errands)
	}
	if err := moved(def, state, noon, &run.Answer{Ticket: run.Ticket{Step: "0"},
		Reply: &run.Returned{}}); !errors.Is(err, run.ErrStale) {
		t.Errorf("a result before the start: %v", err)
	}
	if err := moved(def, state, noon, &run.Arrive{Signal: &signal}); !errors.Is(err, run.ErrStale) {
		t.Errorf("a second signal: %v", err)
	}
	if _, errands, err = run.Move(def, state, noon.Add(time.Minute), run.Host{}, &run.Begin{}); err != nil {
		t.Fatal(err)
	}
	if _, recalls := errands[0].Task.(*run.Recall); len(errands) != 1 || !recalls ||
		state.Started.Sub(state.Accepted) != time.Minute {
		t.Errorf("started: %+v", errands)
	}
	if err := moved(def, state, noon, &run.Begin{}); !errors.Is(err, run.ErrStale) {
		t.Errorf("a second start: %v", err)
	}
}

func ticket(id, step string, turn int, call string) run.Errand {
	return run.Errand{Run: id, Ticket: run.Ticket{Step: step, Turn: turn, CallID: call}, Task: &run.Call{}}
}

func TestErrandsHaveKeysOfTheirOwn(t *testing.T) {
	seen := map[string]run.Errand{}
	for _, e := range []run.Errand{ticket("r", "1", 0, ""), ticket("r", "1", 1, ""), ticket("r", "1", 0, "call1"),
		ticket("r", "1", 0, "call11"),
		ticket("r", "11", 0, ""), ticket("r", "1/case-1/1", 0, ""), ticket("s", "1", 0, "")} {
		if other, taken := seen[e.Key()]; taken {
			t.Errorf("%+v and %+v share the key %s", e, other, e.Key())
		}
		seen[e.Key()] = e
		again := e
		again.Again = true
		if again.Key() != e.Key() {
			t.Errorf("sent again, the key is another: %s", again.Key())
		}
	}
}
