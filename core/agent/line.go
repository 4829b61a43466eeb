package agent

import (
	"strings"
	"unicode"
)

// longestLine is how many letters of a name, a title or a fact a model reads.
const longestLine = 80

// Line makes a name that somebody outside chose into one short line, for a prompt: what
// breaks lines, hides or turns letters, quotes or marks headings is gone, and a long one is
// cut. It can say something odd, and not begin anything.
func Line(name string) string { return lineOf(name, longestLine) }

func lineOf(text string, most int) string {
	var b strings.Builder
	for _, r := range text {
		switch {
		case unicode.IsSpace(r) || unicode.IsControl(r):
			b.WriteByte(' ')
		case unicode.Is(unicode.Cf, r) || strings.ContainsRune("\"“”„«»`#<>[]{}|", r):
			continue
		default:
			b.WriteRune(r)
		}
	}
	letters := []rune(strings.Join(strings.Fields(b.String()), " "))
	if len(letters) > most {
		return strings.TrimSpace(string(letters[:most])) + "…"
	}
	return string(letters)
}
