package vault

import (
	"bytes"
	"cmp"
	"encoding/base64"
	"encoding/json"
	"maps"
	"net/url"
	"slices"
	"strings"
)

// shortest is how long a secret must be to be masked wherever it stands:
// shorter ones would blot out ordinary words.
const shortest = 6

const blot = "••••••"

// Mask hides every secret the vault holds in a text, in the forms in which
// secrets are sent: as they are, in base64 with whatever stands beside them
// (RFC 4648; a Basic header is so, RFC 7617), in an address (RFC 3986) and
// inside JSON (RFC 8259).
func (v *Vault) Mask(text string) string {
	if len(text) < shortest { // as most words of a run are
		return text
	}
	v.mu.RLock()
	defer v.mu.RUnlock()
	return v.blots.Replace(text)
}

// MaskValue hides every secret in the texts and names of a JSON value, in
// place.
func (v *Vault) MaskValue(value any) any {
	switch x := value.(type) {
	case string:
		return v.Mask(x)
	case []any:
		for i := range x {
			x[i] = v.MaskValue(x[i])
		}
	case map[string]any:
		for _, k := range slices.Collect(maps.Keys(x)) {
			item := v.MaskValue(x[k])
			if shown := v.Mask(k); shown != k {
				delete(x, k)
				k = shown
			}
			x[k] = item
		}
	}
	return value
}

// blots makes what masks secrets, the longest form first so that no shorter
// one leaves a part of it.
func blots(known map[string]string) *strings.Replacer {
	forms := map[string]bool{}
	for _, secret := range known {
		if len(secret) < shortest {
			continue
		}
		for _, form := range written(secret) {
			forms[form] = true
		}
	}
	sorted := slices.SortedFunc(maps.Keys(forms), func(a, b string) int {
		return cmp.Or(cmp.Compare(len(b), len(a)), cmp.Compare(a, b))
	})
	pairs := make([]string, 0, 2*len(sorted))
	for _, form := range sorted {
		pairs = append(pairs, form, blot)
	}
	return strings.NewReplacer(pairs...)
}

// written lists the forms a secret is sent in.
func written(secret string) []string {
	forms := []string{secret, url.QueryEscape(secret), url.PathEscape(secret)}
	for _, html := range []bool{true, false} {
		var quoted bytes.Buffer
		encoder := json.NewEncoder(&quoted)
		encoder.SetEscapeHTML(html)
		if encoder.Encode(secret) == nil { // a text always can be
			inner, _ := strings.CutSuffix(quoted.String(), "\"\n")
			forms = append(forms, inner[len(`"`):])
		}
	}
	for _, encoding := range []*base64.Encoding{base64.RawStdEncoding, base64.RawURLEncoding} {
		for before := range 3 {
			forms = append(forms, inBase64(encoding, secret, before))
		}
	}
	return slices.DeleteFunc(forms, func(form string) bool { return len(form) < shortest })
}

// inBase64 gives the characters that stand for a text and nothing else where
// so many bytes, and whole groups of three, come before it.
func inBase64(encoding *base64.Encoding, text string, before int) string {
	all := encoding.EncodeToString(append(make([]byte, before), text...))
	from := (before*8 + 5) / 6 // the last of these holds bits of what comes before
	till := (before + len(text)) * 8 / 6
	return all[from:till]
}
