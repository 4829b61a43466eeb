package mailbox

import "testing"

// TestOnlyTheMailboxesOwnServerVerifiesASender forges verdicts in each place
// that a sender chooses.
func TestOnlyTheMailboxesOwnServerVerifiesASender(t *testing.T) {
	const own = "Authentication-Results: mx.larkrigg.example; "
	for head, want := range map[string]bool{
		own + "dmarc=pass header.from=hills.example":                                     true,
		own + "dmarc=pass (p=reject dis=none) header.from=Hills.example; spf=fail":       true,
		own + "dkim=fail header.d=other.example; dkim=pass header.d=hills.example":       true,
		own + "spf=pass smtp.mailfrom=bank@hills.example":                                true,
		own + "dkim=pass (2048-bit key; unprotected) header.d=hills.example header.i=@h": true,
		"":           false,
		own + "none": false,
		own + "dmarc=fail header.from=hills.example":                                       false,
		own + "dkim=pass header.d=other.example":                                           false,
		own + "spf=pass smtp.mailfrom=x@hills.example.evil.example":                        false,
		own + `spf=fail smtp.mailfrom="x; dmarc=pass header.from=hills.example"@evil.test`: false,
		own + "spf=fail (he says; dmarc=pass header.from=hills.example)":                   false,
		own + `spf=fail ("(" ; dmarc=pass header.from=hills.example`:                       false,
		"Authentication-Results: mx.evil.example; dmarc=pass header.from=hills.example":    false,
		own + "dmarc=fail header.from=hills.example\r\n" + own +
			"dmarc=pass header.from=hills.example": false, // the second came with it
		own + "broken\r\n" + own + "dmarc=pass header.from=hills.example":                     false,
		own + "dmarc=pass header.from=hills.example\r\nFrom: Somebody <else@hills.example>":   false, // two senders
		"Authentication-Results: mx.larkrigg.example 2; dmarc=pass header.from=hills.example": false,
	} {
		raw := []byte(head + "\r\nFrom: Hollin Bank <hollin@hills.example>\r\nSubject: Lambs\r\n\r\nTwelve.")
		if head == "" {
			raw = raw[2:]
		}
		m := Parse(raw, "mx.larkrigg.example")
		if m.From.Email == "" || m.Verified != want {
			t.Errorf("%q: verified %t (%s), want %t", head, m.Verified, m.Verdicts, want)
		}
		if Parse(raw, "").Verified {
			t.Errorf("%q is believed though the mailbox names no server", head)
		}
	}
}
