package engine

import (
	"context"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"woolsignal/core/run"
	"woolsignal/server/testbed"
)

// TestASecretInASignalIsNowhereOnDisk sends a secret the vault holds in every
// part of a signal, to a workflow that goes by it, and reads the data folder.
func TestASecretInASignalIsNowhereOnDisk(t *testing.T) {
	const secret = "fell-ring-4f2a"
	bed := testbed.Open(t, map[string]string{
		"workflows/scale.yaml": "workflow: scale\ntitle: Scale\n" +
			"limits: {same: {by: '${signal.body.who}', at_once: 1}}\n" +
			"triggers:\n  - id: in\n    webhook: {path: scale, verify: key}\n" +
			"steps:\n  - label: {as: ['${signal.body.who}']}\n",
		"connections/key.yaml": "connection: key\ntitle: Key\nsigning_key: {scheme: bearer}\n",
	})
	ctx := context.Background()
	bed.Give(t, bed.Workspace.Now().Workspace, "peer", secret)
	e := New(bed.Store, bed.Workspace, bed.Kit, bed.Secrets, bed.Scripts, slog.New(slog.DiscardHandler))
	t.Cleanup(func() { e.Stop(ctx) })
	ticket, err := e.Receive(ctx, "scale", &run.Signal{ID: "d1", Kind: "webhook", Source: "/in/scale", Trigger: "in",
		Text: "it is " + secret, Body: map[string]any{"who": secret, secret: []any{secret}}})
	if err != nil {
		t.Fatal(err)
	}
	if err := ticket.Answered(ctx); err != nil {
		t.Fatal(err)
	}
	if err := bed.Store.Close(); err != nil {
		t.Fatal(err)
	}
	files, err := filepath.Glob(filepath.Join(filepath.Dir(bed.Store.Path()), "*"))
	if err != nil || len(files) == 0 {
		t.Fatal(files, err)
	}
	for _, name := range files {
		data, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		if strings.Contains(string(data), secret) {
			t.Errorf("%s holds the secret", filepath.Base(name))
		}
	}
}
