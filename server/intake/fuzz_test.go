package intake

import (
	"bytes"
	"encoding/json"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"testing"
	"unicode/utf8"

	"woolsignal/core/expr"
	"woolsignal/core/fuzztest"
	"woolsignal/core/run"
)

// FuzzBody reads the bodies of deliveries, whose senders may be anybody before
// their signature is known. What is read is JSON again, and canonical.
func FuzzBody(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	f.Add("application/json", "", []byte(`{"a": 1, "a": 2}`))
	f.Add("application/json", "", bytes.Repeat([]byte("["), 101))
	f.Add("application/xml", "utf-16", []byte(`<a b="1"><!DOCTYPE x>c<d/></a>`))
	f.Add("text/xml", "", []byte(`<!DOCTYPE a [<!ENTITY b "&b;">]><a>&b;</a>`))
	f.Add("text/plain", "shift_jis", []byte{0x83, 0x65, 0xff})
	f.Add("application/x-www-form-urlencoded", "", []byte("a=%zz&b=1&b=2;c"))
	f.Add("application/cloudevents+json", "",
		[]byte(`{"specversion":"1.0","id":"","source":"","type":"x","data":null}`))
	f.Add("multipart/form-data", "b",
		[]byte("--b\r\nContent-Disposition: form-data; name=a; filename=../x\r\n\r\n1\r\n--b--"))
	f.Fuzz(func(t *testing.T, kind, param string, body []byte) {
		r := httptest.NewRequest(http.MethodPost, "/in/x", bytes.NewReader(body))
		r.Header.Set("Content-Type", kind)
		signal := &run.Signal{}
		files, refusal := fill(r, signal, kind, map[string]string{"charset": param, "boundary": param}, body)
		if refusal != nil {
			if refusal.Status < 400 || refusal.Status >= 500 {
				t.Errorf("a body is refused with %d", refusal.Status)
			}
			return
		}
		if _, err := json.Marshal(expr.Canonical(signal.Body)); err != nil {
			t.Errorf("what was read is no JSON: %v", err)
		}
		for _, file := range files {
			if strings.ContainsAny(file.Name, `/\`) {
				t.Errorf("a file is called %q", file.Name)
			}
		}
	})
}

// FuzzForm reads the parts of a form.
func FuzzForm(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	f.Add("b", []byte("--b\r\nContent-Disposition: form-data; name=\"a\"\r\n\r\n1\r\n--b--\r\n"))
	f.Add("", []byte("--\r\n\r\n"))
	f.Fuzz(func(t *testing.T, boundary string, body []byte) {
		values, files, err := parts(multipart.NewReader(bytes.NewReader(body), boundary))
		if err != nil {
			return
		}
		for name, all := range values {
			if !utf8.ValidString(strings.Join(all, "")) {
				t.Errorf("%q is not UTF-8", name)
			}
		}
		if len(values)+len(files) > mostFields {
			t.Errorf("%d parts", len(values)+len(files))
		}
	})
}

// FuzzForwarded reads what proxies and callers say of whom a request comes from:
// it is an address, and never that of a trusted proxy where another is named.
func FuzzForwarded(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	f.Add(`for=192.0.2.7;by=x, for="[2001:db8::1]:80"`, "192.0.2.7, 10.0.0.1")
	f.Add(`for="unterminated`, ",,,")
	f.Add(`for=_hidden`, "::ffff:10.0.0.9, 10.1.1.1")
	trusted := []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8")}
	f.Fuzz(func(t *testing.T, standard, usual string) {
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		r.RemoteAddr = "10.0.0.1:5000"
		r.Header["Forwarded"], r.Header["X-Forwarded-For"] = []string{standard}, []string{usual}
		caller := callerOf(r, trusted)
		if _, err := netip.ParseAddr(caller); err != nil {
			t.Errorf("the caller is %q", caller)
		}
		r.RemoteAddr = "192.0.2.9:5000" // no proxy of ours
		if caller := callerOf(r, trusted); caller != "192.0.2.9" {
			t.Errorf("somebody who is no proxy says to be %q", caller)
		}
	})
}
