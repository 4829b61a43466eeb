package console_test

import (
	"bufio"
	"encoding/json"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"testing"

	"go.yaml.in/yaml/v3"
)

// driver reads a text and an act a line, and writes what became of it.
const driver = `
import { act, copied } from './splice.mjs'
import { createInterface } from 'node:readline'
for await (const line of createInterface({ input: process.stdin })) {
  const { text, act: a, copy } = JSON.parse(line)
  let said
  try {
    said = copy ? { text: copied(text, copy.list, copy.at, copy.count) } : act(text, a)
  } catch (e) {
    said = { error: String(e) }
  }
  console.log(JSON.stringify(said))
}
`

type path []any

type act struct {
	Do    string   `json:"do"`
	Path  path     `json:"path,omitempty"`
	Value any      `json:"value,omitempty"`
	Order []string `json:"order,omitempty"`
	List  path     `json:"list,omitempty"`
	At    int      `json:"at"`
	Count int      `json:"count,omitempty"`
	Into  path     `json:"into,omitempty"`
	To    any      `json:"to,omitempty"`
	Text  string   `json:"text,omitempty"`
}

type shift struct {
	Moved *struct {
		List path
		At   int
	}
}

// editor is the console's own editing, run outside a browser.
type editor struct {
	t   *testing.T
	in  io.Writer
	out *bufio.Scanner
}

func edits(t *testing.T) *editor {
	t.Helper()
	dir := t.TempDir()
	bundle := exec.Command("node_modules/.bin/rolldown", "src/script/splice.ts", "--format", "esm", "--file",
		filepath.Join(dir, "splice.mjs"))
	if out, err := bundle.CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	if err := os.WriteFile(filepath.Join(dir, "driver.mjs"), []byte(driver), 0o600); err != nil {
		t.Fatal(err)
	}
	node := exec.CommandContext(t.Context(), "node", filepath.Join(dir, "driver.mjs"))
	node.Stderr = os.Stderr
	in, err := node.StdinPipe()
	if err != nil {
		t.Fatal(err)
	}
	out, err := node.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := node.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = in.(io.Closer).Close(); _ = node.Wait() })
	e := &editor{t, in, bufio.NewScanner(out)}
	e.out.Buffer(nil, 8<<20)
	return e
}

func (e *editor) ask(question map[string]any) (text string, did shift) {
	e.t.Helper()
	line, err := json.Marshal(question)
	if err != nil {
		e.t.Fatal(err)
	}
	if _, err := e.in.Write(append(line, '\n')); err != nil || !e.out.Scan() {
		e.t.Fatal(err, e.out.Err())
	}
	var said struct {
		Text, Error string
		Shift       shift
	}
	if err := json.Unmarshal(e.out.Bytes(), &said); err != nil {
		e.t.Fatal(err)
	}
	if said.Error != "" {
		e.t.Fatalf("%s: %s", line, said.Error)
	}
	return said.Text, said.Shift
}

func (e *editor) does(text string, a act) string {
	e.t.Helper()
	out, _ := e.ask(map[string]any{"text": text, "act": a})
	return out
}

// workflows are the demo's, and one of odd layouts.
func workflows(t *testing.T) map[string]string {
	t.Helper()
	out := map[string]string{"odd": odd}
	files, err := filepath.Glob("../demo/workspace/workflows/*.yaml")
	if err != nil || len(files) < 10 {
		t.Fatal(files, err)
	}
	for _, f := range files {
		text, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		out[filepath.Base(f)] = string(text)
	}
	return out
}

const odd = `# A workflow as nobody prints it.
workflow:   odd   # its name
steps:
# the first
- id: one   # keep me
  compute: {a: 1, "b c": [1, 2], d: {e: ~}}

- compute:
      far:    "in"   # here

  id: two
- each:
    of: 'list'
    do: [{id: inner, say: {text: hello}}, {end_run: {}}]
- say:
    text: >-
      folded
      words
  note: |
    kept

    lines
- id: last
  section:
    do:
    - say: {text: "a # b"}   # no comment`

func tree(t *testing.T, text string) any {
	t.Helper()
	var out any
	if err := yaml.Unmarshal([]byte(text), &out); err != nil {
		t.Fatalf("%v in\n%s", err, text)
	}
	return out
}

// each visits every value of a tree.
func each(v any, at path, visit func(path, any)) {
	switch v := v.(type) {
	case map[string]any:
		for k, x := range v {
			each(x, append(slices.Clone(at), k), visit)
		}
	case []any:
		for i, x := range v {
			each(x, append(slices.Clone(at), i), visit)
		}
	}
	visit(at, v)
}

// with is a tree with another value at a place.
func with(v any, at path, to any) any {
	if len(at) == 0 {
		return to
	}
	switch v := v.(type) {
	case map[string]any:
		out := map[string]any{}
		for k, x := range v {
			out[k] = x
		}
		out[at[0].(string)] = with(out[at[0].(string)], at[1:], to)
		return out
	case []any:
		out := slices.Clone(v)
		out[at[0].(int)] = with(out[at[0].(int)], at[1:], to)
		return out
	}
	return to
}

// others tells how many lines of a text are not in another, in their order.
func others(a, b string) int {
	x, y := strings.Split(a, "\n"), strings.Split(b, "\n")
	n := 0
	for n < min(len(x), len(y)) && x[n] == y[n] {
		n++
	}
	m := 0
	for m < min(len(x), len(y))-n && x[len(x)-1-m] == y[len(y)-1-m] {
		m++
	}
	return len(x) - n - m
}

// TestASettingChangesItsOwnLines sets every value of every demo workflow to
// others, plain ones and ones that are hard to print: the value is what was set,
// all else is as it was, to the byte.
func TestASettingChangesItsOwnLines(t *testing.T) {
	e := edits(t)
	values := []any{"plain", "", "yes", "08:00", "a: b # c", "- x", "two\nlines", "ends\n", "  spaces ",
		"“\u200fשלום”", "${x}",
		7, 1.5, true, []any{"a", "b"}, map[string]any{"k": "v", "l": map[string]any{"m": "n\no"}}}
	for name, text := range workflows(t) {
		was, next := tree(t, text), 0
		each(was, nil, func(at path, v any) {
			if len(at) == 0 {
				return
			}
			lines := 1
			next++
			for i := range 4 { // of every kind, somewhere
				value := values[(next+i*5)%len(values)]
				now := e.does(text, act{Do: "set", Path: at, Value: value})
				want := with(was, at, value)
				if got := tree(t, now); !same(got, want) {
					t.Fatalf("%s: %v set to %q became\n%s", name, at, value, now)
				}
				if _, container := v.(map[string]any); i == 0 && !container {
					lines = others(text, now)
				}
				if s, is := v.(string); is && lines > strings.Count(s, "\n")+3 {
					t.Errorf("%s: %v changed %d lines:\n%s", name, at, lines, now)
				}
			}
			if s, is := v.(string); is && !strings.Contains(text, ">-") {
				if now := e.does(text, act{Do: "set", Path: at, Value: s}); tree(t, now) == nil || !same(tree(t, now),
					was) {
					t.Errorf("%s: %v set to itself is another", name, at)
				}
			}
		})
	}
}

// same compares trees; a block of lines that ended with a line's end keeps one.
func same(a, b any) bool {
	if x, is := a.(string); is {
		y, _ := b.(string)
		return x == y || x == y+"\n"
	}
	switch x := a.(type) {
	case map[string]any:
		y, is := b.(map[string]any)
		if !is || len(x) != len(y) {
			return false
		}
		for k := range x {
			if !same(x[k], y[k]) {
				return false
			}
		}
		return true
	case []any:
		y, is := b.([]any)
		return is && slices.EqualFunc(x, y, same)
	}
	return reflect.DeepEqual(a, b)
}

// TestAddingAndRemovingIsUndone adds a key to every map, an item to every list,
// and takes each away again.
func TestAddingAndRemovingIsUndone(t *testing.T) {
	e := edits(t)
	for name, text := range workflows(t) {
		was := tree(t, text)
		each(was, nil, func(at path, v any) {
			more := append(slices.Clone(at), "added")
			if list, is := v.([]any); is {
				more = append(slices.Clone(at), len(list))
			} else if _, is := v.(map[string]any); !is {
				return
			}
			now := e.does(text, act{Do: "set", Path: more, Value: "x: y"})
			if back := e.does(now, act{Do: "set", Path: more}); back != text && back != text+"\n" &&
				len(was.(map[string]any)) > 0 && !empty(v) {
				t.Errorf("%s: %v added and removed became\n%s", name, more, back)
			}
		})
	}
}

func empty(v any) bool {
	return reflect.ValueOf(v).Len() == 0
}

// TestStepsMoveWithTheirWords moves every step of every list to every other
// place, copies and takes it: the others stay as they are, comments go along.
func TestStepsMoveWithTheirWords(t *testing.T) {
	e := edits(t)
	for name, text := range workflows(t) {
		lists := map[string]int{}
		each(tree(t, text), nil, func(at path, v any) {
			if list, is := v.([]any); is && len(at) > 0 && (at[len(at)-1] == "steps" || at[len(at)-1] == "do") {
				key, _ := json.Marshal(at)
				lists[string(key)] = len(list)
			}
		})
		for from, n := range lists {
			var list path
			_ = json.Unmarshal([]byte(from), &list)
			for i := range n {
				moved := at(tree(t, text), append(slices.Clone(list), i))
				for to, m := range lists {
					var into path
					_ = json.Unmarshal([]byte(to), &into)
					if strings.HasPrefix(strings.TrimSuffix(to, "]"), strings.TrimSuffix(from,
						"]")+","+strconv.Itoa(i)+",") {
						continue // into itself
					}
					for _, j := range []int{0, m / 2, m} {
						now, did := e.ask(map[string]any{"text": text, "act": act{Do: "move", List: list, At: i,
							Count: 1, Into: into, To: j}})
						got := at(tree(t, now), append(slices.Clone(did.Moved.List), did.Moved.At))
						if !reflect.DeepEqual(got, moved) {
							t.Fatalf("%s: %v/%d moved to %v/%d became\n%s", name, list, i, into, j, now)
						}
						if strings.Count(now, "#") != strings.Count(text, "#") && name != "odd" {
							t.Errorf("%s: %v/%d moved to %v/%d lost a comment", name, list, i, into, j)
						}
					}
				}
				piece, _ := e.ask(map[string]any{"text": text, "copy": map[string]any{"list": list, "at": i,
					"count": 1}})
				twice := e.does(text, act{Do: "put", List: list, At: i + 1, Text: piece})
				if back := e.does(twice, act{Do: "take", List: list, At: i + 1, Count: 1}); back != text &&
					name != "odd" {
					t.Errorf("%s: %v/%d doubled and taken away became\n%s", name, list, i, back)
				}
			}
		}
	}
}

func at(v any, p path) any {
	for _, k := range p {
		switch key := k.(type) {
		case string:
			v = v.(map[string]any)[key]
		case int:
			v = v.([]any)[key]
		case float64:
			v = v.([]any)[int(key)]
		}
	}
	return v
}
