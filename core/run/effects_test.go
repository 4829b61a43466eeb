package run_test

import (
	"strings"
	"testing"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
	"woolsignal/core/run"
)

const stopped = "The service stopped while this call was on its way."

// A call that must not be repeated and may have happened waits for a person,
// whatever limits and tries were written down, and wherever they were.
func TestAnUncertainCallIsNeverSentAgainByItself(t *testing.T) {
	for name, text := range map[string]string{
		"its own limit and tries": "  - id: row\n    within: 1h\n    retry: {tries: 4, first: 1s}\n" +
			"    tool: register/add\n    args: {kg: '${1}'}\n",
		"those of a block around it": "  - within: 1h\n    retry: {tries: 4, first: 1s}\n    section:\n      do:\n" +
			"        - id: row\n          tool: register/add\n          args: {kg: '${1}'}\n",
		"those of a way around it": "  - within: 1h\n    retry: {tries: 4, first: 1s}\n    together:\n" +
			"      branches:\n        - id: one\n          do:\n            - id: row\n" +
			"              tool: register/add\n              args: {kg: '${1}'}\n        - id: two\n          do:\n" +
			"            - compute: {a: '1'}\n",
	} {
		t.Run(name, func(t *testing.T) {
			l := begin(t, script(t, text), delivery(int64(30), int64(4)))
			l.handle(l.next().Answer(&run.Lost{Why: stopped}))
			for range 5 { // hours after every limit
				l.later += 2 * time.Hour
				l.tick()
			}
			if len(l.pending) > 0 {
				t.Fatalf("it is sent again: %+v", l.pending)
			}
			review := l.openReview()
			if review.Kind != run.OfDoubt || !strings.Contains(review.Why, stopped) {
				t.Errorf("asked about is %q", review.Why)
			}
			l.handle(&run.Decided{Review: review.ID, Choice: run.Happened, By: "Ines Faro"})
			if l.state.Status != run.Done || len(l.pending) > 0 {
				t.Errorf("after the answer: %s %s", l.state.Status, l.state.Because)
			}
		})
	}
}

// tick lets time's part happen where anything is due.
func (l *life) tick() {
	l.t.Helper()
	l.handleIfAwaited(&run.Tick{})
}

// A limit around a call that is on its way and must not be repeated asks
// about it, rather than giving it up.
func TestALimitAroundACallOnItsWayAsks(t *testing.T) {
	l := begin(t,
		script(t,
			"  - within: 1h\n    retry: {tries: 4, first: 1s}\n    section:\n      do:\n        - id: row\n"+
				"          tool: register/add\n          args: {kg: '${1}'}\n"), delivery(int64(30), int64(4)))
	l.next()
	l.later = 2 * time.Hour
	l.tick()
	review := l.openReview()
	if review.Kind != run.OfDoubt || !strings.Contains(review.Why, "did not answer within 1 hour") {
		t.Errorf("%s: %s", review.Kind, review.Why)
	}
	if !l.state.Wake().IsZero() {
		t.Errorf("the limit goes on, until %s, while a person is asked", l.state.Wake())
	}
	l.handle(&run.Decided{Review: review.ID, Choice: run.SendAgain, By: "Ines Faro"})
	if l.state.Wake().IsZero() || len(l.pending) != 1 {
		t.Errorf("after the answer the limit is %s, and %d calls are sent", l.state.Wake(), len(l.pending))
	}
}

// Where something beside it gives a call up, the steps around are not begun
// again by themselves: the call may have happened.
func TestWhatMayHaveHappenedIsNotBegunAgain(t *testing.T) {
	l := begin(t,
		script(t,
			"  - retry: {tries: 4, first: 1s}\n    together:\n      branches:\n        - id: one\n          do:\n"+
				"            - id: row\n              tool: register/add\n              args: {kg: '${1}'}\n"+
				"        - id: two\n          do:\n            - compute: {a: '1 / 0'}\n"),
		delivery(int64(30), int64(4)))
	l.later = time.Hour
	l.tick()
	if l.state.Status != run.Failed || !strings.Contains(l.state.Because,
		"not tried again by itself, because register/add may have happened") {
		t.Errorf("%s %s", l.state.Status, l.state.Because)
	}
}

// Of a call that failed it is known what became of it; what may have happened
// is sent again just as it was, with its key, and anything else is another
// call with a key of its own.
func TestATryThatMayHaveHappenedIsSentAsItWas(t *testing.T) {
	const text = "  - id: gone\n    retry: {tries: 4, first: 1s}\n    tool: slots/remove\n" +
		"    args: {id: '${text(now())}'}\n"
	for _, c := range []struct {
		effect run.Effect
		same   bool
	}{{run.Unsure, true}, {"", false}} {
		l := begin(t, script(t, text), delivery(int64(30), int64(4)))
		first := l.next()
		l.handle(first.Answer(&run.Returned{Error: "502", Effect: c.effect}))
		l = resumed(t, l.def, l.journal, time.Minute)
		l.tick()
		second := l.next()
		if same := first.Key() == second.Key() &&
			called(first).Args["id"] == called(second).Args["id"]; same != c.same {
			t.Errorf("effect %q: first %s %v, then %s %v", c.effect, first.Key(), called(first).Args, second.Key(),
				called(second).Args)
		}
		if again, err := run.Outstanding(l.def, l.state, noon); err != nil || len(again) != 1 ||
			again[0].Key() != second.Key() {
			t.Errorf("after a crash it is sent as %v, %v", again, err)
		}
	}
}

// What happened, and gave more than can be kept, is not done twice.
func TestWhatHappenedIsNotTriedAgain(t *testing.T) {
	l := begin(t,
		script(t, "  - id: row\n    retry: {tries: 4, first: 1s}\n    tool: register/add\n    args: {kg: '${1}'}\n"),
		delivery(int64(30), int64(4)))
	l.returns(map[string]any{"all": strings.Repeat("x", 5<<20)}, "")
	l.later = time.Hour
	l.tick()
	if l.state.Status != run.Failed || len(l.pending) > 0 || !strings.Contains(l.state.Because, "larger than 4 MB") ||
		!strings.Contains(l.state.Because, "it happened") {
		t.Errorf("%s %s, %d sent", l.state.Status, l.state.Because, len(l.pending))
	}
}

func agentWorkflow(t *testing.T, more string) *run.Definition {
	def := definition(t,
		"\nworkflow: desk\ntitle: Desk\ntriggers:\n  - id: page\n    chat: {page: desk}\nsteps:\n  - id: answer\n"+more+
			"    agent: clerk\n    task: ${signal.text}\n")
	def.Agents["clerk"].Tools[1].Approval = &flow.Approval{None: true}
	return def
}

// An agent that begins anew makes other calls; none has the key of one before.
func TestAnAgentsTriesHaveKeysOfTheirOwn(t *testing.T) {
	l := begin(t, agentWorkflow(t, "    retry: {tries: 2, first: 1s}\n"), chat("hi"))
	l.recalls()
	l.says("", agent.Request{ID: "x", Tool: "slots/remove", Args: map[string]any{"id": "A"}})
	first := l.returns(map[string]any{"removed": "A"}, "")
	l.handle(l.next().Answer(&run.Answered{Error: "model server down"}))
	l.later = time.Minute
	l.tick()
	l.recalls()
	l.says("", agent.Request{ID: "y", Tool: "slots/remove", Args: map[string]any{"id": "B"}})
	if second := l.next(); second.Key() == first.Key() {
		t.Errorf("%v and %v share the key %s", called(first).Args, called(second).Args, first.Key())
	}
}

// An agent whose call may have happened does not begin anew by itself.
func TestAnAgentWithACallInDoubtDoesNotBeginAnew(t *testing.T) {
	l := begin(t, agentWorkflow(t, "    within: 1h\n    retry: {tries: 2, first: 1s}\n"), chat("hi"))
	l.recalls()
	l.says("", agent.Request{ID: "x", Tool: "slots/remove", Args: map[string]any{"id": "A"}})
	l.later = 2 * time.Hour
	l.tick()
	l.later += 2 * time.Hour
	l.tick()
	if l.state.Status != run.Failed || !strings.Contains(l.state.Because, "slots/remove may have happened") {
		t.Errorf("%s %s", l.state.Status, l.state.Because)
	}
}

// A late answer of a try before is not taken for that of this one.
func TestALateAnswerOfATryBeforeIsStale(t *testing.T) {
	l := begin(t,
		script(t,
			"  - within: 1h\n    retry: {tries: 2, first: 1s}\n    section:\n      do:\n        - id: look\n"+
				"          tool: slots/find\n          args: {day: '${text(now())}'}\n"), delivery(int64(30), int64(4)))
	first := l.next()
	l.later = 2 * time.Hour
	l.tick()
	l.later += time.Minute
	l.tick()
	second := l.next()
	if l.handleIfAwaited(first.Answer(&run.Returned{Result: called(first).Args["day"]})) {
		t.Errorf("the answer to %v was taken for that to %v", called(first).Args, called(second).Args)
	}
}

// A time limit holds for every step that waits, for whatever it waits.
func TestALimitHoldsForWhateverIsWaitedFor(t *testing.T) {
	for name, text := range map[string]string{
		"a person": "  - id: s\n    within: 1h\n    review: {ask: owner, show: hello}\n",
		"a while":  "  - id: s\n    within: 1h\n    wait: {for: 3d}\n",
		"a time":   "  - id: s\n    within: 1h\n    wait: {till: '\"2026-12-24 12:00\"'}\n",
		"a signal": "  - id: s\n    within: 1h\n" +
			"    wait: {hear: {webhook: {path: other, verify: key, subject: '${signal.body.a}'}, answering: x}, " +
			"give_up_after: " +
			"3d}\n",
		"a workflow": "  - id: s\n    within: 1h\n    call: other\n    inputs: {}\n",
		"a model":    "  - id: s\n    within: 1h\n    model: medium\n    prompt: hello\n",
		"a reading":  "  - id: s\n    within: 1h\n    tool: slots/find\n    args: {day: Monday}\n",
		"steps inside": "  - id: s\n    within: 1h\n    section:\n      do:\n" +
			"        - review: {ask: owner, show: hello}\n",
	} {
		t.Run(name, func(t *testing.T) {
			l := begin(t, script(t, text), delivery(int64(30), int64(4)))
			if l.state.Status.Ended() {
				t.Fatalf("it does not wait: %s", l.state.Because)
			}
			l = resumed(t, l.def, l.journal, 2*time.Hour)
			l.tick()
			if l.state.Status != run.Failed || !strings.Contains(l.state.Because, "it took longer than 1 hour") {
				t.Errorf("%s %s", l.state.Status, l.state.Because)
			}
			for _, r := range l.state.Reviews {
				if r.Choice != run.Withdrawn {
					t.Errorf("a person is still asked: %s", r.Title)
				}
			}
		})
	}
}

// Of a wait and its limit, the one that came first counts, however late
// anybody looks.
func TestWhatCameFirstCounts(t *testing.T) {
	l := begin(t, script(t, "  - id: s\n    within: 2h\n    wait: {for: 1h}\n"), delivery(int64(30), int64(4)))
	l.later = 24 * time.Hour
	l.tick()
	if l.state.Status != run.Done {
		t.Errorf("%s %s", l.state.Status, l.state.Because)
	}
}

// now() is one moment within a decision, though a model is asked in it, and
// within a call a model fills in.
func TestNowIsOneMomentWithinAStep(t *testing.T) {
	l := begin(t, script(t, `
  - id: d
    decide:
      cases:
        - when: now() > time("2026-11-23 12:00")
          gives: {lane: late}
        - judge: wet
          going_by: x
          gives: {lane: wet}
      unsure: {gives: {lane: u}}
      otherwise: {gives: {lane: e}}
  - id: row
    tool: register/add
    fill: {lane: 'the lane'}
    args: {kg: '${now() > time("2026-11-23 12:00:01") ? 2 : 1}'}
`), delivery(int64(30), int64(4)))
	l.later = time.Hour
	l.says(`{"verdicts": [{"holds": true, "confidence": 0.9, "reason": "It says so."}]}`)
	if got := l.output("0"); !strings.Contains(got, `"lane":"wet"`) {
		t.Errorf("the rule that did not hold did so later: %s", got)
	}
	began := l.state.Step("1").Began
	l.later = 5 * time.Hour
	l.says(`{"lane": "a"}`)
	if kg := called(l.next()).Args["kg"]; kg != int64(2) {
		t.Errorf("began %s, computed with %v", began, kg)
	}
}

// A workflow that is called is given up with its step, under the key it is
// started with: its run may not be known yet.
func TestAGivenUpStepDropsWhatItCalled(t *testing.T) {
	for _, known := range []bool{false, true} {
		l := begin(t, script(t, "  - id: c\n    within: 1h\n    call: other\n    inputs: {}\n"),
			delivery(int64(30), int64(4)))
		start := l.next()
		if known {
			l.handle(start.Answer(&run.ChildBegan{Run: "child-1"}))
		}
		l.later = 2 * time.Hour
		l.tick()
		if len(l.pending) != 1 || !cancels(l.pending[0]) || l.pending[0].Key() != start.Key() {
			t.Errorf("known %t: %+v is sent, want that %s is no longer wanted", known, l.pending, start.Key())
		}
	}
}

// What was queued for a run is asked about before it is sent.
func TestAwaitsOnlyWhatIsOpen(t *testing.T) {
	l := begin(t, script(t, "  - id: row\n    tool: register/add\n    args: {kg: '${1}'}\n"),
		delivery(int64(30), int64(4)))
	errand := l.next()
	if !l.state.Awaits(errand) {
		t.Error("a call that was just made is not awaited")
	}
	l.handle(&run.Stop{By: "Ines Faro"})
	if l.state.Awaits(errand) {
		t.Error("a stopped run still wants its call made")
	}
}

// A plain no to a call that was sent before says nothing of the time before:
// that may have happened, and the next try is still the same call.
func TestARefusalAfterADoubtLeavesTheDoubt(t *testing.T) {
	l := begin(t,
		script(t,
			"  - id: gone\n    retry: {tries: 4, first: 1s}\n    tool: slots/remove\n"+
				"    args: {id: '${text(now())}'}\n"), delivery(int64(30), int64(4)))
	keys := map[string]bool{}
	for _, effect := range []run.Effect{run.Unsure, "", ""} {
		e := l.next()
		keys[e.Key()] = true
		l.handle(e.Answer(&run.Returned{Error: "no", Effect: effect}))
		l.later += time.Minute
		l.tick()
	}
	if keys[l.next().Key()] = true; len(keys) != 1 {
		t.Errorf("one call was sent under %d keys", len(keys))
	}
}

// What a person has sent again is another call: the one before, which may
// still be queued, is no longer wanted.
func TestTheCallBeforeOneSentAgainIsNotWanted(t *testing.T) {
	l := begin(t, script(t, "  - id: row\n    within: 1h\n    tool: register/add\n    args: {kg: '${1}'}\n"),
		delivery(int64(30), int64(4)))
	queued := l.next() // it waits for its connection to have room
	l.later = 2 * time.Hour
	l.tick()
	l.handle(&run.Decided{Review: l.openReview().ID, Choice: run.SendAgain, By: "Ines Faro"})
	if again := l.next(); l.state.Awaits(queued) || !l.state.Awaits(again) {
		t.Errorf("wanted are: the first %t, the second %t", l.state.Awaits(queued), l.state.Awaits(again))
	}
}

// cancels tells whether an errand gives a called run up.
func cancels(e run.Errand) bool {
	_, is := e.Task.(*run.Cancel)
	return is
}
