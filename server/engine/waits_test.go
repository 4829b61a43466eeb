package engine

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/store"
	"woolsignal/server/testbed"
)

const callable = "inputs: {type: object, properties: {n: {type: number}, who: {type: string}}}\n"

// workshop is an engine over workflows of just these steps.
func workshop(t *testing.T, workflows map[string]string) (*Engine, *testbed.Bed) {
	t.Helper()
	files := map[string]string{"connections/key.yaml": "connection: key\ntitle: Key\n" +
		"signing_key: {scheme: standard-webhooks}\n"}
	for id, text := range workflows {
		files["workflows/"+id+".yaml"] = "workflow: " + id + "\ntitle: " + id + "\n" + text
	}
	bed := testbed.Open(t, files)
	return restart(t, nil, bed), bed
}

// restart stops an engine as a crash would, and starts another on the same
// store.
func restart(t *testing.T, e *Engine, bed *testbed.Bed) *Engine {
	t.Helper()
	if e != nil {
		e.stop()
		e.kill()
		e.working.Wait()
	}
	e = New(bed.Store, bed.Workspace, bed.Kit, bed.Secrets, bed.Scripts, slog.New(troubles{}))
	if err := e.Start(context.Background()); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { e.stop(); e.kill(); e.working.Wait() })
	return e
}

// troubles counts what the engine could not do.
type troubles struct{}

var troubled atomic.Int64

func (troubles) Enabled(_ context.Context, l slog.Level) bool { return l >= slog.LevelError }
func (troubles) Handle(context.Context, slog.Record) error    { troubled.Add(1); return nil }
func (h troubles) WithAttrs([]slog.Attr) slog.Handler         { return h }
func (h troubles) WithGroup(string) slog.Handler              { return h }

// call starts a workflow with inputs.
func call(t *testing.T, e *Engine, workflow string, inputs map[string]any) string {
	t.Helper()
	ticket, err := e.StartRun(context.Background(), workflow, false,
		&run.Signal{Kind: "called", Trigger: "called", Source: "/call", Body: inputs}, "")
	if err != nil {
		t.Fatal(err)
	}
	return ticket.Run
}

// becomes waits until a run has a status.
func becomes(t *testing.T, e *Engine, id string, wanted run.Status) *run.State {
	t.Helper()
	news, end := e.Hub.Listen()
	defer end()
	limit := time.After(patience)
	for {
		s, err := e.Fold(context.Background(), id)
		if err == nil && s.Status == wanted {
			return s
		}
		for came := false; !came; {
			select {
			case n := <-news:
				came = n.Run == id || n.Kind == "resync"
			case <-limit:
				t.Fatalf("the run is %s (%s), not %s; %v", s.Status, s.Because, wanted, err)
			}
		}
	}
}

func TestTimersSurviveARestart(t *testing.T) {
	e, bed := workshop(t, map[string]string{"sleep": callable + "steps:\n  - wait: {for: 700ms}\n"})
	var ids []string
	for range 20 {
		ids = append(ids, call(t, e, "sleep", nil))
	}
	becomes(t, e, ids[19], run.Waiting)
	e.runs.mu.Lock()
	if n := len(e.runs.byID); n != 0 {
		t.Errorf("%d sleeping runs are in memory", n)
	}
	e.runs.mu.Unlock()
	e = restart(t, e, bed)
	for _, id := range ids {
		s := becomes(t, e, id, run.Done)
		if slept := s.Ended.Sub(s.Started); slept < 700*time.Millisecond {
			t.Errorf("slept for %s", slept)
		}
	}
}

const listening = "  - id: answer\n    wait:\n      hear:\n" +
	"        webhook: {path: answers, verify: key, subject: '${signal.body.lot}'}\n        answering: ${inputs.who}\n" +
	"        match: heard.body.kg > 10\n      give_up_after: 1h\n"

func arrives(t *testing.T, e *Engine, id, subject string, kg int64) {
	t.Helper()
	if _, err := e.Receive(context.Background(), "",
		&run.Signal{ID: id, Source: "/in/answers", Kind: "webhook", Subject: subject,
			Body: map[string]any{"kg": kg}}); err != nil {
		t.Fatal(err)
	}
}

func TestASignalIsHeardByTheRunThatWaitsForIt(t *testing.T) {
	e, bed := workshop(t, map[string]string{"listen": callable + "steps:\n" + listening})
	one, other := call(t, e, "listen", map[string]any{"who": "lot-1"}), call(t, e, "listen",
		map[string]any{"who": "lot-2"})
	becomes(t, e, one, run.Waiting)
	becomes(t, e, other, run.Waiting)
	arrives(t, e, "a", "lot-3", 50) // nobody's
	arrives(t, e, "b", "lot-1", 5)  // does not match
	e = restart(t, e, bed)
	arrives(t, e, "c", "lot-1", 50)
	s := becomes(t, e, one, run.Done)
	if out := s.Step("0").Output.(map[string]any); out["came"] != true {
		t.Errorf("%v", out)
	}
	if s := becomes(t, e, other, run.Waiting); s.Step("0").Hearing == nil {
		t.Error("the other no longer listens")
	}
	var n int
	if err := bed.Store.Read().QueryRow("SELECT count(*) FROM hears").Scan(&n); err != nil || n != 1 {
		t.Errorf("%d listeners are kept (%v)", n, err)
	}
}

// TestEachPlaceHasIdsOfItsOwn sends the same id to two addresses that only runs
// which wait listen at: the senders know nothing of each other.
func TestEachPlaceHasIdsOfItsOwn(t *testing.T) {
	elsewhere := strings.ReplaceAll(listening, "path: answers", "path: replies")
	e, _ := workshop(t, map[string]string{"listen": callable + "steps:\n" + listening,
		"other": callable + "steps:\n" + elsewhere})
	one := call(t, e, "listen", map[string]any{"who": "lot-1"})
	other := call(t, e, "other", map[string]any{"who": "lot-1"})
	becomes(t, e, one, run.Waiting)
	becomes(t, e, other, run.Waiting)
	for _, source := range []string{"/in/answers", "/in/replies"} {
		if _, err := e.Receive(context.Background(), "", &run.Signal{ID: "1", Source: source, Kind: "webhook",
			Subject: "lot-1", Body: map[string]any{"kg": int64(50)}}); err != nil {
			t.Fatal(err)
		}
	}
	becomes(t, e, one, run.Done)
	becomes(t, e, other, run.Done)
}

func TestASignalThatCameBeforeIsNotMissed(t *testing.T) {
	e, _ := workshop(t, map[string]string{"listen": callable + "steps:\n  - wait: {for: 300ms}\n" + listening})
	id := call(t, e, "listen", map[string]any{"who": "lot-1"})
	arrives(t, e, "a", "lot-1", 50)
	arrives(t, e, "a", "lot-1", 50) // twice
	becomes(t, e, id, run.Done)
	late := call(t, e, "listen", map[string]any{"who": "lot-1"})
	listens := func() bool {
		s, err := e.Fold(context.Background(), late)
		return err == nil && s.Status == run.Waiting && s.Step("1") != nil && s.Step("1").Hearing != nil
	}
	await(t, "the late one listens", listens)
	await(t, "it has looked for what came before", func() bool {
		e.errands.mu.Lock()
		defer e.errands.mu.Unlock()
		return e.errands.out == 0 && len(e.errands.turns) == 0
	})
	if !listens() {
		t.Error("a run heard what came before it began")
	}
}

// TestAListenerOfJustBeforeACrashHears stops the engine after a step began to
// wait and before it looked into the inbox.
func TestAListenerOfJustBeforeACrashHears(t *testing.T) {
	e, bed := workshop(t, map[string]string{"listen": callable + "steps:\n" + listening})
	e.errands.pause(true) // so that it never looks
	id := call(t, e, "listen", map[string]any{"who": "lot-1"})
	becomes(t, e, id, run.Waiting)
	signal := &run.Signal{ID: "a", Source: "/in/answers", Kind: "webhook", Subject: "lot-1",
		Body: map[string]any{"kg": int64(50)}}
	data, err := json.Marshal(signal)
	if err != nil {
		t.Fatal(err)
	}
	var b store.Batch
	b.Do("INSERT INTO inbox (delivery, id, source, key, workflow, definition, state, at, signal) VALUES "+
		"('/ /in/answers', 'a', "+
		"'/in/answers', 'lot-1', '', '', 'kept', ?, ?)", store.Time(time.Now()), data)
	if err := bed.Store.Write(context.Background(), b); err != nil {
		t.Fatal(err)
	}
	e = restart(t, e, bed)
	becomes(t, e, id, run.Done)
}

func TestCalledWorkflowsGiveOrFail(t *testing.T) {
	e, bed := workshop(t, map[string]string{
		"double": callable + "gives: {n: '${two.n}'}\nsteps:\n  - wait: {for: 200ms}\n  - id: two\n" +
			"    compute: {n: 'inputs.n * 2'}\n",
		"parent": callable + "gives: {n: '${d.n}'}\nsteps:\n  - id: d\n    call: double\n" +
			"    inputs: {n: '${inputs.n}'}\n",
		"sad":    callable + "steps:\n  - call: broken\n    inputs: {}\n",
		"broken": callable + "steps:\n  - end_run: {outcome: failed, because: 'too wet'}\n",
	})
	id := call(t, e, "parent", map[string]any{"n": int64(4)})
	becomes(t, e, id, run.Waiting)
	e = restart(t, e, bed)
	if s := becomes(t, e, id, run.Done); fmt.Sprint(s.Result) != "map[n:8]" {
		t.Errorf("gives %v", s.Result)
	}
	sad := becomes(t, e, call(t, e, "sad", map[string]any{"who": "x"}), run.Failed)
	if !strings.Contains(sad.Because, "broken failed: too wet") {
		t.Errorf("because %q", sad.Because)
	}
	var untold int
	for end := time.Now().Add(5 * time.Second); ; time.Sleep(time.Millisecond) {
		err := bed.Store.Read().QueryRow("SELECT count(*) FROM runs WHERE tell IS NOT NULL").Scan(&untold)
		if err != nil || untold == 0 || time.Now().After(end) {
			break
		}
	}
	if untold != 0 {
		t.Errorf("the ends of %d runs were not told", untold)
	}
}

func TestStoppingARunStopsWhatItCalled(t *testing.T) {
	e, _ := workshop(t, map[string]string{
		"sleep":  callable + "steps:\n  - wait: {for: 1h}\n",
		"parent": callable + "steps:\n  - call: sleep\n    inputs: {}\n",
	})
	id := call(t, e, "parent", nil)
	child := becomes(t, e, id, run.Waiting).Step("0").Child
	if err := e.StopRun(context.Background(), id, run.Stop{By: "Elin"}); err != nil {
		t.Fatal(err)
	}
	becomes(t, e, child, run.Stopped)
}

// TestWhoWaitsForARunLeavesMemoryWithIt has runs wait for others: all are in memory while
// something moves, none while nothing does.
func TestWhoWaitsForARunLeavesMemoryWithIt(t *testing.T) {
	e, _ := workshop(t, map[string]string{
		"sleep":   callable + "steps:\n  - wait: {for: 1h}\n",
		"quick":   callable + "steps:\n  - compute: {n: '1'}\n",
		"between": callable + "steps:\n  - call: quick\n    inputs: {}\n  - call: sleep\n    inputs: {}\n",
		"parent":  callable + "steps:\n  - call: between\n    inputs: {}\n",
	})
	for range 20 {
		between := becomes(t, e, call(t, e, "parent", nil), run.Waiting).Step("0").Child
		for {
			if step := becomes(t, e, between, run.Waiting).Step("1"); step != nil && step.Child != "" {
				break
			}
		}
	}
	inMemory := func() int {
		e.runs.mu.Lock()
		defer e.runs.mu.Unlock()
		return len(e.runs.byID)
	}
	for end := time.Now().Add(10 * time.Second); inMemory() > 0 && time.Now().Before(end); {
		time.Sleep(time.Millisecond)
	}
	if n := inMemory(); n != 0 {
		t.Errorf("%d runs are in memory while all wait", n)
	}
}

// TestManyCalledAtOnceEndInTheirCallersRecord has runs end side by side that one run waits
// for: some as they begin, some after they rested.
func TestManyCalledAtOnceEndInTheirCallersRecord(t *testing.T) {
	numbered := "inputs: {type: object, required: [n], properties: {n: {type: number}}}\n"
	e, bed := workshop(t, map[string]string{
		"pure":  numbered + "steps:\n  - id: twice\n    compute: {n: 'inputs.n * 2'}\ngives: {n: '${twice.n}'}\n",
		"rests": numbered + "steps:\n  - wait: {for: 1s}\ngives: {n: '${inputs.n * 2}'}\n",
		"parent": callable + "steps:\n  - id: all\n    each:\n      of: '[1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12]'\n" +
			"      at_once: 12\n      do:\n" +
			"        - id: one\n          call: pure\n          inputs: {n: '${item}'}\n" +
			"        - id: other\n          call: rests\n          inputs: {n: '${one.n}'}\n" +
			"      gives: {n: '${other.n}'}\n  - compute: {failed: size(all.failures)}\n",
	})
	var parents []string
	for range 5 {
		parents = append(parents, call(t, e, "parent", nil))
	}
	for _, id := range parents {
		results, _ := becomes(t, e, id, run.Done).Step("0").Output.(map[string]any)["results"].([]any)
		for i, r := range results {
			if r.(map[string]any)["n"] != int64(4*(i+1)) {
				t.Errorf("the item %d gave %v", i, r)
			}
		}
		if len(results) != 12 {
			t.Errorf("%d results", len(results))
		}
	}
	if n := counted(t, bed, "SELECT count(*) FROM runs WHERE ended IS NULL OR tell IS NOT NULL"); n != 0 {
		t.Errorf("%d runs have not ended, or are still to be told of", n)
	}
}

// slowScripts are scripts that take until the channel is closed.
type slowScripts chan struct{}

func (s slowScripts) Run(context.Context, string, map[string]any, time.Duration) (any, error) {
	<-s
	return map[string]any{"n": int64(1)}, nil
}

// TestARunIsAtWorkWhileOneItCalledIs follows a run that waits for another, which waits for
// a third: that one is at work, then waits for a person.
func TestARunIsAtWorkWhileOneItCalledIs(t *testing.T) {
	e, bed := workshop(t, map[string]string{
		"below": callable + "steps:\n  - id: n\n    javascript: {inputs: {}, code: 'return {n: 1}'}\n" +
			"  - review: {ask: owner, show: 'hello'}\n",
		"middle": callable + "steps:\n  - call: below\n    inputs: {}\n",
		"top":    callable + "steps:\n  - call: middle\n    inputs: {}\n",
	})
	slow := make(slowScripts)
	e.scripts = slow
	id := call(t, e, "top", nil)
	await(t, "the last one is at work", func() bool {
		return counted(t, bed, "SELECT count(*) FROM runs WHERE workflow = 'below' AND status = 'running'") == 1
	})
	if becomes(t, e, id, run.Waiting); !e.AtWork(id) {
		t.Error("what it waits for is at work, and it is not")
	}
	close(slow)
	await(t, "a person is asked", func() bool { return counted(t, bed, "SELECT count(*) FROM reviews") == 1 })
	await(t, "nothing is at work", func() bool { return !e.AtWork(id) })
}

// TestOnlyWhoWaitsStandsInTheLine has a workflow wait for one that calls a third and goes
// on: nobody waits for that one, so that whoever calls from there closes no circle.
func TestOnlyWhoWaitsStandsInTheLine(t *testing.T) {
	e, bed := workshop(t, map[string]string{
		"top":  callable + "steps:\n  - call: mid\n    inputs: {}\n",
		"mid":  callable + "steps:\n  - call: last\n    await: false\n    inputs: {}\n",
		"last": callable + "steps:\n  - compute: {n: '1'}\n",
	})
	becomes(t, e, call(t, e, "top", nil), run.Done)
	for workflow, want := range map[string][]string{"mid": {"top"}, "last": nil} {
		var id string
		if err := bed.Store.Read().QueryRow("SELECT id FROM runs WHERE workflow = ?", workflow).Scan(&id); err != nil {
			t.Fatal(err)
		}
		if s := becomes(t, e, id, run.Done); !slices.Equal(s.Origin.Line, want) {
			t.Errorf("%v wait for %s, not %v", s.Origin.Line, workflow, want)
		}
	}
}

// TestACallerWaitsForWhatItsRunCalled has somebody wait for the answer of a run that calls
// another: the answer comes when that one is done, or none where that one asks a person.
func TestACallerWaitsForWhatItsRunCalled(t *testing.T) {
	for then, want := range map[string]bool{"": true, "  - review: {ask: owner, show: hello}\n": false} {
		e, bed := workshop(t, map[string]string{
			"slow": callable + "steps:\n  - id: n\n    javascript: {inputs: {}, code: 'return {n: 1}'}\n" + then,
			"asked": "triggers:\n  - id: hook\n    webhook: {path: asked, verify: key, answer: computed}\n" +
				"steps:\n  - call: slow\n    inputs: {}\n  - answer_caller: {status: 200, body: {n: '1'}}\n",
		})
		slow := make(slowScripts)
		e.scripts = slow
		ticket, err := e.Accept(context.Background(), Admission{Workflow: "asked", Signal: hook("d")})
		if err != nil {
			t.Fatal(err)
		}
		await(t, "what it called is at work", func() bool {
			return counted(t, bed, "SELECT count(*) FROM runs WHERE workflow = 'slow' AND status = 'running'") == 1
		})
		becomes(t, e, ticket.Run, run.Waiting)
		select {
		case <-ticket.answered:
			t.Error("who waits is told to go while the answer is being made")
		case <-time.After(20 * time.Millisecond): // nothing says that nothing comes
		}
		close(slow)
		if err := ticket.Answered(t.Context()); err != nil {
			t.Fatal(err)
		}
		if answer, err := ticket.Response(t.Context()); err != nil || (answer != nil) != want {
			t.Errorf("answered %v, %v", answer, err)
		}
	}
}

func TestAFailureStartsWhoLooksAfterIt(t *testing.T) {
	e, bed := workshop(t, map[string]string{
		"sad":   callable + "steps:\n  - compute: {n: '1 / 0'}\n",
		"other": callable + "steps:\n  - compute: {n: '1 / 0'}\n",
		"mishap": "triggers:\n  - id: f\n    failure: {workflows: [sad]}\nsteps:\n" +
			"  - compute: {why: signal.body.because}\n",
	})
	id := call(t, e, "sad", nil)
	call(t, e, "other", nil)
	var started string
	for end := time.Now().Add(5 * time.Second); started == "" && time.Now().Before(end); time.Sleep(time.Millisecond) {
		_ = bed.Store.Read().QueryRow("SELECT id FROM runs WHERE workflow = 'mishap'").Scan(&started)
	}
	s := becomes(t, e, started, run.Done)
	if body := s.Signal.Body.(map[string]any); body["run"] != id || body["workflow"] != "sad" {
		t.Errorf("told %v", body)
	}
	var n int
	if err := bed.Store.Read().QueryRow("SELECT count(*) FROM runs WHERE workflow = 'mishap'").Scan(&n); err != nil ||
		n != 1 {
		t.Errorf("%d runs look after one failure", n)
	}
}

func TestLimitsHold(t *testing.T) {
	e, bed := workshop(t, map[string]string{
		"grower": callable + "limits: {at_once: 3, same: {by: '${inputs.who}', at_once: 1}}\nsteps:\n" +
			"  - wait: {for: 40ms}\n",
	})
	var ids []string
	for i := range 12 {
		ids = append(ids, call(t, e, "grower", map[string]any{"who": fmt.Sprint("g", i%2)}))
	}
	most := 0
	for {
		var moving, open int
		if err := bed.Store.Read().QueryRow("SELECT coalesce(sum(status IN ('running','waiting')), 0), count(*) "+
			"FROM runs WHERE ended IS NULL").Scan(&moving, &open); err != nil {
			t.Fatal(err)
		}
		most = max(most, moving)
		if open == 0 {
			break
		}
		if len(ids) == 12 && open < 9 { // in the middle of it
			e = restart(t, e, bed)
			ids = ids[:0]
		}
	}
	if most != 2 {
		t.Errorf("%d runs of two keys went on at once", most)
	}
}

func TestOnlyTheLastBeforeItIsQuietIsCarriedOut(t *testing.T) {
	e, bed := workshop(t, map[string]string{"calm": callable +
		"limits: {same: {by: '${inputs.who}', quiet_for: 2s}}\nsteps:\n  - compute: {n: inputs.n}\n"})
	var last string
	for i := range 5 {
		last = call(t, e, "calm", map[string]any{"who": "g", "n": int64(i)})
	}
	becomes(t, e, last, run.Done)
	var stopped int
	if err := bed.Store.Read().QueryRow("SELECT count(*) FROM runs WHERE status = 'stopped'").
		Scan(&stopped); err != nil || stopped != 4 {
		t.Errorf("%d were passed over (%v)", stopped, err)
	}
}

func TestPausingHoldsEverythingAndLosesNothing(t *testing.T) {
	e, bed := workshop(t, map[string]string{"sleep": callable + "steps:\n  - wait: {for: 1s}\n"})
	before := call(t, e, "sleep", nil)
	if err := e.Pause(context.Background(), true); err != nil {
		t.Fatal(err)
	}
	during := call(t, e, "sleep", nil)
	e = restart(t, e, bed)
	time.Sleep(1200 * time.Millisecond) // past the time of the first
	if s := becomes(t, e, during, run.Queued); !s.Started.IsZero() {
		t.Error("a run began during the pause")
	}
	becomes(t, e, before, run.Waiting)
	if err := e.Pause(context.Background(), false); err != nil {
		t.Fatal(err)
	}
	becomes(t, e, before, run.Done)
	becomes(t, e, during, run.Done)
}

func TestTryingAndRepeating(t *testing.T) {
	e, bed := workshop(t, map[string]string{
		"sums": callable + "gives: {n: '${b.n}'}\nsteps:\n  - id: a\n    compute: {n: inputs.n}\n  - id: b\n" +
			"    compute: {n: '10 / a.n'}\n",
	})
	ctx := context.Background()
	id := call(t, e, "sums", map[string]any{"n": int64(0)})
	becomes(t, e, id, run.Failed)
	again, err := e.Again(ctx, Repeat{Run: id, From: "b", Edited: map[string]any{"a": map[string]any{"n": int64(5)}}})
	if err != nil {
		t.Fatal(err)
	}
	s := becomes(t, e, again.Run, run.Done)
	if fmt.Sprint(s.Result) != "map[n:2]" || !s.Step("0").Recorded || s.Step("1").Recorded {
		t.Errorf("repeated: %v", s.Result)
	}
	for name, r := range map[string]Repeat{
		"a step that is not there":  {Run: id, From: "c"},
		"a value that comes later":  {Run: id, From: "a", Edited: map[string]any{"b": int64(1)}},
		"a value of nowhere":        {Run: id, Edited: map[string]any{"a": int64(1)}},
		"from behind what happened": {Run: again.Run + "x", From: "a"},
	} {
		if _, err := e.Again(ctx, r); err == nil {
			t.Errorf("%s is repeated", name)
		}
	}
	tried, err := e.Try(ctx, Trial{Workflow: "sums", Step: "b", Run: id,
		Given: map[string]any{"a": map[string]any{"n": int64(4)}}})
	if err != nil {
		t.Fatal(err)
	}
	if out := becomes(t, e, tried.Run, run.Done).Step("0").Output; fmt.Sprint(out) != "map[n:2.5]" {
		t.Errorf("tried alone it gives %v", out)
	}
	more, err := e.AgainAll(ctx, []string{id, again.Run, "nosuch"}, true, "")
	if len(more) != 2 || !errors.Is(err, ErrNoRun) {
		t.Errorf("%v, %v", more, err)
	}
	if n := len(bed.Workspace.Now().Live); n != 1 {
		t.Errorf("%d live", n)
	}
}

func TestLongJournalsAreFoldedFromASnapshot(t *testing.T) {
	e, bed := workshop(t, map[string]string{"many": callable +
		"gives: {n: '${size(e.results)}'}\nsteps:\n  - id: e\n    each:\n      of: lists.range(60)\n      do:\n" +
		"        - wait: {for: 5ms}\n  - review: {ask: owner, show: all}\n"})
	id := call(t, e, "many", nil)
	await(t, "a person is asked", func() bool { return counted(t, bed, "SELECT count(*) FROM reviews") == 1 })
	s := becomes(t, e, id, run.Waiting)
	if at := counted(t, bed, "SELECT coalesce(max(seq), 0) FROM snapshots WHERE run = ?", id); at < snapshotSleeping {
		t.Errorf("the last snapshot is of entry %d", at)
	}
	entries, err := e.Journal(context.Background(), id)
	if err != nil {
		t.Fatal(err)
	}
	whole, err := run.Fold(id, entries)
	if err != nil || whole.Seq != s.Seq || whole.Status != s.Status {
		t.Errorf("the whole journal gives %+v, %v", whole, err)
	}
	var review string
	if err := bed.Store.Read().QueryRow("SELECT id FROM reviews").Scan(&review); err != nil {
		t.Fatal(err)
	}
	if err := e.Decide(context.Background(), id,
		run.Decided{Review: review, Choice: "approve", By: "Elin"}); err != nil {
		t.Fatal(err)
	}
	if s := becomes(t, e, id, run.Done); fmt.Sprint(s.Result) != "map[n:60]" {
		t.Errorf("it gives %v", s.Result)
	}
	if n := counted(t, bed, "SELECT count(*) FROM snapshots"); n != 0 {
		t.Errorf("%d snapshots of a run that ended", n)
	}
}

// However long a run gets, its snapshots together take no more than its
// journal does.
func TestSnapshotsGrowWithTheJournal(t *testing.T) {
	var k kept
	journal, snapshots := 0, 0
	for seq := int64(1); seq <= 50_000; seq++ {
		journal, k.grown = journal+150, k.grown+150
		if k.due(seq, seq%7 == 0) {
			size := int(seq) * 300 // a state that keeps more of an entry than its journal does
			snapshots += size
			k = kept{after: seq, size: size}
		}
	}
	if snapshots == 0 || snapshots > 4*journal {
		t.Errorf("%d bytes of journal, %d of snapshots", journal, snapshots)
	}
}

func TestABusyWorkflowDoesNotStarveOthers(t *testing.T) {
	d := newDispatcher(&Engine{})
	for i := range 5000 {
		d.queues["noisy"] = append(d.queues["noisy"],
			ready{Errand: run.Errand{Ticket: run.Ticket{Step: fmt.Sprint(i)}}})
	}
	d.queues["quiet"] = []ready{{Errand: run.Errand{Run: "quiet"}}}
	d.turns = []string{"noisy", "quiet"}
	for i := range 3 {
		if r, ok := d.next(); ok && r.Run == "quiet" {
			return
		} else if !ok {
			t.Fatal("nothing is next after", i)
		}
	}
	t.Error("three errands of a noisy workflow went before the one of a quiet one")
}

func TestConnectionsAreNotAskedMoreThanTheyAllow(t *testing.T) {
	d := newDispatcher(&Engine{})
	for range 10 {
		r := ready{peer: "register"}
		r.limits.AtOnce = 2
		d.queues["w"] = append(d.queues["w"], r)
	}
	d.turns = []string{"w"}
	sent := 0
	for _, ok := d.next(); ok; _, ok = d.next() {
		sent++
	}
	if sent != 2 {
		t.Errorf("%d were sent at once", sent)
	}
}
