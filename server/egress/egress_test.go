package egress_test

import (
	"context"
	"errors"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"sync/atomic"
	"testing"

	"woolsignal/core/flow"
	"woolsignal/server/egress"
)

func TestHostileAddresses(t *testing.T) {
	for _, address := range []string{
		"127.0.0.1", "127.8.8.8", "::1", "::ffff:127.0.0.1", "10.1.2.3", "172.16.0.1", "192.168.1.1", "169.254.169.254",
		"::ffff:169.254.169.254", "fe80::1", "fd00::1", "100.64.0.1", "0.0.0.0", "0.1.2.3", "::", "198.18.0.1",
		"240.0.0.1",
		"255.255.255.255", "224.0.0.1", "ff02::1", "64:ff9b::7f00:1", "64:ff9b::a9fe:a9fe", "2002:7f00:1::",
		"2002:c0a8:101::", "::127.0.0.1", "fec0::1",
	} {
		var blocked *egress.BlockedError
		if err := egress.Check(netip.MustParseAddr(address), nil); !errors.As(err, &blocked) {
			t.Errorf("%s may be dialled: %v", address, err)
		}
	}
	for address, networks := range map[string][]string{
		"93.184.215.14": nil, "2606:2800:21f::1": nil, "127.0.0.1": {"loopback"}, "10.1.2.3": {"private"},
		"192.168.7.9": {"192.168.7.0/24"}, "::ffff:127.0.0.1": {"loopback"},
	} {
		if err := egress.Check(netip.MustParseAddr(address), networks); err != nil {
			t.Errorf("%s with %v: %v", address, networks, err)
		}
	}
	if err := egress.Check(netip.MustParseAddr("169.254.169.254"), []string{"private", "loopback"}); err == nil {
		t.Error("naming private networks opened the link-local one")
	}
}

func client(t *testing.T, address string, networks ...string) *http.Client {
	t.Helper()
	c, err := egress.Client(&flow.Connection{ID: "c", Address: address, Networks: networks,
		Auth: flow.Auth{Kind: "header", Name: "X-Key"}},
		func(context.Context, bool) (string, error) { return "s3cret", nil }, nil)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func TestAConnectionStaysOnItsHost(t *testing.T) {
	leaked := ""
	other := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter,
		r *http.Request) {
		leaked = r.Header.Get("X-Key")
	}))
	defer other.Close()
	own := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/away":
			http.Redirect(w, r, other.URL, http.StatusFound)
		case "/huge":
			_, _ = io.Copy(w, io.LimitReader(zeros{}, egress.MaxAnswer+1))
		default:
			_, _ = io.WriteString(w, r.Header.Get("X-Key"))
		}
	}))
	defer own.Close()
	c := client(t, own.URL, "loopback")
	response, err := c.Get(own.URL + "/here")
	if err != nil {
		t.Fatal(err)
	}
	if body, _ := io.ReadAll(response.Body); string(body) != "s3cret" {
		t.Errorf("the connection's own host got the key %q", body)
	}
	for _, url := range []string{own.URL + "/away", other.URL} {
		if _, err := c.Get(url); err == nil {
			t.Errorf("%s was fetched", url)
		}
	}
	if leaked != "" {
		t.Errorf("another host was sent the key %q", leaked)
	}
	response, err = c.Get(own.URL + "/huge")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := io.ReadAll(response.Body); !errors.Is(err, egress.ErrTooLarge) {
		t.Errorf("an endless answer: %v", err)
	}
}

func TestUnnamedLoopbackIsRefusedAndNeverSent(t *testing.T) {
	server := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter,
		*http.Request) {
		t.Error("the request arrived")
	}))
	defer server.Close()
	_, err := client(t, strings.Replace(server.URL, "127.0.0.1", "localhost", 1)).Get(strings.Replace(server.URL,
		"127.0.0.1", "localhost", 1))
	if err == nil || !strings.Contains(err.Error(), "networks:") || !egress.NeverSent(err) {
		t.Errorf("dialling loopback through a name: %v", err)
	}
}

type zeros struct{}

func (zeros) Read(p []byte) (int, error) { return len(p), nil }

// Clients come and go, one for each look or reaction; the sockets they use are
// the same.
func TestClientsShareTheirSockets(t *testing.T) {
	var sockets atomic.Int32
	server := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		_,
			_ = w.Write([]byte("baa"))
	}))
	server.Config.ConnState = func(_ net.Conn, state http.ConnState) {
		if state == http.StateNew {
			sockets.Add(1)
		}
	}
	server.Start()
	defer server.Close()
	for range 50 {
		response, err := client(t, server.URL, "loopback").Get(server.URL)
		if err != nil {
			t.Fatal(err)
		}
		_, err = io.Copy(io.Discard, response.Body)
		if err := errors.Join(err, response.Body.Close()); err != nil {
			t.Fatal(err)
		}
	}
	if n := sockets.Load(); n != 1 {
		t.Errorf("50 clients, one after the other, opened %d sockets", n)
	}
}
