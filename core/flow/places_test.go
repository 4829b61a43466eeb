package flow_test

import (
	"maps"
	"strings"
	"testing"

	"woolsignal/core/flow"
)

const server = "connection: shieling\ntitle: Shieling\naddress: https://shieling.example\nchat_server: {events: key}\n"

// Of two triggers that claim one place, nobody could say which gets what is
// said there: the checker refuses it, whichever kind of place it is.
func TestNoTwoTriggersShareAPlace(t *testing.T) {
	for name, c := range map[string]struct{ one, other, says string }{
		"webhooks": {"webhook: {path: scale, verify: key}", "webhook: {path: scale, verify: key}",
			"the workflow a already has the webhook path scale"},
		"forms": {"form: {page: join, title: Join, fields: [{name: farm}]}",
			"form: {page: join, title: Join, fields: [{name: farm}]}",
			"the workflow a already has the form's page join"},
		"lines": {"phone: {path: hill, verify: key}", "phone: {path: hill, verify: key}",
			"the workflow a already has the telephone line hill"},
		"open pages": {"chat: {page: desk, open: true}", "chat: {page: desk, open: true}",
			"the workflow a already has the chat page desk"},
		"pages": {"chat: {page: desk}", "chat: {page: desk, open: true}",
			"the workflow a already has the chat page desk"},
		"rooms": {"chat: {connection: shieling, room: gang}", "chat: {connection: shieling, room: Gang}",
			"the workflow a already has the room Gang of shieling"},
		"private messages": {"chat: {connection: shieling, direct: true}", "chat: {connection: shieling, direct: true}",
			"the workflow a already has the private messages of shieling"},
		"a room and page": {"chat: {connection: shieling, room: gang}", "chat: {page: gang}", ""},
		"two rooms":       {"chat: {connection: shieling, room: gang}", "chat: {connection: shieling, room: shed}", ""},
		"mailboxes":       {"failure: {}", "failure: {}", ""},
	} {
		all := map[string]string{"woolsignal.yaml": "name: Larkrigg\nzone: Europe/London\n",
			"connections/shieling.yaml": server,
			"connections/key.yaml":      "connection: key\ntitle: Key\nsigning_key: {scheme: standard-webhooks}\n"}
		for id, trigger := range map[string]string{"a": c.one, "b": c.other} {
			all["workflows/"+id+".yaml"] = "workflow: " + id + "\ntitle: " + id + "\ntriggers:\n  - id: it\n    " +
				trigger + "\nsteps:\n  - compute: {x: '1'}\n"
		}
		found := problems(all)
		if c.says == "" && flow.Wrongs(found) > 0 || c.says != "" &&
			(len(found) != 1 || found[0].File != "workflows/b.yaml" || found[0].Line != 4 || found[0].What != c.says) {
			t.Errorf("%s: %v", name, found)
		}
	}
}

// Whoever is named to answer must be somebody who is here.
func TestWhoIsNamedMustBeHere(t *testing.T) {
	for of, says := range map[string]string{
		"tobias@larkrigg.example": "", "Tobias@Larkrigg.example": "", "reviewer": "", "grading-lead": "",
		"tobais@larkrigg.example": "nobody here has the e-mail tobais@larkrigg.example",
		"nobody":                  "nobody is called nobody",
		"gone":                    "nobody of the team gone is here", "empty": "the team empty has no members",
	} {
		files := map[string]string{
			"woolsignal.yaml": "name: Larkrigg\nzone: Europe/London\nteams:\n" +
				"  grading-lead: [tobias@larkrigg.example, left@larkrigg.example]\n  gone: [left@larkrigg.example]\n" +
				"  empty: []\n",
			"workflows/it.yaml": "workflow: it\ntitle: It\ninputs: {type: object}\nsteps:\n  - review: {ask: '" + of +
				"', show: hello}\n",
		}
		w, decoded := flow.Decode(files)
		if len(decoded) > 0 {
			t.Fatal(decoded)
		}
		offline := flow.Wrongs(w.Check(catalogue))
		w.People = map[string]bool{"tobias@larkrigg.example": true}
		var wrong []string
		for _, p := range w.Check(catalogue) {
			if p.Severity == flow.Wrong {
				wrong = append(wrong, p.What)
			}
		}
		if strings.Join(wrong, "|") != says {
			t.Errorf("%s: %v, want %q", of, wrong, says)
		}
		if strings.Contains(says, "e-mail") && offline > 0 {
			t.Errorf("%s: whoever has no list of people refuses it", of)
		}
	}
}

// Workflows that start themselves by the rows they write are told of.
func TestRowsThatStartTheirWriter(t *testing.T) {
	base := map[string]string{"woolsignal.yaml": "name: Larkrigg\nzone: Europe/London\n",
		"tables/lots.yaml":  "table: lots\ntitle: Lots\ncolumns: [{name: farm}]\n",
		"tables/notes.yaml": "table: notes\ntitle: Notes\ncolumns: [{name: farm}]\n"}
	workflow := func(id, watched, tool string) string {
		return "workflow: " + id + "\ntitle: " + id + "\ninputs: {type: object}\ntriggers:\n  - id: it\n    row: " +
			watched + "\nsteps:\n" + tool
	}
	for name, c := range map[string]struct {
		files map[string]string
		says  string
	}{
		"itself": {map[string]string{"a": workflow("a", "{table: lots, happens: added}",
			"  - tool: lots/add\n    args: {farm: x}\n")}, "a run of this writes rows that start it again: a → a"},
		"the other way": {map[string]string{"a": workflow("a", "{table: lots, happens: changed}",
			"  - tool: lots/add\n    args: {farm: x}\n")}, ""},
		"another table": {map[string]string{"a": workflow("a", "{table: lots, happens: added}",
			"  - tool: notes/add\n    args: {farm: x}\n")}, ""},
		"by another": {map[string]string{"a": workflow("a", "{table: lots, happens: added}",
			"  - tool: notes/add\n    args: {farm: x}\n"),
			"b": workflow("b", "{table: notes, happens: either}", "  - tool: lots/add\n    args: {farm: x}\n")},
			"a run of this writes rows that start it again: a → b → a"},
		"by one it calls": {map[string]string{"a": workflow("a", "{table: lots, happens: added}",
			"  - call: b\n    inputs: {}\n"),
			"b": "workflow: b\ntitle: b\ninputs: {type: object}\nsteps:\n  - tool: lots/add\n    args: {farm: x}\n"},
			"a run of this writes rows that start it again: a → b → a"},
	} {
		files := maps.Clone(base)
		for id, text := range c.files {
			files["workflows/"+id+".yaml"] = text
		}
		w, decoded := flow.Decode(files)
		if len(decoded) > 0 {
			t.Fatal(name, decoded)
		}
		found := ""
		for _, p := range w.Check(func(tool string) (flow.Tool, bool) {
			return flow.Tool{Name: tool, Title: tool, Input: map[string]any{"type": "object"}}, true
		}) {
			if p.Severity != flow.Remark {
				t.Errorf("%s: %v", name, p)
			} else if p.File == "workflows/a.yaml" {
				found = p.What
			}
		}
		if found != c.says {
			t.Errorf("%s: %q, want %q", name, found, c.says)
		}
	}
}
