package step_test

import (
	"encoding/json"
	"fmt"
	"runtime"
	"strings"
	"testing"

	"woolsignal/core/flow"
)

// repeated writes a workflow of steps, each of its number and the one before.
func repeated(n int, step string) string {
	var b strings.Builder
	b.WriteString("workflow: w\ntitle: W\ninputs: {type: object}\nsteps:\n  - {id: s0, compute: {v: '1'}}\n")
	for i := 1; i < n; i++ {
		fmt.Fprintf(&b, "  - "+step+"\n", i, i-1)
	}
	return b.String()
}

// upTo is as much of a text, again and again, as may be sent.
func upTo(text string) string { return strings.Repeat(text, (1<<20-200)/len(text)) }

const aWorkflow = "workflow: w\ntitle: W\ninputs: {type: object}\nsteps:\n"

// hostile are texts that mean no good.
var hostile = map[string]string{
	"many steps":                 repeated(18_000, "{id: s%d, compute: {v: s%d.v}}"),
	"each holds the one before":  repeated(4000, "{id: s%d, compute: {v: s%d}}"),
	"each holds it twice":        repeated(1000, "{id: s%[1]d, compute: {v: s%[2]d, w: s%[2]d}}"),
	"each or what it failed for": repeated(4000, "{id: s%[1]d, compute: {v: s%[2]d}, if_fails: {gives: {v: s%[2]d}}}"),
	"a list that doubles": aWorkflow + "  - {id: a, compute: {v: '[1]" +
		strings.Repeat(".map(x, {\"a\": x, \"b\": x})", 300) + "'}}\n",
	"blocks inside each other": aWorkflow + "  - " + strings.Repeat("{section: {do: [", 20_000),
	"lists inside each other":  aWorkflow + "  - " + strings.Repeat("[", 9_000),
	"a schema that is deep": aWorkflow + "  - {id: a, model: small, prompt: x, answer: " +
		strings.Repeat("{type: object, properties: {a: ", 90) + "{type: text}" + strings.Repeat("}}", 90) + "}\n",
	"keys nobody knows": aWorkflow + upTo("  - {id: a, zz: 1}\n"),
	"a long expression": aWorkflow + "  - {id: a, compute: {v: '" + upTo("1+") + "1'}}\n",
	"many expressions":  aWorkflow + "  - {id: a, compute: {v: '" + strings.Repeat("1+", 4000) + "1'}}\n",
	"many values":       aWorkflow + "  - {say: {text: '" + upTo("${1}") + "'}}\n",
	"many triggers":     "workflow: w\ntitle: W\ntriggers:\n" + upTo("  - {id: a, webhook: {path: a, verify: b}}\n"),
	"names that differ": aWorkflow + upTo("  - {when: 'aaaaaaaaaa%d', say: {text: x}}\n"),
}

func noTools(string) (flow.Tool, bool) { return flow.Tool{}, false }

// TestATextThatMeansNoGoodTakesLittle reads texts of up to a megabyte that are made to take more
// than they are: what they keep while they are held, and what is answered, are bounded.
func TestATextThatMeansNoGoodTakesLittle(t *testing.T) {
	for name, text := range hostile {
		t.Run(name, func(t *testing.T) {
			before := heap()
			m := (&flow.Workspace{Workflows: map[string]*flow.Workflow{}}).Meaning("w", text, noTools)
			answer, err := json.Marshal(m.Lines)
			if err != nil {
				t.Fatal(err)
			}
			found, err := json.Marshal(m.Problems)
			if err != nil {
				t.Fatal(err)
			}
			kept := (heap() - before) >> 20
			t.Logf("%d KB of text: %d MB are kept, %d KB answered, with %d problems in %d KB",
				len(text)>>10, kept, len(answer)>>10, len(m.Problems), len(found)>>10)
			if kept > 200 || len(answer) > 24<<20 || len(found) > 2<<20 {
				t.Error("that is more than a text may take")
			}
			runtime.KeepAlive(m)
		})
	}
}

// TestHonestWorkIsWithinTheBounds reads three thousand steps that read each other.
func TestHonestWorkIsWithinTheBounds(t *testing.T) {
	before := heap()
	m := (&flow.Workspace{Workflows: map[string]*flow.Workflow{}}).Meaning("w",
		repeated(3000, "{id: s%d, compute: {v: 's%d.v + 1'}}"), noTools)
	if len(m.Problems) > 0 || len(m.Lines) < 3000 {
		t.Fatalf("%d lines, %v", len(m.Lines), m.Problems)
	}
	if kept := (heap() - before) >> 20; kept > 100 {
		t.Errorf("%d MB are kept", kept)
	}
	runtime.KeepAlive(m)
}

// heap is how many bytes are in use.
func heap() int64 {
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return int64(m.HeapAlloc)
}
