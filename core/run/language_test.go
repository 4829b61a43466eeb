package run_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/money"
	"woolsignal/core/run"
)

// world answers errands the same way whenever it is asked.
type world struct {
	model  func(prompt string) string   // a model's words
	answer func(*run.Ask) *run.Answered // nil, or what a model answers where that is more
	tool   func(tool string, args map[string]any) (any, string)
	note   string      // what whoever decides writes
	hear   *run.Signal // what listening finds
	call   func(inputs map[string]any) (any, string)
	script any // what a script gives
}

// step answers the next errand in an order of its own, or lets time pass. It
// tells false where nothing is left to do.
func (w world) step(l *life) bool {
	l.t.Helper()
	if l.state.Status.Ended() {
		return false
	}
	slices.SortFunc(l.pending, func(a, b run.Errand) int { return strings.Compare(a.Key(), b.Key()) })
	for len(l.pending) > 0 {
		e := l.next()
		event := w.event(l, e)
		if event == nil {
			continue
		}
		if l.handleIfAwaited(event) {
			return true
		}
	}
	if w.childEnds(l) || w.speaks(l) {
		return true
	}
	for _, r := range l.state.Reviews {
		if r.Choice == "" {
			l.handle(&run.Decided{Review: r.ID, Choice: r.Choices[0], By: "Tobias Quill", Note: w.note})
			return true
		}
	}
	wake := l.state.Wake()
	if wake.IsZero() {
		return false
	}
	l.later += wake.Sub(l.clock())
	l.handle(&run.Tick{})
	return true
}

// speaks says something where a conversation waits for it.
func (w world) speaks(l *life) bool {
	hearing := ""
	l.state.Each(func(s *run.Step) {
		if s.Hearing != nil && w.hear != nil {
			hearing = s.Path
		}
	})
	return hearing != "" && l.handleIfAwaited(&run.Heard{Step: hearing, Signal: w.hear})
}

// event is what the world answers an errand with; nil where it does not.
func (w world) event(l *life, e run.Errand) run.Event {
	switch task := e.Task.(type) {
	case *run.Recall:
		return e.Answer(&run.Recalled{Facts: []string{"They bring two bales a week."},
			Choices: slices.Repeat([][]flow.Choice{{{Value: "fine"}, {Value: "coarse", Meaning: "harsh"}}},
				len(task.Choices))})
	case *run.Ask:
		if w.answer != nil {
			return e.Answer(w.answer(task))
		}
		prompt := task.Messages[len(task.Messages)-1].Text
		return e.Answer(&run.Answered{Message: agent.Message{Text: w.model(prompt)},
			Turn: agent.Turn{Use: money.Use{Input: 10, Output: 5}, Cost: 7}})
	case *run.Call:
		result, failure := w.tool(task.Tool, task.Args)
		return e.Answer(&run.Returned{Result: result, Error: failure})
	case *run.Script:
		if w.script != nil {
			return e.Answer(&run.Returned{Result: w.script})
		}
		return e.Answer(&run.Returned{Result: map[string]any{"longest": int64(len(task.Inputs))}})
	case *run.Listen:
		if w.hear != nil {
			return &run.Heard{Step: e.Step, Signal: w.hear}
		}
	case *run.Start:
		return e.Answer(&run.ChildBegan{Run: "child-" + e.Key()})
	}
	return nil
}

// childEnds ends a called workflow that is under way.
func (w world) childEnds(l *life) bool {
	ended := false
	l.state.Each(func(s *run.Step) {
		if s.Status != run.Running || s.Child == "" || ended {
			return
		}
		inputs, _ := s.Input.(map[string]any)
		result, failure := w.call(inputs)
		ended = l.handleIfAwaited(&run.Answer{Ticket: run.Ticket{Step: s.Path, Sending: s.Sending},
			Reply: &run.Returned{Result: result, Error: failure}})
	})
	return ended
}

func (l *life) clock() time.Time {
	return noon.Add(time.Duration(len(l.journal))*time.Second + l.later)
}

func (l *life) handleIfAwaited(e run.Event) bool {
	l.t.Helper()
	entry, errands, err := run.Move(l.def, l.state, l.clock(), l.host, e)
	if errors.Is(err, run.ErrStale) {
		return false
	}
	l.took(entry, errands, err)
	return true
}

// steps runs a workflow of just these steps to its end.
func steps(t testing.TB, text string, w world) *life {
	t.Helper()
	l := begin(t, script(t, text), delivery(int64(30), int64(4)))
	for n := 0; w.step(l); n++ {
		if n > 5000 {
			t.Fatal("the run does not end")
		}
	}
	return l
}

func script(t testing.TB, text string) *run.Definition {
	t.Helper()
	d := definition(t,
		"\nworkflow: w\ntitle: W\nmodel: medium\ntriggers:\n  - id: scale\n"+
			"    webhook: {path: w, verify: key, answer: computed}\nsteps:\n"+text)
	return d
}

// output is what a step gave, as JSON.
func (l *life) output(path string) string {
	step := l.state.Step(path)
	if step == nil {
		return "never began"
	}
	out, _ := json.Marshal(step.Output)
	return fmt.Sprintf("%s %s", step.Status, out)
}

var answers = world{
	tool: func(_ string, args map[string]any) (any, string) {
		if args["lane"] == "broken" {
			return nil, "the register is closed"
		}
		return map[string]any{"id": fmt.Sprint("D-", args["kg"])}, ""
	},
	model: func(string) string { return "Dry." },
	call:  func(inputs map[string]any) (any, string) { return map[string]any{"doubled": inputs["kg"]}, "" },
}

func TestEveryKindOfStep(t *testing.T) {
	judging := answers
	judging.model = func(prompt string) string {
		if strings.Contains(prompt, "Criterion") {
			return "```json\n" +
				"{\"verdicts\": [{\"holds\": true, \"confidence\": 0.9, \"reason\": \"It says damp.\"}]}\n```"
		}
		return `{"lane": "wet", "kg": 3}`
	}
	unsure := answers
	unsure.model = func(string) string {
		return `{"verdicts": [{"holds": true, "confidence": 0.4, "reason": "Hard to say."}]}`
	}
	heard := answers
	heard.hear = &run.Signal{ID: "s", Body: map[string]any{"yes": true, "n": int64(2)}, Kind: "webhook"}
	const judge = "  - decide:\n      cases:\n        - when: signal.body.gross < 0\n          gives: {lane: none}\n" +
		"        - judge: The notes mention damp.\n          going_by: ${signal.body.gross}\n" +
		"          gives: {lane: wet}\n      floor: 0.7\n      unsure:\n        gives: {lane: look}\n" +
		"      otherwise:\n        gives: {lane: dry}\n"
	for name, c := range map[string]struct {
		steps string
		world world
		path  string
		want  string
	}{
		"when skips": {"  - id: a\n    when: signal.body.gross > 100\n    compute: {x: '1'}\n" +
			"  - compute: {y: 'a.?x.orValue(7)'}\n", answers, "1", `done {"y":7}`},
		"off skips": {"  - id: a\n    off: true\n    compute: {x: '1'}\n" +
			"  - compute: {y: 'a.hasValue()'}\n", answers, "1", `done {"y":false}`},
		"carry on": {"  - id: a\n    if_fails: carry_on\n    compute: {x: '1 / 0'}\n" +
			"  - compute: {y: 'a.?x.orValue(7)'}\n", answers, "1", `done {"y":7}`},
		"if_fails gives": {"  - id: a\n    if_fails:\n      do:\n        - id: b\n" +
			"          compute: {z: '2'}\n      gives:\n        x: ${b.z}\n        why: ${failure.message}\n" +
			"    compute: {x: '1 / 0'}\n  - compute: {y: a.x}\n", answers, "1", `done {"y":2}`},
		"each keeps order": {"  - each:\n      of: '[1, 2, 3]'\n      at_once: 2\n      do:\n" +
			"        - id: row\n          tool: register/add\n" +
			"          args: {kg: '${item}', lane: '${item == 2 ? \"broken\" : \"ok\"}'}\n" +
			"      gives: {id: '${row.id}', at: '${index}'}\n", answers, "0",
			`done {"failures":[{"index":1,"item":2,"message":"the tool step row (line 13): the register is ` +
				`closed"}],"results":[{"at":0,"id":"D-1"},null,{"at":2,"id":"D-3"}]}`},
		"each of nothing": {"  - each:\n      of: '[]'\n      do:\n        - compute: {a: item}\n", answers,
			"0", `done {"failures":[],"results":[]}`},
		"each until enough": {"  - each:\n      of: '[1, 2, 3]'\n      at_once: 3\n      do:\n" +
			"        - id: row\n          tool: register/add\n          args: {kg: '${item}', lane: ok}\n" +
			"      gives: {id: '${row.id}'}\n      finish: first\n      enough: value.id == \"D-2\"\n", answers, "0",
			`done {"failures":[],"first":{"id":"D-2"},"results":[{"id":"D-1"},{"id":"D-2"},null]}`},
		"together all": {"  - together:\n      branches:\n        - id: a\n          do:\n" +
			"            - id: row\n              tool: register/add\n              args: {kg: '${5}', lane: ok}\n" +
			"          gives: {id: '${row.id}'}\n        - id: b\n          gives: {two: '${2}'}\n", answers, "0",
			`done {"a":{"id":"D-5"},"b":{"two":2}}`},
		"together first": {"  - together:\n      branches:\n        - id: a\n          do:\n" +
			"            - wait: {for: 3d}\n          gives: {who: a}\n        - id: b\n          do:\n" +
			"            - wait: {for: 2d}\n          gives: {who: b}\n      finish: first\n" +
			"      enough: value.who != \"\"\n", answers, "0", `done {"b":{"who":"b"},"first":"b"}`},
		"repeat": {"  - repeat:\n      do:\n        - id: n\n" +
			"          compute: {v: 'last.?n.orValue(1) * 2'}\n      gives: {n: '${n.v}'}\n      till: last.n > 20\n" +
			"      rounds_at_most: 10\n", answers, "0", `done {"n":32,"times":5}`},
		"repeat without end": {"  - repeat:\n      gives: {n: '${index}'}\n      till: last.n > 20\n" +
			"      rounds_at_most: 3\n", answers, "0", `failed null`},
		"block": {"  - section:\n      do:\n        - id: a\n          compute: {x: '1'}\n" +
			"      gives: {x: '${a.x}'}\n", answers, "0", `done {"x":1}`},
		"wait for":             {"  - wait: {for: 90s}\n", answers, "0", `done {"at":"2026-11-23T12:01:30Z"}`},
		"wait in working days": {"  - wait: {for: 5wd}\n", answers, "0", `done {"at":"2026-11-30T12:00:00Z"}`},
		"wait till": {"  - wait: {till: 'time(\"2026-11-24 08:00\")'}\n", answers, "0",
			`done {"at":"2026-11-24T08:00:00Z"}`},
		"wait till what is past": {"  - wait: {till: 'time(\"2026-11-01\")'}\n", answers, "0",
			`done {"at":"2026-11-23T12:00:00Z"}`},
		"hear nothing": {"  - wait:\n      hear: {webhook: {path: w, verify: key}, answering: lot-7}\n" +
			"      give_up_after: 2d\n", answers, "0", `done {"came":false}`},
		"hear": {"  - id: a\n    wait:\n" +
			"      hear: {webhook: {path: w, verify: key}, answering: lot-7, match: 'heard.body.n == 2'}\n" +
			"      give_up_after: 2d\n  - compute: {n: 'a.?signal.?body.?n.orValue(0)'}\n", heard, "1", `done {"n":2}`},
		"hear what does not match": {"  - wait:\n" +
			"      hear: {webhook: {path: w, verify: key}, answering: lot-7, match: 'heard.body.kg == 2'}\n" +
			"      give_up_after: 2d\n", heard, "0", `done {"came":false}`},
		"model": {"  - model: medium\n    prompt: Is it dry?\n", answers, "0",
			`done {"text":"Dry."}`},
		"model with a shape": {"  - model: medium\n    prompt: Which lane?\n" +
			"    answer: {type: object, required: [lane], properties: {lane: {type: string}, kg: {type: number}}}\n",
			judging, "0", `done {"kg":3,"lane":"wet"}`},
		"model that never fits": {"  - model: medium\n    prompt: Which lane?\n    answer: {type: object}\n",
			answers, "0", `failed null`},
		"judge": {judge, judging, "0",
			`done {"case":2,"confidence":0.9,"lane":"wet","reason":"It says damp.","sure":"sure"}`},
		"judge that is unsure": {judge, unsure, "0",
			`done {"case":"unsure","confidence":0.4,"lane":"look","reason":"Hard to say.","sure":"not sure"}`},
		"fill": {"  - tool: register/add\n    args: {kg: '${3}'}\n" +
			"    fill: {lane: 'The lane in one word'}\n", judging2, "0", `done {"id":"D-3"}`},
		"fill a part": {"  - tool: register/add\n    args: {kg: '${3}', lane: 'to ${fill.word}'}\n" +
			"    fill: {word: 'The lane in one word'}\n", judging3, "0", `done {"id":"D-3"}`},
		"call": {"  - call: other\n    inputs: {kg: '${4}'}\n", answers, "0",
			`done {"doubled":4}`},
		"call and go on": {"  - call: other\n    await: false\n", answers, "0",
			`done {"run":"child-r1:0:1"}`},
		"javascript": {"  - javascript:\n      inputs: {a: '${1}', b: '${2}'}\n" +
			"      code: 'return {longest: 2}'\n", answers, "0", `done {"longest":2}`},
		"label": {"  - label: {as: [late, '${signal.body.gross}']}\n", answers, "0",
			`done {"labels":["late","30"]}`},
		"remember": {"  - remember: {about: Nettlecote, name: load, fact: 'Two bales.'}\n", answers,
			"0", `done {}`},
		"stop inside each": {"  - each:\n      of: '[1, 2]'\n      do:\n        - end_run: {because: enough}\n" +
			"  - compute: {a: '1'}\n", answers, "1", `never began`},
		"a failing way stops all": {"  - id: t\n    if_fails: carry_on\n    together:\n      branches:\n" +
			"        - id: a\n          do:\n            - wait: {for: 1d}\n        - id: b\n          do:\n" +
			"            - compute: {x: '1 / 0'}\n", answers, "0/way-1/0", `stopped null`},
		"timeout": {"  - id: a\n    within: 10s\n" +
			"    if_fails: {gives: {why: '${failure.message}'}}\n    section:\n      do:\n        - wait: {for: 1h}\n",
			answers, "0", `done {"why":"it took longer than 10 seconds"}`},
		"retry": {"  - id: a\n    retry: {tries: 3, first: 5s}\n" +
			"    if_fails: {gives: {tries: '${failure.tries}'}}\n    tool: register/add\n    args: {lane: broken}\n",
			answers, "0", `done {"tries":3}`},
		"a failing handler": {"  - id: a\n    if_fails:\n      do:\n        - compute: {x: '1 / 0'}\n" +
			"    compute: {x: '1 / 0'}\n", answers, "0", `failed null`},
		"a handler that stops": {"  - id: a\n    if_fails:\n      do:\n        - end_run: {because: enough}\n" +
			"    compute: {x: '1 / 0'}\n  - compute: {a: '1'}\n", answers, "1", `never began`},
		"a value of the wrong kind": {"  - each:\n      of: signal.body.gross\n", answers, "0", `failed null`},
	} {
		l := steps(t, c.steps, c.world)
		if got := l.output(c.path); got != c.want {
			t.Errorf("%s: %s, want %s (the run: %s %s)", name, got, c.want, l.state.Status, l.state.Because)
		}
		if !l.state.Status.Ended() {
			t.Errorf("%s: the run is %s", name, l.state.Status)
		}
	}
}

var (
	judging2 = world{model: func(string) string { return `{"lane": "wet"}` }, tool: answers.tool}
	judging3 = world{model: func(string) string { return `{"word": "wet"}` },
		tool: func(_ string, args map[string]any) (any, string) {
			if args["lane"] != "to wet" {
				return nil, fmt.Sprintf("lane is %v", args["lane"])
			}
			return answers.tool("", args)
		}}
)

func TestFailuresSayWhere(t *testing.T) {
	for text, want := range map[string]string{
		"  - each:\n" +
			"      of: signal.body.gross\n": "of: gross is a number, and each goes through a list",
		"  - compute: {a: 'signal.body.gross + \" kg\"'}\n": "a: signal.body.gross + \" kg\"",
		"  - tool: register/add\n" +
			"    args: {kg: heavy}\n": "kg: got string, want number",
		"  - wait: {till: signal.body.gross}\n": "till: gross is a number, " +
			"and a time is needed",
		"  - id: a\n    compute: {x: '\"0123456789\"'}\n" + doubling: "larger than 4 MB",
		"  - decide:\n      cases:\n        - when: signal.body.gross\n" +
			"          gives: {}\n": "must be true or false, this is a number",
		"  - section:\n      do:\n        - title: The inner one\n" +
			"          compute: {x: '1 / 0'}\n": "The inner one (line 11): x: 1 / 0: division by zero",
	} {
		l := steps(t, text, answers)
		if l.state.Status != run.Failed || !strings.Contains(l.state.Because, want) {
			t.Errorf("%s\nends %s: %s; want %s", text, l.state.Status, l.state.Because, want)
		}
	}
}

// doubling makes a value of five megabytes out of ten bytes.
const doubling = "  - repeat:\n      do:\n        - id: n\n" +
	"          compute: {v: 'last.?v.orValue(a.x) + last.?v.orValue(a.x)'}\n      gives: {v: '${n.v}'}\n" +
	"      till: size(last.v) > 5000000\n      rounds_at_most: 30\n"

func TestStoppingClosesEverythingOpen(t *testing.T) {
	def, w := script(t, everything), everythingsWorld()
	for n := 0; ; n++ {
		l := begin(t, def, delivery(int64(30), int64(4)))
		for range n {
			w.step(l)
		}
		if l.state.Status.Ended() {
			return
		}
		l.handle(&run.Stop{By: "Elin Marrack"})
		if l.state.Status != run.Stopped || !l.state.Wake().IsZero() {
			t.Fatalf("after %d events: %s, wakes %s", n, l.state.Status, l.state.Wake())
		}
		l.state.Each(func(s *run.Step) {
			if s.Hearing != nil || s.Status == run.Running || s.Status == run.Waiting {
				t.Errorf("after %d events the step %s is %s", n, s.Path, s.Status)
			}
		})
	}
}

func TestATriedStepSeesWhatItIsGivenAndChangesNothing(t *testing.T) {
	def := script(t, everything)
	state := run.NewState("t1")
	signal := delivery(int64(1), int64(1))
	tried := &run.Origin{Kind: run.OfTry, Step: "2/item-1/0", Held: true, Given: map[string]any{"item": int64(9)}}
	_, errands, err := run.Move(def, state, noon, run.Host{}, &run.Arrive{Signal: &signal, Origin: tried}, &run.Begin{})
	if err != nil {
		t.Fatal(err)
	}
	want := map[string]any{"kg": int64(9), "lane": "ok"}
	if step := state.Step("0"); state.Status != run.Done || len(errands) != 0 || !reflect.DeepEqual(step.Input, want) {
		t.Errorf("%s %s, %d errands, %+v", state.Status, state.Because, len(errands), state.Step("0"))
	}
}

func TestATimeoutOfACallThatMustNotBeRepeatedAsks(t *testing.T) {
	l := begin(t,
		script(t, "  - within: 10s\n    retry: {tries: 4}\n    tool: register/add\n    args: {kg: '${1}'}\n"),
		delivery(int64(1), int64(1)))
	l.later = time.Minute
	l.handle(&run.Tick{})
	if r := l.openReview(); r.Kind != run.OfDoubt || l.state.Step("0").Status != run.Uncertain {
		t.Errorf("%+v", r)
	}
	l.handle(&run.Decided{Review: l.openReview().ID, Choice: run.Happened, By: "Ines Faro"})
	if l.state.Status != run.Done {
		t.Errorf("%s %s", l.state.Status, l.state.Because)
	}
}

func TestACallableWorkflowGives(t *testing.T) {
	def := definition(t,
		"\nworkflow: double\ntitle: Double\n"+
			"inputs: {type: object, required: [kg], properties: {kg: {type: number}}}\n"+
			"result: {type: object, required: [kg], properties: {kg: {type: number}}}\ngives: {kg: '${two.kg}'}\n"+
			"steps:\n  - id: two\n    compute: {kg: 'inputs.kg * 2'}\n")
	for in, want := range map[any]string{int64(4): "done", "heavy": "failed"} {
		l := begin(t, def, run.Signal{ID: "c", Kind: "called", Body: map[string]any{"kg": in}})
		if string(l.state.Status) != want {
			t.Errorf("%v: %s %s", in, l.state.Status, l.state.Because)
		}
		if want == "done" && !reflect.DeepEqual(l.state.Result, map[string]any{"kg": int64(8)}) {
			t.Errorf("gives %v", l.state.Result)
		}
	}
}

func BenchmarkEachOverPureItems(b *testing.B) {
	for _, n := range []int{1_000, 10_000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			def := script(b,
				fmt.Sprintf("  - each:\n      of: lists.range(%d)\n      do:\n        - id: v\n"+
					"          compute: {x: 'item * 2'}\n      gives: {x: '${v.x}'}\n", n))
			for b.Loop() {
				l := begin(b, def, delivery(int64(1), int64(1)))
				if l.state.Status != run.Done {
					b.Fatal(l.state.Because)
				}
			}
		})
	}
}
