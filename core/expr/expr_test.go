package expr_test

import (
	"errors"
	"fmt"
	"reflect"
	"strings"
	"testing"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/fuzztest"
)

func scope() expr.Scope {
	body, _ := expr.DecodeJSON([]byte(`{"gross_kg": 412.5, "tare_kg": 31, "bales": 2.0, "notes": "dry", "Gross kg": ` +
		`7, "lots": [{"kg": 1}, {"kg": 2.5}]}`))
	return expr.Scope{
		Names: map[string]any{"signal": map[string]any{"body": body},
			"skipped": expr.Optional{}, "ran": expr.Optional{Value: map[string]any{"id": int64(7)}, There: true}},
		Now: time.Date(2026, 3, 29, 0, 30, 0, 0, time.UTC),
	}
}

func TestOneKindOfNumber(t *testing.T) {
	for source, want := range map[string]any{
		`7 / 2`:        3.5,
		`6 / 2`:        int64(3),
		`7 / 2 == 3.5`: true,
		`signal.body.gross_kg - signal.body.tare_kg`:       381.5,
		`signal.body.bales == 2`:                           true,
		`signal.body.bales * 2 + 0.5`:                      4.5,
		`signal.body.bales % 2`:                            int64(0),
		`[10, 20, 30][signal.body.bales]`:                  int64(30),
		`"fleece".substring(signal.body.bales)`:            "eece",
		`2.5 * 2`:                                          int64(5),
		`9007199254740993 + 0`:                             int64(9007199254740993),
		`1 < 1.5 && signal.body.bales <= 2.0`:              true,
		`round(2.345, 2)`:                                  2.35,
		`round(2.5)`:                                       int64(3),
		`-signal.body.tare_kg`:                             int64(-31),
		`"a" + "b"`:                                        "ab",
		`signal.body["Gross kg"] + 1`:                      int64(8),
		`signal.body.lots.map(l, l.kg * 2)`:                []any{int64(2), int64(5)},
		`signal.body.?colour.orValue("grey")`:              "grey",
		`now()`:                                            "2026-03-29T00:30:00Z",
		`string(now() + duration("1h"))`:                   "2026-03-29T01:30:00Z",
		`[10, 20, 30][math.ceil(1.2)]`:                     int64(30),
		`"fleece".substring(2.0)`:                          "eece",
		`"fleece".substring(math.floor(2.9))`:              "eece",
		`true ? 1 : 2.5`:                                   int64(1),
		`true ? "a" : 2`:                                   "a",
		`[1, 2, 2.5].sort()`:                               []any{int64(1), int64(2), 2.5},
		`[{"k": 2.5}, {"k": 1}].sortBy(r, r.k)[0].k`:       int64(1),
		`2 in [1, 2.5, 2.0]`:                               true,
		`sum(signal.body.lots.map(l, l.kg))`:               3.5,
		`average([1, 2])`:                                  1.5,
		`text([1, "a", null], ", ")`:                       "1, a, ",
		`text({"a": 1})`:                                   `{"a":1}`,
		`parseJson("[1.0, 2]")[0] + 1`:                     int64(2),
		`toJson({"a": [1, 2.50]})`:                         `{"a":[1,2.5]}`,
		`parseCsv("grower,kg\nNettlecote,12\n")[0].grower`: "Nettlecote",
		`toCsv([{"grower": "Skell Top", "kg": 3}])`:        "grower,kg\nSkell Top,3\n",
		`[{"g": "a", "k": 1}, {"g": "b", "k": 2}, {"g": "a", "k": 3}].groupBy(r, r.g).map(b, b.key + ":" + ` +
			`text(sum(b.items.map(i, i.k))))`: []any{"a:4", "b:2"},
		`formatTime(now(), "%d.%m.%Y %H:%M")`:                               "29.03.2026 00:30",
		`workingDays("2026-11-20", 1) == time("2026-11-23")`:                true,
		`workingDaysBetween("2026-11-20", "2026-11-24")`:                    int64(2),
		`time("2026-11-23 14:30") - time("2026-11-23")`:                     "14h30m0s",
		`skipped.?id.orValue("none")`:                                       "none",
		`ran.?id.orValue("none")`:                                           int64(7),
		`skipped.hasValue()`:                                                false,
		`otherwise(skipped.id, "none")`:                                     "none",
		`otherwise(skipped, "none")`:                                        "none",
		`otherwise(ran.id, "none")`:                                         int64(7),
		`otherwise(signal.body.colour.name, "grey")`:                        "grey",
		`otherwise(signal.body.notes.first, "none")`:                        "none",
		`otherwise(signal.body.lots[1].kg, 0)`:                              2.5,
		`otherwise(signal.body.lots[2].kg, 0)`:                              int64(0),
		`otherwise(signal.body["Gross kg"], 0)`:                             int64(7),
		`otherwise({"a": null}.a, "none")`:                                  "none",
		`otherwise([1, 2].first(), 0)`:                                      int64(1),
		`otherwise(signal.body.notes, "") + "!"`:                            "dry!",
		`formatTime(addMonths("2026-01-31", 1), "%d.%m.%Y")`:                "28.02.2026",
		`daysBetween("2026-03-28 23:30", "2026-03-30 00:10")`:               int64(2),
		`formatTime(startOf("2026-11-26 14:30", "week"), "%d.%m.%Y %H:%M")`: "23.11.2026 00:00",
	} {
		p, err := expr.Compile(source)
		if err != nil {
			t.Errorf("%s: %v", source, err)
			continue
		}
		if got, err := p.Eval(scope()); err != nil || !reflect.DeepEqual(got, want) {
			t.Errorf("%s = %#v, %v; want %#v", source, got, err, want)
		}
	}
}

func TestErrorsSayWhatIsWrong(t *testing.T) {
	for source, want := range map[string]string{
		`1 / 0`:                 "division by zero",
		`1 % 0`:                 "division by zero",
		`1.5 % 0`:               "division by zero",
		`signal.body.colour`:    "there is no colour",
		`signal.body.notes - 1`: "cannot be combined",
		`signal.body.tare_kg +`: "breaks off",
		``:                      "empty",
		`nosuch(1)`:             "there is no function nosuch",
		`time("tomorrow")`:      "is not a time",
		`[1, "a"].sort()`:       "cannot be put in an order",
		`sum([1, "a"])`:         "one of these is a text",
		`parseJson("{")`:        "not JSON",
		`parseCsv("a,b\n1")`:    "not CSV",
		`average([])`:           "empty list",
	} {
		p, err := expr.Compile(source)
		if err == nil {
			_, err = p.Eval(scope())
		}
		var e *expr.Error
		if !errors.As(err, &e) || !strings.Contains(e.Message, want) {
			t.Errorf("%q: %v; want %q", source, err, want)
		}
	}
}

func TestWorkIsBounded(t *testing.T) {
	list := make([]any, 3000)
	for i := range list {
		list[i] = int64(i)
	}
	p, err := expr.Compile(`l.all(a, l.all(b, l.all(c, a + b + c >= 0)))`)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := p.Eval(expr.Scope{Names: map[string]any{"l": list}}); err == nil ||
		!strings.Contains(err.Error(), "too much work") {
		t.Errorf("a cubic expression gave %v", err)
	}
}

func TestReferences(t *testing.T) {
	p, err := expr.Compile(`net.kg > 2 && has(row.id) && xs.exists(x, x.kg == signal.body["Gross kg"]) && ` +
		`row.?lane.orValue("") == ""`)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, r := range p.References {
		got = append(got, fmt.Sprint(strings.Join(r.Path, "."), r.Tested))
	}
	want := []string{"net.kgfalse", "row.idtrue", "xsfalse", "signal.body.Gross kgfalse", "row.lanetrue"}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("references %v, want %v", got, want)
	}
}

func TestTexts(t *testing.T) {
	for source, want := range map[string]any{
		"${signal.body.gross_kg}":       412.5,
		"Net ${signal.body.tare_kg} kg": "Net 31 kg",
		"costs $${5}":                   "costs ${5}",
		`${{"a": "}"}.a}!`:              "}!",
		"plain":                         "plain",
		"":                              "",
		"${signal.body.lots}":           []any{map[string]any{"kg": int64(1)}, map[string]any{"kg": 2.5}},
		"x${null}y":                     "xy",
		"lots:\n${signal.body.lots.map(l, l.kg)}": "lots:\n1\n2.5",
	} {
		tpl, err := expr.CompileText(source)
		if err != nil {
			t.Errorf("%q: %v", source, err)
			continue
		}
		if got, err := tpl.Eval(scope()); err != nil || !reflect.DeepEqual(got, want) {
			t.Errorf("%q = %#v, %v; want %#v", source, got, err, want)
		}
	}
	if _, err := expr.CompileText("broken ${signal.text"); err == nil || !strings.Contains(err.Error(), "closing }") {
		t.Errorf("an unclosed expression gave %v", err)
	}
	var e *expr.Error
	if _, err := expr.CompileText("kg: ${1 +}"); !errors.As(err, &e) || e.Offset < 6 {
		t.Errorf("the offset of a mistake inside a text: %+v", e)
	}
}

func TestValuesPutInAreNotEvaluatedAgain(t *testing.T) {
	tpl, err := expr.CompileText("said: ${text}")
	if err != nil {
		t.Fatal(err)
	}
	got, err := tpl.Eval(expr.Scope{Names: map[string]any{"text": "${1+1}"}})
	if err != nil || got != "said: ${1+1}" {
		t.Errorf("%v, %v", got, err)
	}
}

func FuzzCompileText(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	f.Add("a ${signal.text} $${ ${ {\"a\": 1} }")
	f.Fuzz(func(t *testing.T, source string) {
		if tpl, err := expr.CompileText(source); err == nil {
			_, _ = tpl.Eval(scope())
		}
	})
}

func ExampleTemplate_Eval() {
	text, _ := expr.CompileText("Net weight is ${kg / 2} kg.")
	out, _ := text.Eval(expr.Scope{Names: map[string]any{"kg": int64(7)}})
	fmt.Println(out)
	// Output: Net weight is 3.5 kg.
}
