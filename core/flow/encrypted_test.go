package flow_test

import (
	"strings"
	"testing"

	"woolsignal/core/flow"
	_ "woolsignal/core/protocol"
)

func TestOnThisMachine(t *testing.T) {
	for host, is := range map[string]bool{
		"localhost":            true,
		"LOCALHOST:80":         true,
		"a.localhost":          true,
		"127.0.0.1":            true,
		"127.9.9.9:7423":       true,
		"[::1]:80":             true,
		"127.0.0.1.example":    false,
		"127.evil.example.org": false,
		"127.0.0.256":          false,
		"127.0.0.01":           false,
		"localhost.example":    false,
		"10.0.0.1":             false,
		"[::2]":                false,
		"[fe80::1]":            false,
		"":                     false,
		"0.0.0.0":              false,
	} {
		if flow.OnThisMachine(host) != is {
			t.Errorf("%q: %v", host, !is)
		}
	}
}

func TestASecretIsNotSentInTheOpen(t *testing.T) {
	const head = "connection: mill\ntitle: Mill\n"
	for text, refused := range map[string]bool{
		"address: http://mill.example\nhttp: {}\n":                                           false,
		"address: http://mill.example\nauth: {bearer: kept by the service}\nhttp: {}\n":      true,
		"address: http://127.0.0.1.example\nauth: {header: X-Key}\nhttp: {}\n":               true,
		"address: http://127.0.0.1:80\nauth: {header: X-Key}\nhttp: {}\n":                    false,
		"address: https://mill.example\nauth: {query: key}\nhttp: {}\n":                      false,
		"address: http://mill.example\nunencrypted: true\nauth: {basic: office}\nhttp: {}\n": false,
		"address: https://mill.example\nauth: {oauth: {token: 'http://door.example/t', client: w, " +
			"grant: client_credentials}}\nhttp: {}\n": true,
	} {
		_, problems := flow.DecodeConnection("connections/mill.yaml", head+text)
		found := false
		for _, p := range problems {
			found = found || strings.Contains(p.What, "unencrypted") && strings.Contains(p.Remedy, "https://")
			if !strings.Contains(p.What, "unencrypted") {
				t.Errorf("%s: %+v", text, p)
			}
		}
		if found != refused {
			t.Errorf("%srefused: %v, %+v", text, found, problems)
		}
	}
}
