package intake

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"net/http"
	"strconv"
	"time"

	"github.com/google/uuid"
	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
)

// keyBytes is how long the secrets are that are made here, in bytes: what
// HMAC-SHA256 takes as a whole.
const keyBytes = 32

// NewKey makes a secret for a signing key, in the form its scheme wants.
func NewKey(key *flow.Connection) string {
	secret := make([]byte, keyBytes)
	_, _ = rand.Read(secret) // it never fails
	if s := signingKey(key); s != nil && s.Scheme == "standard-webhooks" {
		return "whsec_" + base64.StdEncoding.EncodeToString(secret)
	}
	return hex.EncodeToString(secret)
}

// Placeholder stands where a key would travel openly: it is not shown to whoever
// has a delivery signed.
const Placeholder = "THE-KEY"

// Sign gives the headers with which a delivery is believed, with [Placeholder]
// where the key itself goes along; timed tells that they are for the next
// minutes only.
func Sign(key *flow.Connection, secret string, body []byte, now time.Time) (header http.Header, timed bool, err error) {
	header = http.Header{}
	s := signingKey(key)
	switch s.Scheme {
	case "bearer":
		header.Set("Authorization", "Bearer "+Placeholder)
		return header, false, nil
	case "hmac-sha256":
		return signHMAC(s, secret, body, now), s.At != "", nil
	}
	hook, err := webhooks.NewWebhook(secret)
	if err != nil {
		return nil, false, err
	}
	id := "test-" + uuid.Must(uuid.NewV7()).String()
	signature, err := hook.Sign(id, now, body)
	header.Set("webhook-id", id)
	header.Set("webhook-timestamp", strconv.FormatInt(now.Unix(), 10))
	header.Set("webhook-signature", signature)
	return header, true, err
}

// signHMAC signs as [verifyHMAC] checks.
func signHMAC(s *protocol.SigningKey, secret string, body []byte, now time.Time) http.Header {
	header := http.Header{}
	mac := hmac.New(sha256.New, []byte(secret))
	if s.At != "" {
		at := strconv.FormatInt(now.Unix(), 10)
		header.Set(s.At, at)
		mac.Write([]byte(at + "."))
	}
	mac.Write(body)
	written := hex.EncodeToString(mac.Sum(nil))
	if s.Encoding == "base64" {
		written = base64.StdEncoding.EncodeToString(mac.Sum(nil))
	}
	header.Set(s.Header, s.Prefix+written)
	return header
}
