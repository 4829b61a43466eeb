package engine

import (
	"context"
	"encoding/json"

	"woolsignal/core/run"
)

// masker gives what hides secrets in what a run is to keep. In a run for a
// stranger, what they wrote themselves stays as it is, wherever it comes back:
// were it hidden, it would tell them that they guessed a secret. l is locked.
func (e *Engine) masker(ctx context.Context, l *live, events []run.Event) (func(string) string, error) {
	first := l.state.Signal
	for _, event := range events {
		switch event := event.(type) {
		case *run.Arrive:
			first = event.Signal
		case *run.Heard:
			if event.Signal.Stranger {
				e.note(l, event.Signal.Words())
			}
		}
	}
	if first != nil && first.Stranger && !l.listened {
		before, err := e.saidBefore(ctx, l)
		if err != nil {
			return nil, err
		}
		for _, words := range append(before, first.Words()) {
			e.note(l, words)
		}
		l.listened = true
	}
	return e.secrets.MaskFor(l.spoken), nil
}

// note keeps a stranger's words in mind where a secret is among them.
func (e *Engine) note(l *live, words string) {
	if e.secret(words) {
		l.spoken = append(l.spoken, words)
	}
}

// secret tells whether a secret is among words.
func (e *Engine) secret(words string) bool { return e.secrets.Mask(words) != words }

// saidBefore are the strangers' words of earlier runs of the conversation, and
// what the run itself heard before it was folded.
func (e *Engine) saidBefore(ctx context.Context, l *live) ([]string, error) {
	var all []string
	l.state.Each(func(step *run.Step) {
		gave, _ := step.Output.(map[string]any)
		if signal, heard := gave["signal"].(map[string]any); heard {
			words, _ := json.Marshal(signal) // it came out of JSON
			all = append(all, string(words))
		}
	})
	if l.thread() == "" {
		return all, nil
	}
	said, err := e.column(ctx, "SELECT text FROM (SELECT n, text FROM messages WHERE thread = ? AND who = 'person' "+
		"ORDER BY n DESC LIMIT 500) ORDER BY n", l.thread())
	return append(all, said...), err
}

// hide hides the secrets in a signal that comes in, and warns where somebody
// outside knows one.
func (e *Engine) hide(workflow string, signal *run.Signal) {
	if signal.Stranger && e.secret(signal.Words()) {
		e.log.Warn("somebody outside wrote what a connection keeps as its secret; give that connection another",
			"workflow", workflow, "source", signal.Source)
	}
	signal.Hide(e.secrets.Mask)
}
