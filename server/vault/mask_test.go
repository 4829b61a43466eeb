package vault_test

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/url"
	"strings"
	"testing"

	"woolsignal/server/store"
	"woolsignal/server/vault"
)

// TestASecretIsMaskedAsItIsSent writes secrets as the wire has them, and looks
// for anything that whoever reads the result could have the secret from.
func TestASecretIsMaskedAsItIsSent(t *testing.T) {
	ctx := context.Background()
	s, err := store.Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	v, err := vault.Open(ctx, t.TempDir(), s)
	if err != nil {
		t.Fatal(err)
	}
	for _, secret := range []string{"clip-key-8812-fold", "six666", "with space & \"quotes\\ends\"", "ünï/cødé+==",
		"<tag>&'more'"} {
		if err := v.Put(ctx, "peer", secret); err != nil {
			t.Fatal(err)
		}
		quoted, err := json.Marshal(secret)
		if err != nil {
			t.Fatal(err)
		}
		sent := []string{secret, "key=" + url.QueryEscape(secret) + "&x=1", "/" + url.PathEscape(secret) + "/",
			`{"key": ` + string(quoted) + `}`, fmt.Sprintf("%q", secret)[1:2] + secret}
		for _, user := range []string{"", "a:", "ab:", "abc:", "office@larkrigg.example:"} {
			sent = append(sent, "Basic "+base64.StdEncoding.EncodeToString([]byte(user+secret)),
				"Basic "+base64.RawURLEncoding.EncodeToString([]byte(user+secret+"\n")))
		}
		for _, text := range sent {
			got := v.Mask(text)
			if !strings.Contains(got, "•") || strings.Contains(got, secret) {
				t.Errorf("%q is shown as %q", text, got)
			}
			basic, is := strings.CutPrefix(got, "Basic ")
			before, after, _ := strings.Cut(basic, "••••••")
			read, _ := base64.RawStdEncoding.DecodeString(before[:len(before)/4*4])
			if is && (strings.Contains(string(read), secret[:3]) || len(after) > 4) {
				t.Errorf("%q tells of the secret, as %q", text, got)
			}
		}
		named := v.MaskValue(map[string]any{"x": map[string]any{"a " + secret: []any{secret}}})
		if text, _ := json.Marshal(named); strings.Contains(string(text), string(quoted[1:len(quoted)-1])) {
			t.Errorf("as a name in %s", text)
		}
		if err := v.Drop(ctx, "peer"); err != nil {
			t.Fatal(err)
		}
		if got := v.Mask(secret); got != secret {
			t.Errorf("what is no secret any more is masked: %q", got)
		}
	}
}
