package intake

import (
	"crypto/hmac"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"encoding/hex"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"
	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/server/problem"
	"woolsignal/server/vault"
)

// tolerance is how far a delivery's time may be from ours.
const tolerance = 5 * time.Minute

// verify holds a delivery against its key and gives the delivery's id: what
// the sender calls it where the scheme has a name for it.
func verify(secrets *vault.Vault, key *flow.Connection, header http.Header, body []byte) (id string,
	refusal *problem.Details) {
	secret, err := secrets.Get(key.ID, key.SecretFor())
	if err != nil {
		return "", noKey("The owner has not given the signing key " + key.ID + " yet.")
	}
	switch s := signingKey(key); s.Scheme {
	case "hmac-sha256":
		return verifyHMAC(s, secret, header, body)
	case "bearer":
		given, ok := strings.CutPrefix(header.Get("Authorization"), "Bearer ")
		if !ok {
			return "", unsigned("Send the key as Authorization: Bearer ….")
		}
		if subtle.ConstantTimeCompare([]byte(given), []byte(secret)) != 1 {
			return "", unsigned("The key in Authorization is not the one agreed on.")
		}
		return named(s, header, uuid.Must(uuid.NewV7()).String()), nil
	}
	return verifyStandard(key.ID, secret, header, body)
}

func noKey(detail string) *problem.Details {
	return &problem.Details{Status: http.StatusServiceUnavailable, Title: "No key to check with", Detail: detail}
}

func unsigned(detail string) *problem.Details {
	return &problem.Details{Status: http.StatusUnauthorized, Title: "The signature does not hold", Detail: detail}
}

// named is the id a sender gives a delivery, or another one.
func named(s *protocol.SigningKey, header http.Header, otherwise string) string {
	if id := header.Get(s.ID); s.ID != "" && id != "" && len(id) <= 200 {
		return id
	}
	return otherwise
}

// verifyHMAC checks a plain HMAC-SHA256 of the body, or of "time.body" where
// the sender names a time. A delivery is named by its signature, so that the
// same one sent again starts nothing: headers are not signed, and anybody who
// saw a delivery could send it under another name.
func verifyHMAC(s *protocol.SigningKey, secret string, header http.Header, body []byte) (string, *problem.Details) {
	given, ok := strings.CutPrefix(header.Get(s.Header), s.Prefix)
	if given == "" || !ok {
		return "", unsigned("Send the signature in " + s.Header + ", as " + s.Prefix + "… (" + s.Encoding +
			" of HMAC-SHA256 over the exact bytes of the body).")
	}
	mac := hmac.New(sha256.New, []byte(secret))
	if s.At != "" {
		at := header.Get(s.At)
		seconds, err := strconv.ParseInt(at, 10, 64)
		if err != nil {
			return "", unsigned("Send the time in " + s.At + ", in seconds since 1970.")
		}
		if age := time.Since(time.Unix(seconds, 0)); age > tolerance || age < -tolerance {
			return "", unsigned("The time in " + s.At +
				" is more than five minutes from ours: an old delivery, or a clock that is wrong.")
		}
		mac.Write([]byte(at + "."))
	}
	mac.Write(body)
	var signature []byte
	var err error
	if s.Encoding == "base64" {
		signature, err = base64.StdEncoding.DecodeString(given)
	} else {
		signature, err = hex.DecodeString(given)
	}
	if err != nil || !hmac.Equal(signature, mac.Sum(nil)) {
		return "", unsigned("Check the key, and sign the exact bytes of the body.")
	}
	return hex.EncodeToString(signature), nil
}

// verifyStandard checks a signature as Standard Webhooks (standardwebhooks.com) says.
func verifyStandard(key, secret string, header http.Header, body []byte) (string, *problem.Details) {
	var missing []string
	for _, name := range []string{"webhook-id", "webhook-timestamp", "webhook-signature"} {
		if header.Get(name) == "" {
			missing = append(missing, name)
		}
	}
	if len(missing) > 0 {
		return "", unsigned("Sign the delivery as Standard Webhooks says; missing: " + strings.Join(missing, ", ") +
			".")
	}
	id := header.Get("webhook-id")
	if len(id) > 200 {
		return "", unsigned("The webhook-id is longer than 200 characters.")
	}
	hook, err := webhooks.NewWebhook(secret)
	if err != nil {
		return "", noKey("The signing key " + key + " is not base64 behind whsec_; its owner must replace it.")
	}
	if err := hook.Verify(body, header); err != nil {
		return "", unsigned("Check the key, sign the exact bytes of the body, and keep the timestamp within five " +
			"minutes of now (" + err.Error() + ").")
	}
	return id, nil
}

// signingKey is the key a connection is; nil where it is none, or gone.
func signingKey(c *flow.Connection) *protocol.SigningKey {
	if c == nil {
		return nil
	}
	key, _ := c.Is.(*protocol.SigningKey)
	return key
}
