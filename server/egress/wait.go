package egress

import (
	"net/http"
	"strconv"
	"strings"
	"time"
)

// RetryAfter reads how long a peer asks us to wait (RFC 9110, 10.2.3); 0 where
// it does not say.
func RetryAfter(h http.Header) time.Duration {
	v := strings.TrimSpace(h.Get("Retry-After"))
	if seconds, err := strconv.Atoi(v); err == nil && seconds >= 0 {
		return time.Duration(seconds) * time.Second
	}
	if at, err := http.ParseTime(v); err == nil {
		return max(0, time.Until(at))
	}
	return 0
}
