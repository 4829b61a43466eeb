package run_test

import (
	"strings"
	"testing"

	"woolsignal/core/run"
)

// talking is a conversation whose steps are these.
func talking(t *testing.T, steps string) *run.Definition {
	t.Helper()
	return definition(t, "\nworkflow: talk\ntitle: Talk\ntriggers:\n  - id: page\n    chat: {page: desk}\nsteps:\n"+
		steps)
}

// answered lets somebody write in the conversation, as an answer to the first step.
func (l *life) answered(text string) {
	l.t.Helper()
	s := chat(text)
	l.handle(&run.Heard{Step: "0", Signal: &s})
}

// words is what the run wrote since its beginning, one message a line.
func (l *life) words() string {
	l.t.Helper()
	var out []string
	for _, data := range l.journal {
		entry, err := run.DecodeEntry(data)
		if err != nil {
			l.t.Fatal(err)
		}
		for _, r := range entry.Records {
			if words, ok := r.(*run.WordsSaid); ok {
				out = append(out, words.Text)
			}
		}
	}
	return strings.Join(out, "\n")
}

func TestAQuestionIsAskedUntilItsAnswerIsValid(t *testing.T) {
	for name, c := range map[string]struct {
		step, said, gives string
	}{
		"any words": {"text: Which farm?", "Nettlecote", `done {"found":null,"tries":1,"value":"Nettlecote"}`},
		"a menu": {"{text: 'What for?', choices: [slots, prices]}", "hello|2",
			`done {"found":null,"tries":2,"value":"prices"}`},
		"a number": {"{text: 'How heavy?', valid: {type: number, minimum: 1}}", "much|0|412,5 kg",
			`done {"found":null,"tries":3,"value":412.5}`},
		"yes or no": {"{text: 'Wet?', valid: {type: boolean}}", "maybe|Yes.",
			`done {"found":null,"tries":2,"value":true}`},
		"a day": {"{text: 'When?', valid: {type: string, format: date}}", "2026-11-26",
			`done {"found":null,"tries":1,"value":"2026-11-26"}`},
		"by expression": {`{text: 'How many?', valid: {type: integer}, check: 'value % 2 == 0'}`, "3|4",
			`done {"found":null,"tries":2,"value":4}`},
		"too many tries": {"{text: 'Wet?', valid: {type: boolean}, tries: 2}", "a|b", "failed null"},
	} {
		t.Run(name, func(t *testing.T) {
			step := "  - question: " + c.step + "\n"
			if !strings.HasPrefix(c.step, "{") {
				step = "  - question:\n      " + c.step + "\n"
			}
			l := begin(t, talking(t, step), chat("hello"))
			for _, said := range strings.Split(c.said, "|") {
				if l.state.Status != run.Waiting {
					t.Fatalf("before %q the run is %s %s", said, l.state.Status, l.state.Because)
				}
				l.answered(said)
			}
			if got := l.output("0"); got != c.gives {
				t.Errorf("gives %s, want %s (%s)", got, c.gives, l.state.Because)
			}
		})
	}
}

func TestAQuestionSaysWhatIsWrongOrItsHint(t *testing.T) {
	l := begin(t, talking(t, "  - question: {text: 'What for?', choices: [slots, prices]}\n"), chat("hello"))
	l.answered("wool")
	if want := "What for?\nPlease choose one of: slots, prices."; l.words() != want {
		t.Errorf("it said %q, want %q", l.words(), want)
	}
	l = begin(t,
		talking(t,
			"  - question:\n      text: Which holding?\n      check: size(value) == 6\n"+
				"      not_valid: '${value} is not six digits.'\n"), chat("hello"))
	l.answered("12")
	if want := "Which holding?\n12 is not six digits."; l.words() != want {
		t.Errorf("it said %q, want %q", l.words(), want)
	}
}

func TestAnAnswerIsFoundInARegister(t *testing.T) {
	const step = "  - question:\n      text: Which day?\n      find: {tool: slots/find, args: {day: '${value}'}}\n"
	l := begin(t, talking(t, step), chat("hello"))
	l.answered("Sunday")
	first := l.next()
	if called(first).Args["day"] != "Sunday" {
		t.Fatalf("it looked for %v", called(first).Args)
	}
	l.handle(&run.Answer{Ticket: run.Ticket{Step: "0", Turn: first.Turn},
		Reply: &run.Returned{Error: "no such day", NotFound: true}})
	l.answered("Monday")
	second := l.next()
	if second.Key() == first.Key() {
		t.Errorf("both look-ups have the key %s", first.Key())
	}
	l.handle(&run.Answer{Ticket: run.Ticket{Step: "0", Turn: second.Turn},
		Reply: &run.Returned{Result: map[string]any{"windows": []any{}}}})
	l.answered("Friday")
	l.handle(&run.Answer{Ticket: run.Ticket{Step: "0", Turn: l.next().Turn},
		Reply: &run.Returned{Result: map[string]any{"windows": []any{"08:00"}}}})
	if got, want := l.output("0"), `done {"found":{"windows":["08:00"]},"tries":3,"value":"Friday"}`; got != want {
		t.Errorf("gives %s, want %s", got, want)
	}
	if !strings.Contains(l.words(), "I cannot find Sunday") || !strings.Contains(l.words(), "I cannot find Monday") {
		t.Errorf("it said %q", l.words())
	}
	// What is not valid and what is not found have words of their own.
	l = begin(t, talking(t, step+"      check: size(value) > 3\n      not_valid: 'In full, please.'\n"+
		"      not_found: 'We never unload on a ${value}.'\n"), chat("hello"))
	l.answered("Sun")
	l.answered("Sunday")
	l.returns(map[string]any{"windows": []any{}}, "")
	if want := "Which day?\nIn full, please.\nWe never unload on a Sunday."; l.words() != want {
		t.Errorf("it said %q, want %q", l.words(), want)
	}
	// Any other error is no answer of the person's.
	l = begin(t, talking(t, step), chat("hello"))
	l.answered("Sunday")
	l.returns(nil, "the register is closed")
	if l.state.Status != run.Failed || !strings.Contains(l.state.Because, "the register is closed") {
		t.Errorf("the run is %s %s", l.state.Status, l.state.Because)
	}
}

func TestNobodyAnswers(t *testing.T) {
	l := begin(t, talking(t, "  - question: {text: 'Who?', within: 2d}\n"), chat("hello"))
	if wake := l.state.Wake(); wake.Sub(noon).Hours() != 48 {
		t.Fatalf("it gives up at %s", wake)
	}
	l.later = l.state.Wake().Sub(noon)
	l.handle(&run.Tick{})
	if !strings.Contains(l.state.Because, "nobody answered within 2 days") {
		t.Errorf("the run is %s %s", l.state.Status, l.state.Because)
	}
}

// onServer is a message of a chat server's room.
func onServer(text string) run.Signal {
	s := chat(text)
	s.Via = &run.Via{Tool: "register/add", Args: map[string]any{"room": "docks", "thread": "t1"}}
	return s
}

func TestWordsGoBackToTheServerTheyCameFrom(t *testing.T) {
	l := begin(t,
		talking(t, "  - id: a\n    say: {text: Noted., buttons: [ok]}\n  - say:\n      text: ${a.message_id}\n"),
		onServer("hello"))
	first := l.next()
	if called(first).Tool != "register/add" || called(first).Args["room"] != "docks" ||
		called(first).Args["text"] != "Noted." || called(first).Args["buttons"].([]any)[0] != "ok" {
		t.Fatalf("it posted %+v", called(first))
	}
	l.handle(&run.Answer{Ticket: run.Ticket{Step: "0"}, Reply: &run.Returned{Result: map[string]any{"id": "m-7"}}})
	if second := l.next(); called(second).Args["text"] != "m-7" {
		t.Errorf("it posted %+v", called(second))
	}
}

func TestAQuestionOnAServerListensOnceItIsPosted(t *testing.T) {
	l := begin(t, talking(t, "  - question: {text: 'Wet?', valid: {type: boolean}}\n"), onServer("hello"))
	posted := l.next()
	s := chat("yes")
	if err := moved(l.def, l.state, noon, &run.Heard{Step: "0", Signal: &s}); err != run.ErrStale {
		t.Fatalf("it heard before it asked: %v", err)
	}
	// A service that stopped meanwhile posts it again, under the same key.
	again, err := run.Outstanding(l.def, l.state, noon)
	if err != nil || len(again) != 1 || again[0].Key() != posted.Key() {
		t.Fatalf("outstanding are %+v, %v", again, err)
	}
	l.handle(&run.Answer{Ticket: run.Ticket{Step: "0", Turn: posted.Turn},
		Reply: &run.Returned{Result: map[string]any{"id": "m-1"}}})
	l.answered("perhaps")
	if next := l.next(); next.Key() == posted.Key() {
		t.Errorf("both messages have the key %s", next.Key())
	} else {
		l.handle(&run.Answer{Ticket: run.Ticket{Step: "0", Turn: next.Turn},
			Reply: &run.Returned{Result: map[string]any{"id": "m-2"}}})
	}
	l.answered("no")
	if got, want := l.output("0"), `done {"found":null,"tries":2,"value":false}`; got != want {
		t.Errorf("gives %s, want %s", got, want)
	}
}

func TestAMissingConnectionIsAskedFor(t *testing.T) {
	for choice, want := range map[string]run.Status{run.GoOn: run.Done, run.GiveUp: run.Failed} {
		l := begin(t, talking(t, "  - tool: slots/find\n    args: {day: Friday}\n"), chat("hello"))
		e := l.next()
		l.handle(&run.Answer{Ticket: run.Ticket{Step: "0"},
			Reply: &run.Missing{Connection: "slots", Of: "builder", Why: "It has no key."}})
		review := l.openReview()
		if review.Kind != run.OfConnection || review.Needs != "slots" || l.state.Status != run.Waiting {
			t.Fatalf("the run is %s and asks %+v", l.state.Status, review)
		}
		l.handle(&run.Decided{Review: review.ID, Choice: choice, By: "Ines Faro"})
		if choice == run.GoOn {
			again := l.next()
			if again.Key() != e.Key() {
				t.Errorf("it is sent as %s, before as %s", again.Key(), e.Key())
			}
			l.handle(&run.Answer{Ticket: run.Ticket{Step: "0"}, Reply: &run.Returned{Result: map[string]any{}}})
		}
		if l.state.Status != want {
			t.Errorf("after %q the run is %s %s", choice, l.state.Status, l.state.Because)
		}
	}
}
