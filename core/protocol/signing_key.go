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
	ID       string // the header that names a delivery, for telling repeats; "" takes the body's hash
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
		{Name: "id_header", Into: &s.ID, Help: "The header that names a delivery, for telling repeats.",
			Example: "X-Delivery"},
	}
}

// Agree keeps what belongs to one scheme with it.
func (s *SigningKey) Agree(m flow.Reading) {
	m.Only(s.Scheme == hmacScheme, "remove it, or write scheme: hmac-sha256", "%s belongs to the scheme hmac-sha256",
		"header", "prefix", "encoding", "time_header")
}

// NeedsSecret tells that it is nothing without its key.
func (*SigningKey) NeedsSecret() {}
