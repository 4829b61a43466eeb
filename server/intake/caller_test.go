package intake

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"testing"
)

func TestWhomARequestComesFrom(t *testing.T) {
	trusted := []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8"), netip.MustParsePrefix("fd00::/8")}
	for name, c := range map[string]struct {
		peer, forwarded, usual, want string
	}{
		"nobody between":             {"203.0.113.9:4000", "", "", "203.0.113.9"},
		"a stranger's word":          {"203.0.113.9:4000", "for=198.51.100.1", "198.51.100.1", "203.0.113.9"},
		"one proxy":                  {"10.0.0.1:4000", "", "198.51.100.1", "198.51.100.1"},
		"one proxy, by the standard": {"10.0.0.1:4000", "for=198.51.100.1;proto=https", "", "198.51.100.1"},
		"two proxies":                {"10.0.0.1:4000", "", "198.51.100.1, 10.0.0.2", "198.51.100.1"},
		"two headers of two proxies": {"10.0.0.1:4000", "for=198.51.100.1, for=10.0.0.2", "", "198.51.100.1"},
		"made up on the left":        {"10.0.0.1:4000", "", "192.0.2.66, 198.51.100.1", "198.51.100.1"},
		"a trusted one made up":      {"10.0.0.1:4000", "", "10.9.9.9, 198.51.100.1", "198.51.100.1"},
		"both, and the same":         {"10.0.0.1:4000", "for=198.51.100.1", "198.51.100.1", "198.51.100.1"},
		"both, and one made up":      {"10.0.0.1:4000", "for=192.0.2.66", "198.51.100.1", "10.0.0.1"},
		"hidden":                     {"10.0.0.1:4000", "for=_secret", "", "10.0.0.1"},
		"unknown":                    {"10.0.0.1:4000", "for=198.51.100.1, for=unknown", "", "10.0.0.1"},
		"no for":                     {"10.0.0.1:4000", "proto=https", "", "10.0.0.1"},
		"quoted, six, with a port":   {"[fd00::1]:4000", `For="[2001:db8::7]:4711"`, "", "2001:db8::7"},
		"a comma within quotes":      {"10.0.0.1:4000", `by="a,b";for=198.51.100.1`, "", "198.51.100.1"},
		"four within six":            {"[::ffff:10.0.0.1]:4000", "", "::ffff:198.51.100.1", "198.51.100.1"},
		"nothing said":               {"10.0.0.1:4000", "", "", "10.0.0.1"},
		"only commas":                {"10.0.0.1:4000", ",,;", ",,", "10.0.0.1"},
	} {
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		r.RemoteAddr = c.peer
		if c.forwarded != "" {
			r.Header.Set("Forwarded", c.forwarded)
		}
		if c.usual != "" {
			r.Header.Set("X-Forwarded-For", c.usual)
		}
		got := ""
		Callers(trusted, http.HandlerFunc(func(_ http.ResponseWriter,
			r *http.Request) {
			got = CallerAddress(r)
		})).ServeHTTP(httptest.NewRecorder(), r)
		if got != c.want {
			t.Errorf("%s: %s, want %s", name, got, c.want)
		}
		if Callers(nil, http.HandlerFunc(func(_ http.ResponseWriter,
			r *http.Request) {
			got = CallerAddress(r)
		})).ServeHTTP(httptest.NewRecorder(), r); len(c.peer) > 0 && got != peer(r) {
			t.Errorf("%s, nobody trusted: %s", name, got)
		}
	}
}

// Behind a proxy, one sender who is refused again and again keeps nobody else
// out.
func TestABadSenderBehindAProxyKeepsNobodyElseOut(t *testing.T) {
	w := publicAddress(t)
	behind := Callers([]netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}, w)
	send := func(from string) int {
		r := httptest.NewRequest(http.MethodPost, "/in/nothing", nil)
		r.RemoteAddr = "127.0.0.1:4000"
		r.Header.Set("X-Forwarded-For", from)
		answer := httptest.NewRecorder()
		behind.ServeHTTP(answer, r)
		return answer.Code
	}
	for i := range maxRefused + 1 {
		send("203.0.113.66")
		if i == maxRefused && send("203.0.113.66") != http.StatusTooManyRequests {
			t.Error("a bad sender is never asked to wait")
		}
	}
	for i := range 5 {
		if code := send(fmt.Sprint("198.51.100.", i)); code != http.StatusNotFound {
			t.Errorf("another sender gets %d", code)
		}
	}
}

// publicAddress is the public address of webhooks, over an empty workspace.
func publicAddress(t *testing.T) http.Handler {
	t.Helper()
	s, _ := clockwork(t)
	return &Webhooks{Workspace: s.Workspace, Engine: s.Engine, Log: s.Log, Limits: NewLimits()}
}
