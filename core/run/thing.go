package run

import (
	"maps"
	"reflect"
	"slices"
	"strings"
	"time"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// thing is what a call is about, in words and with what changes of it.
func (m *machine) thing(r *Looked) *agent.Thing {
	if r.Error != "" {
		return &agent.Thing{Unknown: r.Error}
	}
	out := &agent.Thing{Words: m.told(r.Before), Before: r.Before, After: r.After}
	before, _ := r.Before.(map[string]any)
	after, _ := r.After.(map[string]any)
	for _, name := range slices.Sorted(maps.Keys(after)) {
		if was, is := before[name], after[name]; !nameless[name] && !reflect.DeepEqual(was, is) {
			out.Changes = append(out.Changes, agent.Change{Name: flow.Plain(name), Before: m.inWords(was),
				After: m.inWords(is)})
		}
	}
	return out
}

// nameless are values of a thing that say nothing to people.
var nameless = map[string]bool{"id": true, "uid": true, "row": true, "blob": true, "etag": true, "end": true,
	"repeats": true, "added": true, "changed": true}

// told says in a line what a thing is: its times first, then what else it has.
func (m *machine) told(v any) string {
	fields, is := v.(map[string]any)
	if !is {
		return m.inWords(v)
	}
	var times, others []string
	for _, name := range slices.Sorted(maps.Keys(fields)) {
		words := m.inWords(fields[name])
		switch {
		case nameless[name] || words == "":
		case isTime(fields[name]):
			times = append(times, words)
		default:
			others = append(others, words)
		}
	}
	return strings.Join(append(times, others...), ", ")
}

func isTime(v any) bool {
	text, _ := v.(string)
	_, err := time.Parse(time.RFC3339, text)
	return err == nil
}

// longestTold is how much of one value is told, in characters.
const longestTold = 120

// inWords says a value as people do; "" where there is nothing to say.
func (m *machine) inWords(v any) string {
	switch v := v.(type) {
	case string:
		if t, err := time.Parse(time.RFC3339, v); err == nil {
			return t.In(m.def.Zone).Format("Monday 2 January 2006, 15:04")
		}
		if letters := []rune(v); len(letters) > longestTold {
			return string(letters[:longestTold-1]) + "…"
		}
		return v
	case bool, int64, float64:
		return expr.Text(v)
	case []any:
		var parts []string
		for _, item := range v {
			if words := m.inWords(item); words != "" {
				parts = append(parts, words)
			}
		}
		return strings.Join(parts, "; ")
	case map[string]any:
		return m.told(v)
	}
	return ""
}
