package run_test

import (
	"encoding/json"
	"math"
	"reflect"
	"testing"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/run"
)

// odd are values in forms no journal gives back as they are.
func odd() any {
	return map[string]any{"whole": 50.0, "large": float64(1 << 60), "number": json.Number("4.50"), "int": 7,
		"nothing": math.NaN(),
		"most":    math.Inf(1), "least": math.Inf(-1), "bytes": []byte("fleece"), "broken": "a\xffb",
		"at":    time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC),
		"texts": []string{"a", "b"}, "beyond": json.Number("1e999")}
}

// fill puts odd values wherever a record may hold one.
func fill(v reflect.Value, depth int) {
	if depth > 8 {
		return
	}
	switch v.Kind() {
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		fill(v.Elem(), depth+1)
	case reflect.Struct:
		switch v.Type() {
		case reflect.TypeFor[time.Time]():
			return
		case reflect.TypeFor[run.BlockName]():
			v.Set(reflect.ValueOf(run.BlockName{Word: "case", Number: 2}))
			return
		}
		for i := range v.NumField() {
			fill(v.Field(i), depth+1)
		}
	case reflect.Interface:
		v.Set(reflect.ValueOf(odd()))
	case reflect.Map:
		if v.Type().Elem().Kind() == reflect.Interface {
			v.Set(reflect.ValueOf(odd()))
		}
	case reflect.Slice:
		one := reflect.New(v.Type().Elem()).Elem()
		fill(one, depth+1)
		v.Set(reflect.Append(v, one))
	case reflect.String:
		v.SetString("x")
	case reflect.Int64:
		v.SetInt(3)
	}
}

// Every value of every kind of record, in whatever field, is after the gate
// what a journal gives back: a field that is forgotten in it fails here.
func TestEveryValueHasOneForm(t *testing.T) {
	for _, r := range run.Happenings() {
		fill(reflect.ValueOf(r).Elem(), 0)
		run.Gate(r)
		data, err := run.EncodeEntry(run.Entry{Form: run.Form, Seq: 1, At: noon, Records: []run.Record{r}})
		if err != nil {
			t.Errorf("%T: %v", r, err)
			continue
		}
		back, err := run.DecodeEntry(data)
		if err != nil {
			t.Errorf("%T: %v in %s", r, err, data)
		} else if !reflect.DeepEqual(back.Records[0], r) {
			t.Errorf("%T: in memory\n%#v\nand folded\n%#v", r, r, back.Records[0])
		}
	}
	ended := &run.StepEnded{Output: odd()}
	run.Gate(ended)
	values := ended.Output.(map[string]any)
	for name, want := range map[string]any{"whole": int64(50), "large": int64(1 << 60), "number": 4.5, "int": int64(7),
		"nothing": "NaN", "most": "Infinity",
		"least": "-Infinity", "bytes": "fleece", "broken": "a\uFFFDb", "at": "2026-11-23T12:00:00Z",
		"texts": []any{"a", "b"}, "beyond": "1e999"} {
		if !reflect.DeepEqual(values[name], want) {
			t.Errorf("%s is %#v, want %#v", name, values[name], want)
		}
	}
}

// A run that goes on from memory, from its journal or from a snapshot is the
// same run.
func TestARunIsTheSameFromMemoryJournalAndSnapshot(t *testing.T) {
	def := definition(t, `
workflow: desk
title: Desk
triggers:
  - id: page
    chat: {page: desk}
steps:
  - id: load
    question:
      text: How many?
      valid: {type: number}
      find: {tool: slots/find, args: {day: "${text(value)}"}}
      not_valid: "Not ${value * 2}"
`)
	l := begin(t, def, chat("hi"))
	said := chat("412.5")
	l.handle(&run.Heard{Step: "0", Signal: &said})
	for name, state := range map[string]*run.State{"memory": l.state,
		"journal and snapshot": resumed(t, def, l.journal, 0).state} {
		not := l.pending[0].Answer(&run.Returned{Error: "nope", NotFound: true})
		if err := moved(def, state, noon.Add(time.Minute), not); err != nil || state.Because != "" {
			t.Errorf("from %s: %v %s", name, err, state.Because)
		}
	}
}

// A database's NaN, or a text that is no UTF-8, leaves no run hanging.
func TestWhatJSONCannotSayIsWritten(t *testing.T) {
	def := definition(t,
		"\nworkflow: desk\ntitle: Desk\ntriggers:\n  - id: page\n    chat: {page: desk}\nsteps:\n  - id: look\n"+
			"    tool: slots/find\n    args: {day: Monday}\n  - label: {as: [\"${look.mean}\"]}\n")
	l := begin(t, def, chat("hi"))
	l.returns(map[string]any{"mean": math.NaN()}, "")
	if l.state.Status != run.Done || len(l.state.Labels) != 1 || l.state.Labels[0] != "NaN" {
		t.Errorf("%s %s %v", l.state.Status, l.state.Because, l.state.Labels)
	}
	if _, err := run.EncodeState(l.state); err != nil {
		t.Error(err)
	}
}

// Which of several bad texts is named first does not change from one look to
// the next.
func TestTheSameErrorComesEachTime(t *testing.T) {
	def := definition(t,
		"\nworkflow: desk\ntitle: Desk\ntriggers:\n  - id: page\n    chat: {page: desk}\nsteps:\n  - say:\n"+
			"      text: \"${signal.body.a}\"\n      picture: \"${signal.body.b}\"\n"+
			"      layout: \"${signal.body.c}\"\n")
	first := begin(t, def, chat("hi")).state.Because
	for range 40 {
		if again := begin(t, def, chat("hi")).state.Because; again != first {
			t.Fatalf("%q, and before %q", again, first)
		}
	}
}

// Words of a model that are no UTF-8 are the same in memory and folded.
func TestWordsAreTheSameInMemoryAndFolded(t *testing.T) {
	def := definition(t,
		"\nworkflow: desk\ntitle: Desk\ntriggers:\n  - id: page\n    chat: {page: desk}\nsteps:\n  - id: answer\n"+
			"    agent: clerk\n    task: ${signal.text}\n")
	l := begin(t, def, chat("hi\xff"))
	l.recalls(agent.Message{Role: "user", Text: "before\xfe"})
	l.says("bro\xffken")
	folded := resumed(t, def, l.journal, 0).state
	if a, b := text(t, l.state.Step("0").Output), text(t, folded.Step("0").Output); a != b ||
		folded.Signal.Text != l.state.Signal.Text {
		t.Errorf("%s in memory, %s folded", a, b)
	}
}

func text(t *testing.T, v any) string {
	t.Helper()
	data, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}
