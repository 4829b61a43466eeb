package protocol_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"woolsignal/server/tool"
	"woolsignal/server/workspace"
	"woolsignal/standin/loft"
)

// shows insists on what a call is said to be about, as it is and as it will be.
func (b *bench) shows(name string, args map[string]any, before, after string) {
	b.t.Helper()
	shown, err := b.tools.Show(b.t.Context(), b.kit, name, args, tool.Sending{Key: "k"})
	if is := fmt.Sprint(shown.Before); err != nil || !strings.Contains(is, before) {
		b.t.Errorf("%s is about %s, %v; want %s", name, is, err, before)
	}
	if is := fmt.Sprint(shown.After); !strings.Contains(is, after) {
		b.t.Errorf("%s makes it %s; want %s", name, is, after)
	}
}

// TestWhatACallIsAbout asks of files what a call is about, of the protocol itself and by
// another operation that a connection's file names.
func TestWhatACallIsAbout(t *testing.T) {
	h, err := loft.New(t.TempDir(), func(string, string) (int, string) { return http.StatusOK, "" })
	if err != nil {
		t.Fatal(err)
	}
	s := httptest.NewServer(h)
	t.Cleanup(s.Close)
	b := made(t, map[string]string{"connections/loft.yaml": "connection: loft\ntitle: Loft\naddress: " + s.URL +
		"/files\nauth: {bearer: x}\nnetworks: [loopback]\nwebdav: {}\ntools:\n" +
		"  copy: {shows: {tool: read, args: {path: '${args.from}'}}}\n"}, map[string]string{"loft": "good"})
	b.must("loft/write", map[string]any{"path": "a.txt", "text": "Twelve came."})
	b.shows("loft/remove", map[string]any{"path": "a.txt"}, "path:a.txt", "<nil>")
	b.shows("loft/move", map[string]any{"from": "a.txt", "to": "b.txt"}, "path:a.txt", "path:b.txt")
	b.shows("loft/write", map[string]any{"path": "a.txt", "text": "Thirteen came."}, "Twelve came.", "Thirteen came.")
	b.shows("loft/write", map[string]any{"path": "new.txt", "text": "New."}, "<nil>", "New.")
	b.shows("loft/copy", map[string]any{"from": "a.txt", "to": "b.txt"}, "Twelve came.", "Twelve came.")
	if got := b.must("loft/read", map[string]any{"path": "a.txt"}); got["text"] != "Twelve came." {
		t.Errorf("looking changed it: %v", got["text"])
	}
	for name, args := range map[string]map[string]any{"loft/remove": {"path": "none.txt"}, "loft/list": {},
		"loft/move": {"from": "../../etc/passwd", "to": "x"}} {
		if _, err := b.tools.Show(t.Context(), b.kit, name, args, tool.Sending{}); err == nil {
			t.Errorf("%s %v is about something", name, args)
		}
	}
}

// TestAShowingThatIsNone names operations that are not there, or that change something.
func TestAShowingThatIsNone(t *testing.T) {
	for _, by := range []string{"nothing", "remove"} {
		file := "connection: loft\ntitle: Loft\naddress: http://127.0.0.1:1/files\nnetworks: [loopback]\nwebdav: {}\n" +
			"tools: {copy: {shows: " + by + "}}\n"
		problems := fmt.Sprint(workspace.Check(map[string]string{"woolsignal.yaml": "name: Larkrigg\nzone: " +
			"Europe/London\n",
			"connections/loft.yaml": file}))
		if !strings.Contains(problems, "shows: of copy names "+by+", which is no operation of loft that only reads") {
			t.Errorf("%s: %s", by, problems)
		}
	}
}
