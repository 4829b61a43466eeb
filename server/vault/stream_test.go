package vault_test

import (
	"context"
	"strings"
	"testing"

	"woolsignal/core/fuzztest"
	"woolsignal/server/store"
	"woolsignal/server/vault"
)

// FuzzStream hides secrets in pieces of every length as in the whole.
func FuzzStream(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	f.Add("The key is ", "sk-live-0123456789", ". Keep it.")
	f.Add("sk-live-", "sk-live-01234", "sk-live-012345")
	f.Add("", "1234", "")
	f.Add("aaaa", "aaaaaab", "aaaaaac")
	folder, ctx := f.TempDir(), context.Background()
	s, err := store.Open(ctx, folder)
	if err != nil {
		f.Fatal(err)
	}
	f.Cleanup(func() { s.Close() })
	v, err := vault.Open(ctx, folder, s)
	if err != nil {
		f.Fatal(err)
	}
	f.Fuzz(func(t *testing.T, before, secret, after string) {
		if len(secret) < vault.Shortest || v.Put(ctx, "clip", "", secret) != nil {
			t.Skip()
		}
		if err := v.Put(ctx, "other", "", secret+"-longer"); err != nil {
			t.Skip()
		}
		text := before + secret + after
		want := v.Mask(text)
		for _, size := range []int{1, 2, 3, 7, len(text) + 1} {
			stream, told := v.StreamFor(nil), strings.Builder{}
			for rest := text; rest != ""; {
				piece := rest[:min(size, len(rest))]
				rest = rest[len(piece):]
				told.WriteString(stream.Next(piece))
				if strings.Contains(told.String(), secret) && !strings.Contains(want, secret) {
					t.Fatalf("by %d it lets %q out of %q", size, told.String(), text)
				}
			}
			told.WriteString(stream.Rest())
			if told.String() != want {
				t.Fatalf("by %d it tells %q of %q, the whole is hidden as %q", size, told.String(), text, want)
			}
		}
	})
}
