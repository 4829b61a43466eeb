package protocol

import "woolsignal/core/flow"

// SigningKey verifies what arrives with the sealed secret.
type SigningKey struct {
	nowhere
	Scheme   string // standard-webhooks, hmac-sha256 or bearer
	Header   string // for hmac-sha256: where the signature stands
	Prefix   string // … what stands before it there, such as sha256=
	Encoding string // … hex or base64
	At       string // … the header with the time of sending in seconds, signed as "time.body"; "" is none
	ID       string // for bearer: the header that names a delivery, for telling repeats
	IDField  string // the dotted place in the body that names a delivery; "" takes the signature
}

const hmacScheme = "hmac-sha256"

// Fields are what it may say.
func (s *SigningKey) Fields() []flow.Field {
	return []flow.Field{
		{Name: "scheme", Into: &s.Scheme, Choices: []string{"standard-webhooks", hmacScheme, "bearer"},
			Default: "standard-webhooks", Help: "How a delivery is signed.", Example: hmacScheme},
		{Name: "header", Into: &s.Header, Default: "X-Signature",
			Help: "The header with the signature, for hmac-sha256.", Example: "X-Scale-Signature"},
		{Name: "prefix", Into: &s.Prefix, Help: "What stands before the signature there.", Example: "sha256="},
		{Name: "encoding", Into: &s.Encoding, Choices: []string{"hex", "base64"}, Default: "hex",
			Help: "How the signature is written.", Example: "base64"},
		{Name: "time_header", Into: &s.At, Help: "The header with the time of sending, which is signed too.",
			Example: "X-Scale-Time"},
		{Name: "id_header", Into: &s.ID, Example: "X-Delivery",
			Help: "For bearer, the header that names a delivery, for telling repeats; where a signature is checked " +
				"it would not be signed."},
		{Name: "id_field", Into: &s.IDField, Example: "delivery.id",
			Help: "The dotted place in the body that names a delivery, for telling repeats."},
	}
}

// Agree keeps what belongs to one scheme with it.
func (s *SigningKey) Agree(m flow.Reading) {
	m.Only(s.Scheme == hmacScheme, "remove it, or write scheme: hmac-sha256", "%s belongs to the scheme hmac-sha256",
		"header", "prefix", "encoding", "time_header")
	m.Only(s.Scheme == "bearer", "write id_field: its place in the body, which is signed",
		"%s is believed only where nothing is signed, with scheme: bearer", "id_header")
	m.Only(s.Scheme != "standard-webhooks", "remove it: webhook-id is signed", "%s belongs to the other schemes",
		"id_field")
}

// NeedsSecret tells that it is nothing without its key.
func (*SigningKey) NeedsSecret() {}
