package bellwether

import (
	"regexp"
	"strings"
)

// What is asked for in words of its own: a letter, a summary, an answer out of a text.
var (
	asksLetter  = regexp.MustCompile(`(?i)\b(draft|write|compose|reply|answer (the|this|their|her|his|a) )`)
	asksSummary = regexp.MustCompile(`(?i)\b(summari[sz]e|sum\b.{0,20}\bup|shorten|in brief|gist)\b`)
	asksWhich   = regexp.MustCompile(`(?i)^\W*(who|what|when|where|which|how|is|are|does|do|can|may)\b.*\?`)
	factLine    = regexp.MustCompile(`(?m)^\s*(?:[-*] )?([A-Za-z][A-Za-z _-]{0,30}): (.+)$`)
	sentenceEnd = regexp.MustCompile(`[.!?](?:\s+|$)`)
)

// write does what a prompt asks for with words; "" where it asks for nothing of the
// kind.
func write(in *request, said string) string {
	head := said[:min(len(said), 400)]
	switch {
	case asksSummary.MatchString(head):
		return summary(body(said))
	case asksLetter.MatchString(head):
		return letter(said)
	case asksWhich.MatchString(strings.TrimSpace(said)) || strings.Contains(head, "?"):
		if answer := found(in, said); answer != "" {
			return answer
		}
	}
	return shownIn(said)
}

// shownIn is what a prompt shows: pictures, and the first words of files.
func shownIn(said string) string {
	var out []string
	lines := strings.Split(said, "\n")
	for i, line := range lines {
		switch {
		case strings.Contains(line, " is a picture"):
			out = append(out, line)
		case strings.HasPrefix(line, "The file ") && strings.HasSuffix(line, " says:") && i+1 < len(lines):
			out = append(out, line+" "+lines[i+1])
		}
	}
	return strings.Join(out, "\n")
}

// body is what a prompt is about: all behind its first line or sentence, or what it
// quotes.
func body(said string) string {
	if q := quotedPart.FindStringSubmatch(said); q != nil && len(q[1]) > 40 {
		return q[1]
	}
	if _, rest, ok := strings.Cut(strings.TrimSpace(said), "\n"); ok {
		return rest
	}
	if _, rest, ok := strings.Cut(said, ": "); ok {
		return rest
	}
	return said
}

// sentences are those of a text, in their order.
func sentences(text string) []string {
	var out []string
	rest := strings.Join(strings.Fields(text), " ")
	for rest != "" {
		at := sentenceEnd.FindStringIndex(rest)
		if at == nil {
			return append(out, rest)
		}
		out = append(out, strings.TrimSpace(rest[:at[1]]))
		rest = rest[at[1]:]
	}
	return out
}

// summary is the first sentence of a text, and the one with the most figures.
func summary(text string) string {
	all := sentences(text)
	if len(all) == 0 {
		return "There is nothing to sum up."
	}
	best, most := 0, 0
	for i, s := range all {
		if n := len(number.FindAllString(s, -1)); n > most {
			best, most = i, n
		}
	}
	if best == 0 {
		return all[0]
	}
	return all[0] + " " + all[best]
}

// letter drafts a polite mail out of the facts a prompt gives.
func letter(said string) string {
	name, subject := "", ""
	var told []string
	for _, line := range factLine.FindAllStringSubmatch(said, -1) {
		key, value := strings.ToLower(strings.TrimSpace(line[1])), strings.TrimSpace(line[2])
		switch key {
		case "name", "from", "to", "grower", "customer", "sender":
			if name == "" {
				name, _, _ = strings.Cut(value, " <")
			}
		case "subject", "about":
			subject = value
		case "mail", "text", "message", "question":
		default:
			told = append(told, "The "+strings.ReplaceAll(key, "_", " ")+" is "+strings.TrimSuffix(value, ".")+".")
		}
	}
	var b strings.Builder
	b.WriteString("Dear " + orElse(name, "friend") + ",\n\nthank you for writing to us")
	if subject != "" {
		b.WriteString(" about " + strings.TrimSuffix(strings.TrimPrefix(subject, "Re: "), "."))
	}
	b.WriteString(". ")
	if len(told) == 0 {
		b.WriteString("We have read what you wrote and will come back to you with the details")
	} else {
		b.WriteString(strings.TrimSuffix(strings.Join(told, " "), "."))
	}
	b.WriteString(". If anything is unclear, just answer this mail.\n\nKind regards")
	return b.String()
}

func orElse(text, other string) string {
	if text == "" {
		return other
	}
	return text
}

// found answers a question with the sentence of all that was told that shares most of
// its words; "" where none does.
func found(in *request, said string) string {
	question := sentences(said)
	if len(question) == 0 {
		return ""
	}
	asked := question[0]
	for _, s := range question {
		if strings.HasSuffix(s, "?") {
			asked = s
		}
	}
	best, most := "", 1
	for _, m := range in.Messages {
		if m.Role == "assistant" {
			continue
		}
		for _, line := range strings.Split(m.Content, "\n") {
			for _, s := range sentences(line) {
				if n := overlap(asked, s); n > most && s != asked && !strings.HasSuffix(s, "?") {
					best, most = s, n
				}
			}
		}
	}
	return best
}
