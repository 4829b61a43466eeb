package main

import (
	"os"
	"regexp"
	"strings"
	"testing"

	"woolsignal/core/flow"
)

// listed reads the words of one part of docs/words.md, each line one meaning.
func listed(t *testing.T, part string) map[string]bool {
	t.Helper()
	text, err := os.ReadFile("../../docs/words.md")
	if err != nil {
		t.Fatal(err)
	}
	_, rest, _ := strings.Cut(string(text), "\n## "+part+"\n")
	rest, _, _ = strings.Cut(rest, "\n## ")
	out := map[string]bool{}
	for _, line := range regexp.MustCompile("(?m)^- (`.*?`): .").FindAllStringSubmatch(rest, -1) {
		for word := range strings.SplitSeq(line[1], ", ") {
			word = strings.Trim(word, "`")
			if out[word] {
				t.Errorf("%s stands twice in docs/words.md, and a word means one thing", word)
			}
			out[word] = true
		}
	}
	return out
}

// compare tells which words are in one list alone.
func compare(t *testing.T, part string, there map[string]bool) {
	t.Helper()
	known := listed(t, part)
	for word := range there {
		if !known[word] {
			t.Errorf("docs/words.md does not say what %s means", word)
		}
	}
	for word := range known {
		if !there[word] {
			t.Errorf("docs/words.md tells of %s, which is no word of the %s any more", word, part)
		}
	}
}

func TestTheWordsOfFilesAreListed(t *testing.T) {
	there := map[string]bool{}
	var walk func(fields []flow.Field)
	walk = func(fields []flow.Field) {
		for _, f := range fields {
			there[f.Name] = true
			walk(f.Fields)
		}
	}
	l := flow.TheLanguage()
	for _, file := range l.Files {
		walk(file.Fields)
	}
	for _, k := range l.Steps {
		there[k.Name] = true
		walk(k.Fields)
	}
	for _, k := range l.Triggers {
		there[k.Name] = true
		walk(k.Fields)
	}
	walk(l.Step)
	walk(l.Connection)
	for _, p := range l.Protocols {
		walk(p.Fields)
	}
	compare(t, "Fields of files", there)
}

func TestTheCommandsAreListed(t *testing.T) {
	there := map[string]bool{}
	for _, c := range commands() {
		there[c.name] = true
	}
	compare(t, "Commands", there)
}
