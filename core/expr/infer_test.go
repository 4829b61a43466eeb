package expr_test

import (
	"strconv"
	"strings"
	"testing"

	"woolsignal/core/expr"
	"woolsignal/core/fuzztest"
	"woolsignal/core/shape"
)

// known are the values the expressions below may see.
func known() expr.Names {
	lot := shape.Map(map[string]shape.Shape{"kg": shape.Number(), "grower": shape.Text()})
	body := shape.Shape{"type": "object", "required": []any{"kg"}, "properties": map[string]any{
		"kg": map[string]any{"type": "number"}, "notes": map[string]any{"type": "string"}}}
	return expr.NamesOf(map[string]expr.Type{
		"net": {Shape: shape.Map(map[string]shape.Shape{"kg": shape.Number(), "at": shape.Time(), "odd": nil,
			"lane": shape.Text()}, "lane")},
		"row":     {Shape: shape.Map(map[string]shape.Shape{"id": shape.Number()}), Optional: true},
		"lots":    {Shape: shape.List(lot)},
		"signal":  {Shape: shape.Map(map[string]shape.Shape{"body": body})},
		"other":   {},
		"perhaps": {Shape: shape.Union(lot, shape.Null())},
	})
}

func TestExpressionsAreTyped(t *testing.T) {
	for source, kind := range map[string]string{
		`net.kg * 2`:                               "number",
		`"a" + string(net.kg)`:                     "text",
		`net.kg > 3 && net.kg < 5`:                 "bool",
		`lots.map(l, l.kg)`:                        "list",
		`lots.filter(l, l.kg > 2)[0].grower`:       "text",
		`lots.map(l, {"g": l.grower})[0].g`:        "text",
		`lots.exists(l, l.kg > 2)`:                 "bool",
		`sum(lots.map(l, l.kg))`:                   "number",
		`lots.groupBy(l, l.grower)[0].items[0].kg`: "number",
		`now() - duration("1h")`:                   "text",
		`net.kg > 2 ? "wet" : "dry"`:               "text",
		`net.kg > 2 ? "wet" : 1`:                   "",
		`row.?id.orValue(0)`:                       "number",
		`row.hasValue()`:                           "bool",
		`net.?lane.orValue("none")`:                "text",
		`signal.body.?notes.orValue("")`:           "text",
		`otherwise(signal.body.notes, "")`:         "text",
		`otherwise(net.lane, "none")`:              "text",
		`otherwise(perhaps.kg, 0) + 1`:             "number",
		`otherwise(lots.first().kg, 0)`:            "number",
		`daysBetween(now(), addMonths(now(), 1))`:  "number",
		`other.anything.at.all`:                    "",
		`lots.sortBy(l, l.kg)[0].kg`:               "number",
		`lots.map(l, l.kg).first().orValue(1)`:     "number",
		`math.ceil(net.kg)`:                        "number",
		`perhaps == null ? 0 : perhaps.kg`:         "number",
		`perhaps != null && perhaps.kg > 1`:        "bool",
		`perhaps == null || perhaps.kg > 1`:        "bool",
	} {
		p, err := expr.Compile(source)
		if err != nil {
			t.Errorf("%s: %v", source, err)
			continue
		}
		got, findings := p.Infer(known())
		for _, f := range findings {
			t.Errorf("%s: %s", source, f.What)
		}
		if k := got.Shape.Kind(); k != kind || got.Optional {
			t.Errorf("%s is %q (%v), want %q", source, k, got, kind)
		}
	}
}

func TestWhatDoesNotFitIsFound(t *testing.T) {
	for source, want := range map[string]string{
		`nett.kg`:                   "0 there is no nett here|",
		`1 + net.kgs`:               "4 net.kgs: there is no kgs|net has at, kg, lane, odd",
		`row.id`:                    "0 row may be missing|otherwise(row.id",
		`net.lane`:                  "0 net.lane may be missing|otherwise(net.lane",
		`signal.body.notes`:         "0 signal.body.notes may be missing|otherwise(signal.body.notes",
		`net.kg + " kg"`:            "7 a number and a text cannot be added|string(",
		`net.kg == "3"`:             "7 a number never equals a text|without quotes",
		`net.at > now()`:            "7 a text and a time cannot be compared|time(",
		`net.kg && true`:            "0 net.kg is a number, and a yes or no|",
		`lots.filter(l, l.kgs > 2)`: "15 l.kgs: there is no kgs|l has grower, kg",
		`net.kg.map(x, x)`:          "0 net.kg is a number, and only a list|",
		`lots.map(l, l.grower).exists(g, g == 3)`:  "34 a text never equals a number|",
		`lots.groupBy(l, l.grower).map(b, b.name)`: "33 b.name: there is no name|items, key",
		`perhaps.kg`:                        "0 perhaps.kg may be missing|",
		`perhaps != null || perhaps.kg > 1`: "19 perhaps.kg may be missing|",
		`net["kgs"]`:                        "0 net.kgs: there is no kgs|",
		`lots.map(l, l.kg).first() + 1`:     "8 this may be missing|put otherwise(",
	} {
		p, err := expr.Compile(source)
		if err != nil {
			t.Errorf("%s: %v", source, err)
			continue
		}
		_, findings := p.Infer(known())
		if len(findings) == 0 {
			t.Errorf("%s: nothing was found", source)
			continue
		}
		f := findings[0]
		what, remedy, _ := strings.Cut(want, "|")
		at, what, _ := strings.Cut(what, " ")
		if got := strings.TrimSpace(strings.Join([]string{strconv.Itoa(f.Offset), f.What},
			" ")); !strings.HasPrefix(got, at+" "+what) || !strings.Contains(f.Remedy, remedy) {
			t.Errorf("%s: %s (%s), want %s", source, got, f.Remedy, want)
		}
	}
}

func FuzzExpression(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	for _, source := range []string{`lots.groupBy(l, l.grower)[0].items`, `net.?lane.orValue("none")`,
		`math.ceil(1.5) == 2.0`, `lots.sortBy(l, l.kg).map(l, l.kg)[0]`, `now() - time("2026-11-23")`,
		`parseCsv("a\n1")[0].a`, `x == null ? 1 : x.y`} {
		f.Add(source)
	}
	f.Fuzz(func(t *testing.T, source string) {
		p, err := expr.Compile(source)
		if err != nil {
			return
		}
		p.Infer(known())
		_, _ = p.Eval(scope())
	})
}
