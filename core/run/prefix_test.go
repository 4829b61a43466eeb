package run_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/money"
	"woolsignal/core/run"
)

// everything is a workflow of every kind of step that needs no conversation,
// nested.
const everything = `
  - id: net
    compute: {kg: 'signal.body.gross - signal.body.tare'}
  - id: sort
    decide:
      cases:
        - judge: It is damp.
          going_by: ${net.kg}
          do:
            - id: look
              review: {ask: lead, show: "${net.kg} kg"}
          gives: {lane: "${look.choice}"}
      unsure:
        gives: {lane: unsure}
      otherwise:
        gives: {lane: dry}
  - id: lots
    each:
      of: "[1, 2, 3, 4]"
      at_once: 2
      do:
        - id: row
          retry: {tries: 2, first: 5s}
          if_fails: carry_on
          tool: register/add
          args: {kg: "${item}", lane: "${item == 3 ? 'broken' : 'ok'}"}
        - wait: {for: 1m}
      gives: {id: "${row.?id}"}
  - id: ways
    together:
      branches:
        - id: script
          do:
            - id: s
              javascript: {inputs: {a: "${1}"}, code: 'return 1'}
          gives: {n: "${s.longest}"}
        - id: called
          do:
            - id: c
              call: other
              inputs: {kg: "${net.kg}"}
          gives: {n: "${c.doubled}"}
        - id: late
          do:
            - id: h
              wait:
                hear: {webhook: {path: w, verify: key}, answering: lot}
                give_up_after: 1d
          gives: {n: "${h.came}"}
  - id: rounds
    repeat:
      do:
        - id: m
          model: medium
          prompt: Round ${index}
      gives: {said: "${m.text}", n: "${index}"}
      till: last.n >= 2
      rounds_at_most: 5
  - id: slow
    within: 1h
    if_fails: {gives: {why: "${failure.message}"}}
    section:
      do:
        - wait: {for: 3d}
  - label: {as: ["${sort.lane}"]}
  - answer_caller: {status: 201, body: {lots: "${lots.results}", slow: "${slow.?why}"}}
`

func everythingsWorld() world {
	w := answers
	w.model = func(prompt string) string {
		if strings.Contains(prompt, "Criterion") {
			return `{"verdicts": [{"holds": true, "confidence": 0.8, "reason": "so"}]}`
		}
		return "said: " + prompt
	}
	return w
}

// talk has the kinds of step that need a conversation.
const talk = `
  - id: farm
    question: {text: "Which farm?", within: 2d}
  - id: count
    question:
      text: How many?
      valid: {type: integer, minimum: 10}
      find: {tool: register/add, args: {kg: "${value}", lane: found}}
  - id: ways
    each:
      of: "[1, 2]"
      at_once: 2
      do:
        - id: think
          agent: clerk
          task: ${farm.value} brings ${count.value / 4}
      gives: {said: "${think.text}"}
  - remember: {about: "${farm.value}", fact: "${count.value} fleeces"}
  - say: {text: "${ways.results[0].said}"}
  - end_run: {outcome: done, because: "${farm.value}"}
`

func talksWorld() world {
	w := everythingsWorld()
	said := chat("12")
	w.hear = &said
	return w
}

// typed has an agent and models whose answers are typed, chosen from a table, wrong at
// first, and cut.
const typed = `
  - id: grade
    agent: grader
    task: Grade it.
    files: '${[{"name": "a.png", "type": "image/png", "size": 9, "blob": "b1"}]}'
    inputs: {kg: '${signal.body.gross}'}
  - id: kind
    model: medium
    prompt: Which kind?
    files: '${[{"name": "a.pdf", "type": "application/pdf", "size": 9, "blob": "b2"}]}'
    answer: {type: object, required: [kind], properties: {kind: {type: string, choices: {table: kinds, column: name}}}}
  - id: cut
    model: medium
    prompt: Go on for ever.
    if_fails: {gives: {so_far: "${failure.reached}"}}
  - id: judged
    decide:
      cases:
        - judge: It is a fleece.
          files: '${[{"name": "a.png", "type": "image/png", "size": 9, "blob": "b1"}]}'
          gives: {lane: yes}
      otherwise: {gives: {lane: no}}
  - label: {as: ["${grade.lane}", "${kind.kind}", "${cut.?so_far}"]}
`

// typedAnswers are wrong at first, ask for a tool that is only read, for one that
// somebody approves and for one that is not there, and are cut.
func typedAnswers(ask *run.Ask) *run.Answered {
	last := ask.Messages[len(ask.Messages)-1]
	turn := agent.Turn{Use: money.Use{Input: 10, Output: 5}, Cost: 7}
	says := func(text string, asks ...agent.Request) *run.Answered {
		return &run.Answered{Message: agent.Message{Text: text, Thought: "Hm.", Asks: asks}, Turn: turn}
	}
	given := map[string]any{"day": "x"}
	switch {
	case len(ask.Tools) > 0 && last.Role == "user" && strings.HasPrefix(last.Text, "Grade it."):
		return says("", agent.Request{ID: "a", Tool: "slots/find", Args: given},
			agent.Request{ID: "a", Tool: "slots/remove", Args: map[string]any{"id": "s1"}},
			agent.Request{ID: "b", Tool: "slots/gone", Args: "no json"})
	case last.Role == "tool":
		return says("coarse, I think")
	case strings.Contains(last.Text, "does not fit") && len(ask.Tools) > 0:
		return says(`{"lane": "coarse"}`)
	case strings.Contains(last.Text, "does not fit"):
		return says(`{"kind": "fine"}`)
	case strings.Contains(last.Text, "Which kind"):
		return says(`{"kind": "woolly"}`)
	case strings.Contains(last.Text, "for ever"):
		turn.Cut = agent.CutLength
		return says("On and on and")
	}
	return says(`{"verdicts": [{"holds": true, "confidence": 0.9, "reason": "so"}]}`)
}

func typedWorld() world {
	w := everythingsWorld()
	w.answer = typedAnswers
	return w
}

// wholes are runs of every kind of step.
func wholes(t *testing.T) map[string]whole {
	return map[string]whole{
		"everything": {script(t, everything), everythingsWorld(), delivery(int64(30), int64(4)), 8},
		"a talk":     {talking(t, talk), talksWorld(), chat("Good morning"), 6},
		"typed":      {script(t, typed), typedWorld(), delivery(int64(30), int64(4)), 5},
	}
}

type whole struct {
	def    *run.Definition
	world  world
	signal run.Signal
	steps  int
}

// apart tells where two states differ, in what JSON says or in the type of a
// number, which JSON does not say.
func apart(got, want *run.State) string {
	if g, w := values(got), values(want); !reflect.DeepEqual(g, w) {
		return fmt.Sprintf("its values are\n%#v\nwant\n%#v", g, w)
	}
	g, _ := json.Marshal(got)
	w, _ := json.Marshal(want)
	if string(g) != string(w) {
		return fmt.Sprintf("its state is\n%s\nwant\n%s", g, w)
	}
	return ""
}

func values(s *run.State) map[string]any {
	out := map[string]any{"signal": s.Signal.Body, "result": s.Result}
	s.Each(func(step *run.Step) { out[step.Path] = []any{step.Input, step.Output} })
	return out
}

// TestEveryPrefixEndsTheSame stops runs of every kind of step after each entry,
// folds what was written, and goes on.
func TestEveryPrefixEndsTheSame(t *testing.T) {
	for name, c := range wholes(t) {
		whole := begin(t, c.def, c.signal)
		var later []time.Duration
		for {
			later = append(later, whole.later)
			if !c.world.step(whole) {
				break
			}
		}
		if whole.state.Status != run.Done {
			t.Fatalf("%s ends %s: %s", name, whole.state.Status, whole.state.Because)
		}
		for n := 1; n <= len(whole.journal); n++ {
			l := resumed(t, c.def, whole.journal[:n], later[n-1])
			for c.world.step(l) {
			}
			if differ := apart(l.state, whole.state); differ != "" {
				t.Fatalf("%s, stopped after entry %d of %d: %s", name, n, len(whole.journal), differ)
			}
		}
	}
}

// resumed is a run folded from a journal, by way of a snapshot.
func resumed(t *testing.T, def *run.Definition, journal [][]byte, later time.Duration) *life {
	t.Helper()
	l := &life{t: t, def: def, later: later}
	var entries []run.Entry
	for _, data := range journal {
		e, err := run.DecodeEntry(data)
		if err != nil {
			t.Fatal(err)
		}
		l.journal, entries = append(l.journal, data), append(entries, e)
	}
	half := len(entries) / 2
	state, err := run.Fold("r1", entries[:half])
	if err != nil {
		t.Fatal(err)
	}
	if half > 0 {
		snapshot, err := run.EncodeState(state)
		if err != nil {
			t.Fatal(err)
		}
		if state, err = run.DecodeState(snapshot); err != nil {
			t.Fatal(err)
		}
	}
	for _, e := range entries[half:] {
		if err := state.Apply(e); err != nil {
			t.Fatal(err)
		}
	}
	l.state = state
	if l.pending, err = run.Outstanding(def, l.state, l.clock()); err != nil {
		t.Fatal(err)
	}
	return l
}

// TestAnyOrderEnds answers in random orders, stops at random moments, and
// wants the same values at the end whatever happened between.
func TestAnyOrderEnds(t *testing.T) {
	for name, c := range wholes(t) {
		wanted := ""
		for seed := range uint64(60) {
			l := inAnyOrder(t, c, seed)
			got := ""
			for i := range c.steps {
				got += l.output(fmt.Sprint(i)) + "\n"
			}
			if wanted == "" {
				wanted = got
			}
			if l.state.Status != run.Done || got != wanted {
				t.Fatalf("%s, seed %d ends %s %s as\n%s\nwant\n%s", name, seed, l.state.Status, l.state.Because, got,
					wanted)
			}
		}
	}
}

func inAnyOrder(t *testing.T, c whole, seed uint64) *life {
	dice := rand.New(rand.NewPCG(seed, 7))
	l := begin(t, c.def, c.signal)
	for range 2000 {
		dice.Shuffle(len(l.pending), func(i, j int) { l.pending[i], l.pending[j] = l.pending[j], l.pending[i] })
		if len(l.pending) > 1 { // hold one back, so that another order arises
			held := l.pending[0]
			l.pending = l.pending[1:]
			c.world.step(l)
			l.pending = append(l.pending, held)
		} else if !c.world.step(l) {
			return l
		}
		if dice.IntN(6) == 0 && !l.state.Status.Ended() {
			l = resumed(t, c.def, l.journal, l.later)
		}
	}
	t.Fatalf("seed %d does not end", seed)
	return nil
}

// TestTypedAnswersEndAsTheyShould goes through what is typed, wrong at first, and cut.
func TestTypedAnswersEndAsTheyShould(t *testing.T) {
	l := begin(t, script(t, typed), delivery(int64(30), int64(4)))
	for w := typedWorld(); w.step(l); {
	}
	if got := strings.Join(l.state.Labels, ", "); l.state.Status != run.Done || got != "coarse, fine, On and on and" {
		t.Errorf("%s %s: %s", l.state.Status, l.state.Because, got)
	}
	grade := l.state.Step("0").Agent
	if grade.Wrong != 1 || len(grade.Calls) != 3 || len(grade.Choices) != 1 ||
		grade.Messages[0].Files[0].Blob != "b1" ||
		grade.Turns[0].Fill.All() == 0 || grade.Messages[1].Thought != "Hm." {
		t.Errorf("%+v", grade)
	}
}
