package flow_test

import (
	"encoding/json"
	"strings"
	"testing"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/fuzztest"
	"woolsignal/core/schema"
)

// withSteps is the sound workspace with other steps in its webhook workflow.
func withSteps(steps string) map[string]string {
	all := files()
	all["woolsignal.yaml"] += "model: medium\n"
	head, _, _ := strings.Cut(all["workflows/intake.yaml"], "steps:\n")
	all["workflows/intake.yaml"] = head + "steps:\n" + steps
	all["workflows/called.yaml"] = "workflow: called\ntitle: Called\n" +
		"inputs: {type: object, required: [kg], properties: {kg: {type: number}}}\n" +
		"result: {type: object, required: [n], properties: {n: {type: number}}}\ngives: {n: '${two.n}'}\nsteps:\n" +
		"  - id: two\n    compute: {n: 'inputs.kg * 2'}\n"
	return all
}

// TestTheWholeLanguageIsChecked holds one thing that is wrong, or right,
// against what the checker says of it; "" says nothing.
func TestTheWholeLanguageIsChecked(t *testing.T) {
	const each = "  - id: rows\n    each:\n      of: '[1, 2]'\n      do:\n        - id: n\n" +
		"          compute: {x: item}\n      gives: {x: '${n.x}'}\n"
	const judged = "  - decide:\n      cases:\n        - judge: It is wet.\n" +
		"          going_by: ${signal.body.grower}\n" +
		"          gives: {lane: wet}\n"
	for name, c := range map[string]struct{ steps, want string }{
		"each":                     {each + "  - compute: {a: 'rows.results[0].x + 1'}\n", ""},
		"each, a field of an item": {each + "  - compute: {a: 'rows.results[0].y'}\n", "there is no y"},
		"each over a number": {"  - each:\n      of: signal.body.kg\n",
			"is a number, and each goes through a list"},
		"item outside":               {"  - compute: {a: item}\n", "there is no item here"},
		"an inner step from outside": {each + "  - compute: {a: n.x}\n", "there is no n here"},
		"enough without finish": {strings.Replace(each, "      gives",
			"      enough: value.x > 1\n      gives", 1), "add finish: first"},
		"finish without enough": {strings.Replace(each, "      gives", "      finish: first\n      gives", 1),
			"nothing says which result is enough"},
		"enough that is no yes": {strings.Replace(each, "      gives",
			"      finish: first\n      enough: value.x\n      gives", 1), "a yes or no is needed"},
		"one branch": {"  - together:\n      branches:\n        - id: a\n" +
			"          gives: {x: '1'}\n", "nothing to do at the same time"},
		"two branches of one name": {"  - together:\n      branches:\n        - id: a\n        - id: a\n",
			"two branches called a"},
		"a branch's value": {"  - id: t\n    together:\n      branches:\n        - id: a\n" +
			"          gives: {x: '${1}'}\n        - id: b\n          gives: {y: '${2}'}\n" +
			"  - compute: {s: 't.a.x + t.b.y'}\n", ""},
		"a branch that may be cancelled": {"  - id: t\n    together:\n      finish: first\n" +
			"      enough: value.x == 1\n      branches:\n        - id: a\n          gives: {x: '${1}'}\n" +
			"        - id: b\n          gives: {x: '${2}'}\n  - compute: {s: t.a.x}\n", "t.a may be missing"},
		"a repeat without end": {"  - repeat:\n      gives: {x: '1'}\n      till: last.x == 2\n",
			"this repeat has no end"},
		"a repeat that reads last": {"  - repeat:\n      do:\n        - id: n\n" +
			"          compute: {v: 'last.?v.orValue(0) + 1'}\n      gives: {v: '${n.v}'}\n      till: last.v > 3\n" +
			"      rounds_at_most: 9\n", ""},
		"last before there is one": {"  - repeat:\n      gives: {v: '${last.v}'}\n      till: last.v > 3\n" +
			"      rounds_at_most: 9\n", "last may be missing"},
		"hear without a limit": {"  - wait:\n      hear: {webhook: {path: a, verify: key}, answering: x}\n",
			"how long to listen"},
		"hear, matched": {"  - id: h\n    wait:\n" +
			"      hear: {webhook: {path: a, verify: key, accepts: schemas/delivery.json}, answering: x, match: " +
			"'heard.body.kg > 3'}\n      give_up_after: 2wd\n  - compute: {k: 'h.?signal.?body.?kg.orValue(0)'}\n", ""},
		"hear, what may not have come": {"  - id: h\n    wait:\n" +
			"      hear: {webhook: {path: a, verify: key}, answering: x}\n      give_up_after: 2wd\n" +
			"  - compute: {k: h.signal.body}\n", "h.signal may be missing"},
		"hear with no such key": {"  - wait:\n      hear: {webhook: {path: a, verify: kee}, answering: x}\n" +
			"      give_up_after: 2d\n", "no signing key called kee"},
		"hear what another key verifies": {"  - wait:\n      " +
			"hear: {webhook: {path: intake, verify: other}, answering: x}\n" +
			"      give_up_after: 2d\n", "is verified with another key"},
		"till what is no time":  {"  - wait: {till: signal.body.kg}\n", "till needs a time"},
		"two kinds of wait":     {"  - wait: {for: 2d, till: now()}\n", "has two kinds"},
		"no duration":           {"  - wait: {for: soon}\n", `"soon" is not a duration`},
		"judged without unsure": {judged, "what happens when the judgement is unsure"},
		"judged with else only": {judged + "      otherwise: {gives: {lane: dry}}\n", "goes the way of otherwise"},
		"judged by no model": {judged + "      model: gigantic\n      unsure: {gives: {lane: x}}\n",
			"no connection offers the model gigantic"},
		"a floor for nothing": {"  - decide:\n      floor: 0.5\n      cases:\n" +
			"        - when: signal.body.kg > 1\n", "floor belongs to judged cases"},
		"a floor above one": {judged + "      floor: 7\n", "floor must be from 0 to 1"},
		"a case of both": {"  - decide:\n      cases:\n        - when: 'true'\n          judge: wet\n",
			"one rule or by one judgement"},
		"a case below one that holds": {"  - decide:\n      cases:\n        - when: 'true'\n" +
			"        - when: signal.body.kg > 1\n", "never reached: the one above"},
		"the same rule twice": {"  - decide:\n      cases:\n        - when: signal.body.kg > 1\n" +
			"        - when: signal.body.kg > 1\n", "the same rule"},
		"a step behind cases that stop": {"  - decide:\n      cases:\n        - when: signal.body.kg > 1\n" +
			"          do:\n            - end_run: {because: a}\n      otherwise:\n        do:\n" +
			"          - end_run: {because: b}\n  - compute: {a: '1'}\n", "never reached"},
		"a value only one case gives": {"  - id: d\n    decide:\n      cases:\n" +
			"        - when: signal.body.kg > 1\n          gives: {a: x}\n      otherwise:\n        gives: {b: y}\n" +
			"  - compute: {c: d.a}\n", "d.a may be missing"},
		"a case that stops gives nothing": {"  - id: d\n    decide:\n      cases:\n" +
			"        - when: signal.body.kg > 1\n          do:\n            - end_run: {because: a}\n" +
			"      otherwise:\n        gives: {b: y}\n  - compute: {c: d.b}\n", ""},
		"a step that may be skipped": {"  - id: a\n    when: signal.body.kg > 1\n    compute: {x: '1'}\n" +
			"  - compute: {b: a.x}\n", "a may be missing"},
		"… read as optional": {"  - id: a\n    when: signal.body.kg > 1\n    compute: {x: '1'}\n" +
			"  - compute: {b: 'a.?x.orValue(2)'}\n", ""},
		"if_fails gives otherwise": {"  - id: a\n    if_fails: {gives: {y: '${failure.message}'}}\n" +
			"    compute: {x: '1'}\n  - compute: {b: a.x}\n", "a.x may be missing"},
		"if_fails misspelt": {"  - if_fails: cary_on\n    compute: {x: '1'}\n",
			"if_fails cannot be cary_on"},
		"too many retries": {"  - retry: {tries: 1001}\n    compute: {x: '1'}\n",
			"tries must be from 2 to 100"},
		"call": {"  - id: c\n    call: called\n    inputs: {kg: '${signal.body.kg}'}\n" +
			"  - compute: {x: 'c.n + 1'}\n", ""},
		"call with a wrong kind": {"  - call: called\n    inputs: {kg: '${signal.body.grower}'}\n",
			"called takes a number as kg, and this gives a text"},
		"call without what is needed": {"  - call: called\n", "called needs kg"},
		"call of what gives no such": {"  - id: c\n    call: called\n    inputs: {kg: '${1}'}\n" +
			"  - compute: {x: c.m}\n", "there is no m"},
		"call of nobody":                {"  - call: caled\n", "there is no workflow caled"},
		"call of what cannot be called": {"  - call: desk\n", "cannot be called"},
		"call of itself":                {"  - call: intake\n", "cannot be called"},
		"model with a shape": {"  - id: m\n    model: medium\n    prompt: Which?\n" +
			"    answer: {type: object, required: [lane], properties: {lane: {type: string}}}\n" +
			"  - compute: {x: 'm.lane + \"!\"'}\n", ""},
		"a shape that is none": {"  - model: medium\n    prompt: Which?\n    answer: {type: lane}\n",
			"answer: "},
		"a model nobody offers": {"  - model: giant\n    prompt: Which?\n",
			"no connection offers the model giant"},
		"a fill of an argument": {"  - tool: slots/find\n    fill: {day: 'The day in it'}\n", ""},
		"a fill nobody reads": {"  - tool: slots/find\n    args: {day: x}\n" +
			"    fill: {week: 'The week in it'}\n", "no argument reads fill.week"},
		"a fill within words": {"  - tool: slots/find\n    args: {day: 'on ${fill.word}'}\n" +
			"    fill: {word: 'The day in it'}\n", ""},
		"an argument both ways": {"  - tool: slots/find\n    args: {day: x}\n    fill: {day: 'The day'}\n",
			"both under args and under fill"},
		"an argument of a wrong kind": {"  - tool: slots/find\n    args: {day: '${signal.body.kg}'}\n",
			"takes a text as day, and this gives a number"},
		"a script":              {"  - javascript: {inputs: {kg: '${signal.body.kg}'}, code: 'return kg'}\n", ""},
		"a script without code": {"  - javascript: {inputs: {kg: '1'}}\n", "the key code is missing"},
		"a script's odd name": {"  - javascript: {inputs: {'the kg': '1'}, code: 'return 1'}\n",
			"cannot be a name in the script"},
		"an empty label":   {"  - label: {as: []}\n", "marked with nothing"},
		"comparing kinds":  {"  - compute: {a: 'signal.body.kg == \"3\"'}\n", "a number never equals a text"},
		"a text in braces": {"  - label: {as: [late]}\n  - compute: {a: 1 + 2}\n", "stands unquoted in braces"},
		"a cut text":       {"  - end_run:\n      because: Lot ${signal.body.kg} #3\n", "is cut: YAML reads"},
		"a leading zero":   {"  - end_run:\n      because: 0123\n", "loses its leading zero"},
		"a leading bang":   {"  - when: !signal.ok\n    compute: {a: '1'}\n", "loses its text"},
		"a reserved value": {"  - compute: {item: '1'}\n", "already means something"},
	} {
		found := problems(withSteps(c.steps))
		said := ""
		for _, p := range found {
			said += p.String() + "\n"
		}
		if c.want == "" && flow.Wrongs(found) > 0 || !strings.Contains(said, c.want) {
			t.Errorf("%s:\n%swant %q", name, said, c.want)
		}
	}
}

func TestWorkflowsThatCallEachOtherRoundAndRound(t *testing.T) {
	all := files()
	for from, to := range map[string]string{"a": "b", "b": "c", "c": "a"} {
		all["workflows/"+from+".yaml"] = "workflow: " + from +
			"\ntitle: X\ninputs: {type: object}\nsteps:\n  - call: " + to + "\n"
	}
	found := problems(all)
	if len(found) != 3 || !strings.Contains(found[0].What, "a → b → c → a") || found[0].Why == "" {
		t.Errorf("%v", found)
	}
}

func TestSeveralTriggersAreToldApart(t *testing.T) {
	all := files()
	two := "triggers:\n  - id: page\n    chat: {page: p}\n  - id: scale\n" +
		"    webhook: {path: two, verify: key, accepts: schemas/delivery.json}\n"
	for steps, want := range map[string]string{
		"  - compute: {a: signal.body.kg}\n":                                        "may be missing",
		"  - when: signal.trigger == \"scale\"\n    compute: {a: signal.body.kg}\n": "",
		"  - decide:\n      cases:\n        - when: signal.trigger == \"scale\" && 1 < 2\n" +
			"          gives: {a: '${signal.body.kg}'}\n": "",
		"  - when: signal.trigger == \"scale\" || 1 < 2\n    compute: {a: signal.body.kg}\n": "may be missing",
	} {
		all["workflows/two.yaml"] = "workflow: two\ntitle: Two\n" + two + "steps:\n" + steps
		said := ""
		for _, p := range problems(all) {
			said += p.String()
		}
		if want == "" && said != "" || !strings.Contains(said, want) {
			t.Errorf("%s: %q, want %q", steps, said, want)
		}
	}
}

func TestSchedules(t *testing.T) {
	for text, want := range map[string]string{
		"{every: 15m}":                        "Every 15 minutes",
		"{cron: '0 8 * * 1-5', missed: once}": "At the times of 0 8 * * 1-5; missed times count once",
		"{day_of_month: -3, at: '09:30', zone: Europe/London}": "On the 3rd-last day of each month at 09:30 " +
			"in Europe/London",
		"{day_of_month: -1, at: '09:30'}": "On the last day of each month at 09:30",
		"{day_of_month: 1, missed: all}":  "On the 1st day of each month at 00:00; missed times are made up for",
		"{cron: '0 8 * *'}":               "!no cron expression",
		"{cron: '0 0 31 2 *'}":            "!never comes",
		"{day_of_month: 0}":               "!is not a day of a month",
		"{every: 1h, at: '09:30'}":        "!at belongs to day_of_month",
		"{every: 1h, cron: '0 8 * * *'}":  "!two kinds",
		"{every: 1h, zone: Moon}":         "!is not a time zone",
		"{every: 1h, missed: later}":      "!missed cannot be",
		"{day_of_month: 1, at: noon}":     "!is not a time of day",
	} {
		all := files()
		all["workflows/timed.yaml"] = "workflow: timed\ntitle: Timed\ntriggers:\n  - id: t\n    schedule: " + text +
			"\nsteps:\n  - label: {as: [x]}\n"
		w, found := flow.Decode(all)
		if wrong, ok := strings.CutPrefix(want, "!"); ok {
			if len(found) == 0 || !strings.Contains(found[0].String(), wrong) {
				t.Errorf("%s: %v, want %q", text, found, wrong)
			}
			continue
		}
		if got := w.Explain(w.Workflows["timed"], catalogue)[0].Text(); got != want || len(found) > 0 {
			t.Errorf("%s reads %q (%v), want %q", text, got, found, want)
		}
	}
}

func TestSecretsInFilesAreFound(t *testing.T) {
	all := files()
	all["connections/models.yaml"] += "# whsec_d29vbC1zaWduYWwtYmVuY2gta2V5LTAwMDAwMDAw\n"
	found := problems(all)
	if len(found) != 1 || found[0].Line != 8 || !strings.Contains(found[0].What, "secret") ||
		!strings.Contains(found[0].Remedy, "woolsignal connect") {
		t.Errorf("%v", found)
	}
}

// TestFixesPutRight applies the fixes the checker offers and wants the problem
// gone.
func TestFixesPutRight(t *testing.T) {
	for old, new := range map[string]string{
		"half: signal.body.kg / 2":   "half: signal.body.kgg / 2",
		"title: Intake":              "titel: Intake",
		"answer: computed":           "answer: computd",
		", answer: computed}":        "}",
		"when: net.half > 10":        "when: net.hal > 10",
		"workflow: intake":           "workflow: intak",
		"lane: clean":                "lane: !clean",
		"      lane: ${sort.lane}\n": "      lane: ${sort.lan}\n",
	} {
		all := files()
		text := strings.Replace(all["workflows/intake.yaml"], old, new, 1)
		if text == all["workflows/intake.yaml"] {
			t.Fatalf("the file holds no %q", old)
		}
		all["workflows/intake.yaml"] = text
		fixed := false
		for _, p := range problems(all) {
			if p.Fix == nil || p.File != "workflows/intake.yaml" {
				continue
			}
			lines := strings.Split(text, "\n")
			l := lines[p.Fix.Line-1]
			lines[p.Fix.Line-1] = l[:p.Fix.Column-1] + p.Fix.Text + l[p.Fix.End-1:]
			text, fixed = strings.Join(lines, "\n"), true
			break
		}
		all["workflows/intake.yaml"] = text
		if left := problems(all); !fixed || flow.Wrongs(left) > 0 {
			t.Errorf("%q after its fix:\n%s\n%v", new, text, left)
		}
	}
}

func TestSchemasOfFilesCompile(t *testing.T) {
	for _, kind := range flow.FileKinds() {
		text, ok := flow.FileSchema(kind)
		doc, err := expr.DecodeJSON([]byte(text))
		if err != nil || !ok {
			t.Fatalf("%s: %v", kind, err)
		}
		if _, err := schema.Compile(doc.(map[string]any)); err != nil {
			t.Errorf("%s: %v", kind, err)
		}
	}
	if _, ok := flow.FileSchema("../x"); ok {
		t.Error("a schema of nothing")
	}
}

func TestScriptsAreToldApart(t *testing.T) {
	w, _ := flow.Decode(files())
	before := w.Explain(w.Workflows["intake"], catalogue)
	all := files()
	all["workflows/intake.yaml"] = strings.Replace(all["workflows/intake.yaml"], "net.half > 10", "net.half > 20", 1)
	v, _ := flow.Decode(all)
	var said []string
	for _, l := range flow.DiffScripts(before, v.Explain(v.Workflows["intake"], catalogue)) {
		if l.How != "same" {
			said = append(said, l.How+" "+strings.TrimSpace(l.Line))
		}
	}
	if got := strings.Join(said,
		"\n"); got != "removed if half of net is more than 10, giving lane day of free:\n"+
		"added if half of net is more than 20, giving lane day of free:" {
		t.Errorf("%s", got)
	}
	if text := flow.DiffTexts("a", "one\ntwo\n", "one\nthree\n"); !strings.Contains(text, "-two\n+three\n") ||
		flow.DiffTexts("a", "x", "x") != "" {
		t.Errorf("%q", text)
	}
}

func TestProblemsAreForProgramsToo(t *testing.T) {
	all := files()
	all["workflows/intake.yaml"] = strings.Replace(all["workflows/intake.yaml"], "net.half > 10", "net.hal > 10", 1)
	data, err := json.Marshal(problems(all))
	if err != nil || !strings.Contains(string(data), `"fix":{"line":13,"column":21,"end":24,"text":"half"}`) {
		t.Errorf("%s %v", data, err)
	}
}

func FuzzCheckWorkspace(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	f.Add(files()["workflows/intake.yaml"])
	f.Add("workflow: x\nsteps:\n  - each: {of: '[1]', do: [{repeat: {till: 'true'}}]}\n" +
		"  - wait: {hear: {webhook: {}}}\n")
	f.Fuzz(func(t *testing.T, text string) {
		all := files()
		all["workflows/intake.yaml"] = text
		w, _ := flow.Decode(all)
		w.Check(catalogue)
		for _, one := range w.Workflows {
			w.Explain(one, catalogue)
		}
	})
}
