package mailbox

import (
	"maps"
	"slices"
	"strings"

	"github.com/emersion/go-message/mail"
	"github.com/emersion/go-msgauth/authres"
)

// Verdicts are what the mailbox's own server found of who sent a mail (RFC
// 8601): "pass", "fail" and so on, by dmarc, dkim and spf.
type Verdicts map[string]string

// String is "dkim=pass, dmarc=fail"; "" where nothing was said.
func (v Verdicts) String() string {
	var all []string
	for _, method := range slices.Sorted(maps.Keys(v)) {
		all = append(all, method+"="+v[method])
	}
	return strings.Join(all, ", ")
}

// verdicts reads what a server says of a mail, and whether that stands for the
// domain of its sender. Each server puts its words on top, so only the topmost
// are its own: those below may have come with the mail.
func verdicts(h mail.Header, server, sender string) (said Verdicts, verified bool) {
	name, results, err := authres.Parse(plain(h.Get("Authentication-Results")))
	if err != nil || server == "" || !strings.EqualFold(name, server) {
		return nil, false
	}
	_, domain, whole := strings.Cut(sender, "@")
	said = Verdicts{}
	for _, r := range results {
		method, value, of := verdict(r)
		if method == "" {
			continue
		}
		if said[method] != authres.ResultPass { // one signature that holds is enough
			said[method] = value
		}
		verified = verified || value == authres.ResultPass && strings.EqualFold(of, domain)
	}
	from := h.FieldsByKey("From")
	return said, verified && whole && from.Len() == 1
}

// plain takes comments and quoted texts out of a header (RFC 5322, 3.2): a
// sender chooses what stands in them, and it is not to be read as a verdict.
func plain(header string) string {
	var b strings.Builder
	comments, quoted, escaped := 0, false, false
	for _, r := range header {
		switch {
		case escaped:
			escaped = false
		case r == '\\':
			escaped = true
		case quoted:
			quoted = r != '"'
		case r == '"':
			quoted = true
			b.WriteByte('?') // so that what is beside it is no whole word
		case r == '(':
			comments++
		case r == ')' && comments > 0:
			comments--
		case comments == 0:
			b.WriteRune(r)
		}
	}
	return b.String()
}

// verdict is what one way of looking found, and the domain it looked at.
func verdict(r authres.Result) (method, value, domain string) {
	switch r := r.(type) {
	case *authres.DMARCResult:
		return "dmarc", string(r.Value), r.From
	case *authres.DKIMResult:
		return "dkim", string(r.Value), r.Domain
	case *authres.SPFResult:
		_, from, _ := strings.Cut("@"+r.From, "@") // an address, or a domain alone
		if _, host, address := strings.Cut(from, "@"); address {
			from = host
		}
		return "spf", string(r.Value), from
	}
	return "", "", ""
}
