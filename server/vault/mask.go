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

// Shortest is how long a secret must be to be masked at all, in bytes: as it is
// sent, with what stands beside it.
const Shortest = 4

const blot = "••••••"

// Mask hides every secret the vault holds in a text, in the forms in which
// secrets are sent: as they are, in base64 with whatever stands beside them
// (RFC 4648; a Basic header is so, RFC 7617), in an address (RFC 3986) and
// inside JSON (RFC 8259).
func (v *Vault) Mask(text string) string {
	v.mu.RLock()
	defer v.mu.RUnlock()
	return v.blots.hide(text)
}

// MaskFor is Mask for those who said some words: what is a secret and stands in
// these, they know already.
func (v *Vault) MaskFor(said []string) func(string) string {
	if len(said) == 0 {
		return v.Mask
	}
	v.mu.RLock()
	defer v.mu.RUnlock()
	return v.unsaid(said).hide
}

// unsaid hides the secrets that are not among some words. v.mu is held.
func (v *Vault) unsaid(said []string) mask {
	unsaid := map[kept]string{}
	for one, secret := range v.known {
		alone := blots(map[kept]string{one: secret})
		if !slices.ContainsFunc(said, func(words string) bool { return alone.hide(words) != words }) {
			unsaid[one] = secret
		}
	}
	return blots(unsaid)
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

// mask hides secrets.
type mask struct {
	within *strings.Replacer // wherever they stand
	whole  map[string]bool   // where they are all of a text, as they are too short to be looked for within
	// The forms that are looked for, by their first byte, and how long the longest is.
	forms   map[byte][]string
	longest int
}

func (m mask) hide(text string) string {
	if m.whole[text] {
		return blot
	}
	if len(text) < shortest { // as most words of a run are
		return text
	}
	return m.within.Replace(text)
}

// blots makes what masks secrets, the longest form first so that no shorter
// one leaves a part of it.
func blots(known map[kept]string) mask {
	forms, whole := map[string]string{}, map[string]bool{}
	for _, secret := range known {
		if len(secret) >= shortest {
			for _, form := range written(secret) {
				forms[form] = blot
			}
			continue
		}
		whole[secret] = true
		for before, after := range sent(secret) {
			forms[before] = after
		}
	}
	sorted := slices.SortedFunc(maps.Keys(forms), func(a, b string) int {
		return cmp.Or(cmp.Compare(len(b), len(a)), cmp.Compare(a, b))
	})
	pairs, first, longest := make([]string, 0, 2*len(sorted)), map[byte][]string{}, 0
	for _, form := range sorted {
		pairs = append(pairs, form, forms[form])
		first[form[0]] = append(first[form[0]], form)
		longest = max(longest, len(form))
	}
	return mask{strings.NewReplacer(pairs...), whole, first, longest}
}

// sent are the forms of a secret that is too short to be looked for by itself,
// as "1234" is, with what stands beside it where it is sent: in the user's part
// of an address, a query, a header, JSON, and in base64 behind a user's name.
// Each goes with what is shown in its place.
func sent(secret string) map[string]string {
	all := map[string]string{}
	for _, beside := range [][2]string{{":", "@"}, {"=", ""}, {": ", ""}, {"Bearer ", ""}, {`"`, `"`}} {
		all[beside[0]+secret+beside[1]] = beside[0] + blot + beside[1]
	}
	for _, encoding := range []*base64.Encoding{base64.RawStdEncoding, base64.RawURLEncoding} {
		for before := range 3 {
			all[inBase64(encoding, ":"+secret, before)] = blot
		}
	}
	return all
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
