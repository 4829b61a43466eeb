package vault_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"woolsignal/server/store"
	"woolsignal/server/vault"
)

func TestSealedKeptAndMasked(t *testing.T) {
	ctx, folder := context.Background(), t.TempDir()
	s, err := store.Open(ctx, folder)
	if err != nil {
		t.Fatal(err)
	}
	v, err := vault.Open(ctx, folder, s)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := v.Get("register", ""); !errors.Is(err, vault.ErrNoSecret) {
		t.Errorf("before any secret: %v", err)
	}
	const secret = "clip-key-8812-fold"
	if err := v.Put(ctx, "register", "", secret); err != nil {
		t.Fatal(err)
	}
	if got := v.MaskValue(map[string]any{"echo": []any{"key " +
		secret}}); strings.Contains(got.(map[string]any)["echo"].([]any)[0].(string), secret) {
		t.Errorf("the secret echoes: %v", got)
	}
	s.Close()
	files, _ := filepath.Glob(filepath.Join(folder, "*"))
	for _, f := range files {
		if data, _ := os.ReadFile(f); bytes.Contains(data, []byte(secret)) {
			t.Errorf("%s holds the secret in the clear", f)
		}
	}
	s, _ = store.Open(ctx, folder)
	defer s.Close()
	if v, err = vault.Open(ctx, folder, s); err != nil {
		t.Fatal(err)
	}
	if got, err := v.Get("register", ""); got != secret || err != nil {
		t.Errorf("after reopening: %q, %v", got, err)
	}
	if err := os.WriteFile(filepath.Join(folder, vault.KeyFile), bytes.Repeat([]byte{1}, 32), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := vault.Open(ctx, folder, s); err == nil || !strings.Contains(err.Error(), "another key") {
		t.Errorf("opening with a wrong key: %v", err)
	}
}

// A key is replaced whole or not at all: whoever asked for it may leave at any
// moment, and the secrets still open after the next start.
func TestTheKeyIsReplacedWholeThoughTheCallerLeaves(t *testing.T) {
	for _, c := range []struct {
		name  string
		leave func(cancel func())
	}{
		{"before it begins", func(cancel func()) { cancel() }},
		{"while it is under way", func(cancel func()) { go cancel() }},
	} {
		t.Run(c.name, func(t *testing.T) {
			folder := t.TempDir()
			for range 20 {
				s, err := store.Open(context.Background(), folder)
				if err != nil {
					t.Fatal(err)
				}
				v, err := vault.Open(context.Background(), folder, s)
				if err != nil {
					t.Fatalf("after a rotation whose caller left: %v", err)
				}
				if err := v.Put(context.Background(), "models", "", "sk-wool-4471"); err != nil {
					t.Fatal(err)
				}
				ctx, cancel := context.WithCancel(context.Background())
				c.leave(cancel)
				_, err = v.RotateKey(ctx)
				cancel()
				if err != nil && !errors.Is(err, context.Canceled) {
					t.Fatal(err)
				}
				if got, err := v.Get("models", ""); got != "sk-wool-4471" || err != nil {
					t.Fatalf("in the same process: %q, %v", got, err)
				}
				if err := s.Close(); err != nil {
					t.Fatal(err)
				}
			}
		})
	}
}

// A secret is for the place it was given for: another place has none, and is told so; of many places the oldest goes;
// and whoever writes in the database cannot have it count for another.
func TestASecretIsForItsPlaceAlone(t *testing.T) {
	ctx, folder := context.Background(), t.TempDir()
	s, err := store.Open(ctx, folder)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	v, err := vault.Open(ctx, folder, s)
	if err != nil {
		t.Fatal(err)
	}
	const here, there = "https://models.example", "https://models.example:8443"
	if err := v.Put(ctx, "models", here, "sk-wool-4471"); err != nil {
		t.Fatal(err)
	}
	var moved *vault.MovedError
	if _, err := v.Get("models", there); !errors.As(err, &moved) || !errors.Is(err, vault.ErrNoSecret) ||
		!strings.Contains(err.Error(), "was given for "+here) {
		t.Errorf("there: %v", err)
	}
	if got, err := v.Get("models", here); err != nil || got != "sk-wool-4471" {
		t.Errorf("here: %q %v", got, err)
	}
	for i := range 5 {
		if err := v.Put(ctx, "models", fmt.Sprint(there, i), "sk-wool-4472"); err != nil {
			t.Fatal(err)
		}
	}
	var n int
	if err := s.Read().QueryRow("SELECT count(*) FROM secrets").Scan(&n); err != nil || n != 4 {
		t.Errorf("%d secrets are kept, %v", n, err)
	}
	var b store.Batch
	b.Do("UPDATE secrets SET place = ? WHERE place = ?", "https://elsewhere.example", there+"4")
	if err := s.Write(ctx, b); err != nil {
		t.Fatal(err)
	}
	if _, err := vault.Open(ctx, folder, s); err == nil || !strings.Contains(err.Error(), "is damaged") {
		t.Errorf("moved by hand, it is opened: %v", err)
	}
}
