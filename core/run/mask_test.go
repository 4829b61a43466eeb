package run_test

import (
	"strings"
	"testing"

	"woolsignal/core/agent"
	"woolsignal/core/run"
)

// aSecret is what everybody outside says in these tests.
const aSecret = "fell-ring-4f2a"

// leaky is a world that has a secret in whatever it answers, or says what is
// wrong.
func leaky(fails bool) world {
	w := talksWorld()
	model := w.model
	w.model = func(prompt string) string { return strings.Replace(model(prompt), "so", "so, as "+aSecret, 1) }
	w.tool = func(string, map[string]any) (any, string) {
		if fails {
			return nil, "the key " + aSecret + " is wrong"
		}
		return map[string]any{"id": aSecret, aSecret: []any{int64(1), "of " + aSecret}}, ""
	}
	w.call = func(map[string]any) (any, string) { return map[string]any{"doubled": aSecret}, "" }
	w.script = map[string]any{"longest": []any{aSecret}}
	w.note = "it is " + aSecret
	return w
}

// thinking has a model write a secret to itself, and into what it asks for.
func thinking(answer func(*run.Ask) *run.Answered) func(*run.Ask) *run.Answered {
	if answer == nil {
		return nil
	}
	return func(ask *run.Ask) *run.Answered {
		out := answer(ask)
		out.Message.Thought += " It is " + aSecret
		for _, one := range out.Message.Asks {
			if args, is := one.Args.(map[string]any); is {
				args["day"] = aSecret
			}
		}
		return out
	}
}

// TestNoRecordHoldsASecret lets everybody say one in every place there is, and
// reads every entry of the journals.
func TestNoRecordHoldsASecret(t *testing.T) {
	hide := func(text string) string { return strings.ReplaceAll(text, aSecret, "••••••") }
	for _, fails := range []bool{false, true} {
		for name, c := range wholes(t) {
			w := leaky(fails)
			w.answer = thinking(c.world.answer)
			c.signal.Text += " " + aSecret
			if body, ok := c.signal.Body.(map[string]any); ok {
				body["notes"] = aSecret
			}
			l := beginAt(t, run.Host{Mask: hide}, c.def, c.signal)
			for w.step(l) {
			}
			if !l.state.Status.Ended() {
				t.Errorf("%s does not end: it is %s", name, l.state.Status)
			}
			hidden := 0
			for n, entry := range l.journal {
				if strings.Contains(string(entry), aSecret) {
					t.Errorf("%s: entry %d holds the secret: %s", name, n+1, entry)
				}
				hidden += strings.Count(string(entry), "••••••")
			}
			if hidden < 3 {
				t.Errorf("%s: a secret was hidden %d times; where was it said?", name, hidden)
			}
		}
	}
}

// TestACallWithASecretIsTheSameCall: what an agent asks for is sent as it was
// written down, and after a crash as the same call.
func TestACallWithASecretIsTheSameCall(t *testing.T) {
	hide := func(text string) string { return strings.ReplaceAll(text, aSecret, "••••••") }
	l := beginAt(t, run.Host{Mask: hide}, definition(t, desk), chat("find "+aSecret))
	l.recalls()
	l.says("", agent.Request{ID: "a", Tool: "slots/find", Args: map[string]any{"day": aSecret}})
	sent := called(l.pending[0]).Args["day"]
	l = resumed(t, l.def, l.journal, 0)
	if again := called(l.pending[0]).Args["day"]; sent != "••••••" || again != sent {
		t.Errorf("the call had %v, and %v when it was sent again", sent, again)
	}
}
