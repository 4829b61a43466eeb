package flow_test

import (
	"strings"
	"testing"

	"woolsignal/core/flow"
)

// meantTools are tools that take more than words.
func meantTools(name string) (flow.Tool, bool) {
	if name != "slots/book" {
		return catalogue(name)
	}
	return flow.Tool{Name: name, Title: "Slots: book", Input: map[string]any{"type": "object",
		"additionalProperties": false, "properties": map[string]any{
			"day":     map[string]any{"type": "string", "format": "date"},
			"dock":    map[string]any{"type": "string", "enum": []any{"dock-1", "dock-2"}},
			"who":     map[string]any{"type": "string", "maxLength": 10.0},
			"minutes": map[string]any{"type": "integer", "minimum": 30.0, "maximum": 120.0}}}}, true
}

// meantFiles are a workspace with some steps, a question to read and a table
// with a column that may be empty.
func meantFiles(steps string) map[string]string {
	files := withSteps(steps)
	files["tables/tests.yaml"] = "table: tests\ntitle: Tests\nunique: sample\ncolumns:\n  - {name: sample}\n" +
		"  - {name: microns, type: number}\n"
	files["workflows/rows.yaml"] = "workflow: rows\ntitle: Rows\ntriggers:\n  - id: t\n    row: {table: tests}\n" +
		"steps:\n  - compute: {fine: 'ROW'}\n"
	files["workflows/rows.yaml"] = strings.Replace(files["workflows/rows.yaml"], "ROW", "signal.body.row > 1", 1)
	return files
}

const menu = "  - id: wish\n    review: {ask: owner, show: x, choices: [pay, not yet]}\n"

// TestWhatWasMeantIsSaid writes one slip at a time: it is told of, and its fix,
// where it has one, leaves nothing to say.
func TestWhatWasMeantIsSaid(t *testing.T) {
	for name, c := range map[string]struct{ steps, says, remedy, fix string }{
		"a choice that does not exist": {menu + "  - decide:\n      cases:\n        - when: wish.choice == \"payy\"\n" +
			"          do:\n            - label: {as: [x]}\n", `wish.choice is never "payy"`, "did you mean pay?",
			"pay"},
		"braces around an expression": {"  - when: ${signal.body.kg > 1}\n    label: {as: [x]}\n",
			"${ } belongs to texts", "write signal.body.kg > 1", "signal.body.kg > 1"},
		"braces in an expression": {"  - when: ${signal.body.kg} > ${1}\n    label: {as: [x]}\n",
			"${ } belongs to texts", "write the names alone", ""},
		"braces in a schema": {"  - id: a\n    model: medium\n    prompt: x\n" +
			"    answer: {type: object, required: [a], properties: {a: {const: '${signal.body.kg}'}}}\n" +
			"  - label: {as: ['${a.a}']}\n", "never filled in", "check it with an expression", ""},
		"a function of another name": {"  - compute: {a: 'rund(signal.body.kg)'}\n", "there is no function rund",
			"did you mean round?", "round"},
		"a method of another name": {"  - compute: {a: 'signal.body.grower.startWith(\"N\")'}\n",
			"there is no function startWith", "did you mean startsWith?", "startsWith"},
		"an argument of another name": {"  - tool: slots/book\n    args: {whom: Nettlecote}\n", "takes no whom",
			"did you mean who?", "who"},
		"a choice of a tool": {"  - tool: slots/book\n    args: {dock: dock-3}\n", `dock cannot be "dock-3"`,
			"did you mean dock-1?", "dock-1"},
		"a day as people write it": {"  - tool: slots/book\n    args: {day: 27.11.2026}\n",
			"day cannot be \"27.11.2026\"",
			"write a day", "2026-11-27"},
		"too long for a tool": {"  - tool: slots/book\n    args: {who: 'Nettlecote Farm'}\n",
			"who cannot be \"Nettlecote Farm\"", "of at most 10 characters", ""},
		"too much for a tool": {"  - tool: slots/book\n    args: {minutes: 600}\n", "minutes cannot be 600",
			"a whole number from 30 to 120", ""},
		"a rule that never holds": {"  - when: signal.body.kg > 5 && signal.body.kg < 3\n    label: {as: [x]}\n",
			"this never holds", "remove one", ""},
		"two texts at once": {"  - when: signal.body.grower == \"a\" && signal.body.grower == \"b\"\n" +
			"    label: {as: [x]}\n", "this never holds", "remove one", ""},
		"a case in the shadow of another": {"  - decide:\n      cases:\n        - when: signal.body.kg > 100\n" +
			"          do:\n            - label: {as: [x]}\n        - when: signal.body.kg > 200\n          do:\n" +
			"            - label: {as: [y]}\n", "this case is never reached", "move it up", ""},
		"an answer nobody reads": {"  - id: gist\n    model: medium\n    prompt: x\n",
			"nobody reads what the model of gist answers", "read gist", ""},
		"an answer nobody can read": {"  - model: medium\n    prompt: x\n", "nothing can read what this model answers",
			"give the step an id:", ""},
		"failures nobody reads": {"  - id: all\n    each:\n      of: '[1]'\n      do:\n" +
			"        - tool: slots/book\n          args: {who: Nettlecote}\n", "an item of all that fails",
			"read all.failures", ""},
		"an agent of another name": {"  - id: a\n    agent: clark\n    task: x\n  - label: {as: ['${a.text}']}\n",
			"there is no agent clark", "did you mean clerk?", "clerk"},
	} {
		files := meantFiles(c.steps)
		p := only(t, name, files)
		if p == nil {
			continue
		}
		if !strings.Contains(p.What, c.says) || !strings.Contains(p.Remedy, c.remedy) {
			t.Errorf("%s: %q (%q), want %q (%q)", name, p.What, p.Remedy, c.says, c.remedy)
		}
		if c.fix == "" {
			continue
		}
		if p.Fix == nil || p.Fix.Text != c.fix {
			t.Errorf("%s: the fix is %+v, want %q", name, p.Fix, c.fix)
			continue
		}
		mend(files, *p)
		w, found := flow.Decode(files)
		if found = append(found, w.Check(meantTools, "slots/book")...); len(found) > 0 {
			t.Errorf("%s, mended: %v", name, found)
		}
	}
}

// only is the one problem of some files.
func only(t *testing.T, name string, files map[string]string) *flow.Problem {
	t.Helper()
	w, found := flow.Decode(files)
	found = append(found, w.Check(meantTools, "slots/book")...)
	if len(found) != 1 {
		t.Errorf("%s: %v, want one problem", name, found)
		return nil
	}
	return &found[0]
}

// mend carries out a problem's fix.
func mend(files map[string]string, p flow.Problem) {
	lines := strings.Split(files[p.File], "\n")
	line := lines[p.Fix.Line-1]
	lines[p.Fix.Line-1] = line[:p.Fix.Column-1] + p.Fix.Text + line[p.Fix.End-1:]
	files[p.File] = strings.Join(lines, "\n")
}

// TestWhatIsFineIsLetPass writes what is near to a slip and is none.
func TestWhatIsFineIsLetPass(t *testing.T) {
	const covered = menu + "  - id: sort\n    decide:\n      cases:\n        - when: wish.choice == \"pay\"\n" +
		"          gives: {lane: a}\n        - when: wish.choice == \"not yet\"\n          gives: {lane: b}\n" +
		"  - label: {as: ['${sort.lane}']}\n"
	for name, steps := range map[string]string{
		"all choices are covered": covered,
		"a range":                 "  - when: signal.body.kg > 3 && signal.body.kg < 5\n    label: {as: [x]}\n",
		"a narrower case first": "  - decide:\n      cases:\n        - when: signal.body.kg > 200\n          do:\n" +
			"            - label: {as: [x]}\n        - when: signal.body.kg > 100\n          do:\n" +
			"            - label: {as: [y]}\n",
		"failures that are read": "  - id: all\n    each:\n      of: '[1]'\n      do:\n        - tool: slots/book\n" +
			"          args: {who: Nettlecote}\n  - label: {as: ['${size(all.failures)}']}\n",
		"an each that only reckons": "  - each:\n      of: '[1]'\n      do:\n        - compute: {a: item}\n",
		"a day as it is sent":       "  - tool: slots/book\n    args: {day: 2026-11-27}\n",
	} {
		w, found := flow.Decode(meantFiles(steps))
		for _, p := range append(found, w.Check(meantTools, "slots/book")...) {
			t.Errorf("%s: %v", name, p)
		}
	}
	missing := strings.Replace(covered,
		"        - when: wish.choice == \"not yet\"\n          gives: {lane: b}\n", "", 1)
	if p := only(t, "a choice left out", meantFiles(missing)); p == nil || p.What != "sort.lane may be missing" {
		t.Errorf("%v", p)
	}
}

// TestAnEmptyColumnIsNull reads a column that need not be filled in.
func TestAnEmptyColumnIsNull(t *testing.T) {
	for read, says := range map[string]string{
		"signal.body.microns * 2":                                   "signal.body.microns may be null",
		"signal.body.microns > 20":                                  "signal.body.microns may be null",
		"otherwise(signal.body.microns, 0) * 2":                     "",
		"signal.body.microns == null":                               "",
		"signal.body.microns != null && signal.body.microns > 20":   "",
		"signal.body.microns == null ? 0 : signal.body.microns * 2": "",
		"signal.body.sample + \" of \" + string(signal.body.row)":   "",
	} {
		files := meantFiles("  - label: {as: [x]}\n")
		files["workflows/rows.yaml"] = strings.Replace(files["workflows/rows.yaml"], "signal.body.row > 1", read, 1)
		w, found := flow.Decode(files)
		found = append(found, w.Check(meantTools)...)
		switch {
		case says == "" && len(found) > 0, says != "" && (len(found) != 1 || found[0].What != says):
			t.Errorf("%s: %v, want %q", read, found, says)
		case says != "":
			mend(files, found[0])
			if w, more := flow.Decode(files); len(append(more, w.Check(meantTools)...)) > 0 {
				t.Errorf("%s, mended: %v", read, w.Check(meantTools))
			}
		}
	}
}

// TestATabIsFound puts a tab before a line, wherever YAML stumbles.
func TestATabIsFound(t *testing.T) {
	files := meantFiles("  - label:\n\t  as: [x]\n")
	_, found := flow.Decode(files)
	if len(found) != 1 || !strings.Contains(found[0].What, "a tab stands before this line") || found[0].Fix == nil {
		t.Fatalf("%v", found)
	}
	mend(files, found[0])
	if _, more := flow.Decode(files); len(more) > 0 && strings.Contains(more[0].What, "tab") {
		t.Errorf("mended: %v", more)
	}
}

// TestSecretsByTheirNames writes secrets that no form gives away.
func TestSecretsByTheirNames(t *testing.T) {
	for line, secret := range map[string]bool{"X-Api-Key: 83f0aa91": true, "password: sheepdip12": true,
		"  api_key: '83f0aa91'": true, "client_secret: 83f0aa91": true, "password: ${signal.body.p}": false,
		"password:": false, "passwords: 83f0aa91": false, "client: 83f0aa91": false, "password: short": false} {
		files := meantFiles("  - label: {as: [x]}\n")
		files["connections/other.yaml"] = "connection: other\ntitle: Other\n" +
			"address: https://other.example\nhttp: {}\n# " + line + "\n"
		files["connections/other.yaml"] = strings.Replace(files["connections/other.yaml"], "# ", "", 1)
		w, found := flow.Decode(files)
		told := false
		for _, p := range append(found, w.Check(meantTools)...) {
			told = told || strings.Contains(p.What, "looks like a secret")
		}
		if told != secret {
			t.Errorf("%q is taken for a secret: %v", line, told)
		}
	}
}

// TestTheCauseStandsFirst breaks a connection and reads what follows from it.
func TestTheCauseStandsFirst(t *testing.T) {
	files := meantFiles("  - tool: yard/open\n")
	files["connections/yard.yaml"] = "connection: yard\n  title: [\n"
	w, found := flow.Decode(files)
	found = append(found, w.Check(meantTools)...)
	flow.SortProblems(found)
	if len(found) != 2 || found[0].File != "connections/yard.yaml" ||
		!strings.Contains(found[1].What, "cannot be read") {
		t.Errorf("%v", found)
	}
}
