package protocol_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/modelcontextprotocol/go-sdk/mcp"

	"woolsignal/core/run"
	"woolsignal/server/tool"
)

// hijacked writes something on the bare connection of a request, and closes it.
func hijacked(w http.ResponseWriter, said string) {
	conn, _, err := w.(http.Hijacker).Hijack()
	if err == nil {
		_, _ = conn.Write([]byte(said))
		_ = conn.Close()
	}
}

// What became of a call that must not be repeated is told apart by what
// happened on the wire, and the reason stands in what is said of it.
func TestWhatBecameOfACall(t *testing.T) {
	closed, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	nobody := "http://" + closed.Addr().String()
	closed.Close()
	answers := map[string]func(w http.ResponseWriter, r *http.Request){
		"200": func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "taken") },
		"400": func(w http.ResponseWriter, _ *http.Request) { http.Error(w, "no such lane", 400) },
		"404": func(w http.ResponseWriter, _ *http.Request) { http.Error(w, "no such lane", 404) },
		"429": func(w http.ResponseWriter,
			_ *http.Request) {
			http.Error(w, "no such lane", http.StatusTooManyRequests)
		},
		"500": func(w http.ResponseWriter, _ *http.Request) { http.Error(w, "the shed burns", 500) },
		"503 later": func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Retry-After", "1")
			http.Error(w, "the shed burns", http.StatusServiceUnavailable)
		},
		"cut": func(w http.ResponseWriter, _ *http.Request) { hijacked(w, "") },
		"cut answer": func(w http.ResponseWriter, _ *http.Request) {
			hijacked(w, "HTTP/1.1 200 OK\r\nContent-Length: 100\r\n\r\nha")
		},
		"garbage": func(w http.ResponseWriter, _ *http.Request) { hijacked(w, "good day\r\n\r\n") },
		"too large": func(w http.ResponseWriter, _ *http.Request) {
			_,
				_ = w.Write(bytes.Repeat([]byte("wool "), 2<<20))
		},
		"elsewhere": func(w http.ResponseWriter, r *http.Request) {
			http.Redirect(w, r, "http://127.0.0.2:1/", http.StatusTemporaryRedirect)
		},
	}
	plain := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		answers[strings.ReplaceAll(strings.TrimPrefix(r.URL.Path, "/"), "-", " ")](w, r)
	}))
	t.Cleanup(plain.Close)
	secret := httptest.NewTLSServer(http.HandlerFunc(func(http.ResponseWriter,
		*http.Request) {
		t.Error("it left for a server nobody trusts")
	}))
	t.Cleanup(secret.Close)
	files := map[string]string{}
	for name, address := range map[string]string{"shed": plain.URL, "nobody": nobody, "untrusted": secret.URL} {
		files["connections/"+name+".yaml"] = "connection: " + name + "\ntitle: Shed\naddress: " + address +
			"\nnetworks: [loopback]\nhttp: {}\n"
	}
	files["connections/keyless.yaml"] = "connection: keyless\ntitle: Shed\naddress: " + plain.URL +
		"\nauth: {bearer: true}\nnetworks: [loopback]\nhttp: {}\n"
	b := made(t, files, nil)
	for _, c := range []struct {
		connection, path string
		uncertain        bool
		effect           run.Effect
		says             string
	}{
		{"shed", "400", false, "", "no such lane"},
		{"shed", "404", false, "", "no such lane"},
		{"shed", "429", false, "", "no such lane"},
		{"shed", "500", true, run.Unsure, "the shed burns"},
		{"shed", "503-later", true, run.Unsure, "the shed burns"},
		{"shed", "cut", true, run.Unsure, "EOF"},
		{"shed", "cut-answer", true, run.Unsure, "its answer broke off"},
		{"shed", "garbage", true, run.Unsure, "malformed"},
		{"shed", "too-large", false, run.TookPlace, "more than the 8 MiB that can be kept"},
		{"shed", "elsewhere", true, run.Unsure, "redirects"},
		{"nobody", "200", false, "", "refused"},
		{"untrusted", "200", false, "", "certificate"},
		{"keyless", "200", false, "", "has no secret yet"},
	} {
		args := map[string]any{"method": "POST", "path": "/" + c.path, "body": "12 kg"}
		_, err := b.try(c.connection+"/send", args, tool.Sending{Key: "k"})
		var uncertain *tool.UncertainError
		if err == nil || errors.As(err, &uncertain) != c.uncertain || tool.EffectOf(err) != c.effect ||
			!strings.Contains(err.Error(), c.says) {
			t.Errorf("%s/%s: uncertain %t, effect %q: %v", c.connection, c.path, errors.As(err, &uncertain),
				tool.EffectOf(err), err)
		}
	}
	// What only reads leaves nothing in doubt.
	_, err = b.try("shed/get", map[string]any{"path": "/too-large"}, tool.Sending{})
	var refused *tool.RefusedError
	if !errors.As(err, &refused) || !strings.Contains(err.Error(), "8 MiB") {
		t.Errorf("reading what is too large: %v", err)
	}
	ctx, leave := context.WithCancel(context.Background())
	defer leave()
	slow := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		_, _ = io.Copy(io.Discard, r.Body) // else nobody notices that the caller left
		leave()                            // it arrived, and nobody waits for its answer any more
		<-r.Context().Done()
	}))
	t.Cleanup(slow.Close)
	late := made(t, map[string]string{"connections/slow.yaml": "connection: slow\ntitle: Slow\naddress: " + slow.URL +
		"\nnetworks: [loopback]\nhttp: {}\n"}, nil)
	_, err = late.tools.Call(ctx, late.kit, "slow/send", map[string]any{"method": "POST", "path": "/", "body": "x"},
		tool.Sending{})
	var uncertain *tool.UncertainError
	if !errors.As(err, &uncertain) {
		t.Errorf("no answer in time: %v", err)
	}
}

// What an MCP server's own answers say of a call, and a session that is lost.
func TestWhatBecameOfACallOfAnMCPServer(t *testing.T) {
	server := mcp.NewServer(&mcp.Implementation{Name: "clip", Version: "1"}, nil)
	server.AddTool(&mcp.Tool{Name: "add", InputSchema: map[string]any{"type": "object"}},
		func(context.Context, *mcp.CallToolRequest) (*mcp.CallToolResult, error) {
			return &mcp.CallToolResult{}, nil
		})
	inner := mcp.NewStreamableHTTPHandler(func(*http.Request) *mcp.Server { return server }, nil)
	answer := make(chan func(http.ResponseWriter), 1)
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Mcp-Method") == "tools/call" || r.Method == http.MethodPost && calls(r) {
			select {
			case do := <-answer:
				do(w)
				return
			default:
			}
		}
		inner.ServeHTTP(w, r)
	}))
	t.Cleanup(s.Close)
	b := made(t, map[string]string{"connections/clip.yaml": "connection: clip\ntitle: Clip\naddress: " + s.URL +
		"\nnetworks: [loopback]\nmcp: {offer: [add]}\n"}, nil)
	b.must("clip/add", map[string]any{})
	for name, c := range map[string]struct {
		do        func(http.ResponseWriter)
		uncertain bool
	}{
		"forbidden": {func(w http.ResponseWriter) { http.Error(w, "not you", http.StatusForbidden) }, false},
		"broken": {func(w http.ResponseWriter) { http.Error(w, "the shed burns", http.StatusInternalServerError) },
			true},
		"cut": {func(w http.ResponseWriter) { hijacked(w, "") }, true},
	} {
		answer <- c.do
		_, err := b.try("clip/add", map[string]any{}, tool.Sending{Key: name})
		var uncertain *tool.UncertainError
		if err == nil || errors.As(err, &uncertain) != c.uncertain {
			t.Errorf("%s: %v", name, err)
		}
		await(t, func() bool { _, err := b.try("clip/add", map[string]any{}, tool.Sending{}); return err == nil })
	}
}

// calls tells whether a request to an MCP server calls a tool. The body is
// there for whoever reads it next.
func calls(r *http.Request) bool {
	var body bytes.Buffer
	_, _ = body.ReadFrom(r.Body)
	r.Body = nopCloser{bytes.NewReader(body.Bytes())}
	return strings.Contains(body.String(), "tools/call")
}

type nopCloser struct{ *bytes.Reader }

func (nopCloser) Close() error { return nil }

// await waits until something holds.
func await(t *testing.T, holds func() bool) {
	t.Helper()
	for end := time.Now().Add(10 * time.Second); !holds(); time.Sleep(5 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatal("it never became so")
		}
	}
}

// A server that is slow to open a session holds up nobody but its own callers,
// and those only as long as they care to wait.
func TestASlowMCPServerHoldsUpNobodyElse(t *testing.T) {
	silent, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { silent.Close() })
	server := mcp.NewServer(&mcp.Implementation{Name: "quick", Version: "1"}, nil)
	server.AddTool(&mcp.Tool{Name: "add", InputSchema: map[string]any{"type": "object"}},
		func(context.Context, *mcp.CallToolRequest) (*mcp.CallToolResult, error) {
			return &mcp.CallToolResult{}, nil
		})
	quick := httptest.NewServer(mcp.NewStreamableHTTPHandler(func(*http.Request) *mcp.Server { return server }, nil))
	t.Cleanup(quick.Close)
	text := "connection: %s\ntitle: Server\naddress: %s\nnetworks: [loopback]\nmcp: {offer: [add]}\n"
	b := made(t, map[string]string{"connections/slow.yaml": fmt.Sprintf(text, "slow", "http://"+silent.Addr().String()),
		"connections/quick.yaml": fmt.Sprintf(text, "quick", quick.URL)}, nil)
	opening := make(chan error, 1)
	go func() {
		_, err := b.try("slow/add", map[string]any{}, tool.Sending{})
		opening <- err
	}()
	conn, err := silent.Accept() // it is being asked, and says nothing
	if err != nil {
		t.Fatal(err)
	}
	b.must("quick/add", map[string]any{})
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Millisecond)
	defer cancel()
	if _, err := b.tools.Call(ctx, b.kit, "slow/add", map[string]any{}, tool.Sending{}); err == nil ||
		tool.EffectOf(err) != "" {
		t.Errorf("whoever stops waiting for the slow one: %v", err)
	}
	select {
	case err := <-opening:
		t.Errorf("the slow one answered: %v", err)
	default:
	}
	conn.Close()
	silent.Close()
	if err := <-opening; err == nil || tool.EffectOf(err) != "" {
		t.Errorf("a session that never opened: %v", err)
	}
}

// A statement without any words is refused, whatever it is made of.
func TestEmptyStatements(t *testing.T) {
	b := made(t,
		map[string]string{"connections/bales.yaml": "connection: bales\ntitle: Bales\naddress: sqlite:/nowhere.db\n" +
			"sql: {write: true}\n"}, nil)
	for _, statement := range []string{" ; ", ";", "\t\n;;", "''", "--"} {
		for _, name := range []string{"bales/query", "bales/execute"} {
			var refused *tool.RefusedError
			if _, err := b.try(name, map[string]any{"sql": statement}, tool.Sending{}); !errors.As(err, &refused) {
				t.Errorf("%s of %q: %v", name, statement, err)
			}
		}
	}
}
