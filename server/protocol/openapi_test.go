package protocol_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"strings"
	"testing"

	"woolsignal/core/flow"
	"woolsignal/server/tool"
)

// barnAPI makes tools of a description in YAML behind a byte-order mark.
func barnAPI(t *testing.T, peer http.Handler) (tool.Catalogue, *tool.Kit, []flow.Problem) {
	t.Helper()
	text, err := os.ReadFile("testdata/barn.yaml")
	if err != nil {
		t.Fatal(err)
	}
	return catalogue(t, "address: URL\nopenapi:\n  description: schemas/barn.yaml\n", peer,
		map[string]string{"schemas/barn.yaml": "\ufeff" + string(text)})
}

// barnPeer writes down what it is sent, and answers as it is asked to.
type barnPeer struct{ got string }

func (b *barnPeer) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	body, _ := io.ReadAll(r.Body)
	b.got = fmt.Sprintf("%s %s", r.Method, r.URL.RequestURI())
	for _, name := range []string{"Cookie", "X-Lanes", "Content-Type"} {
		if v := r.Header.Get(name); v != "" {
			b.got += "\n" + name + ": " + v
		}
	}
	if len(body) > 0 {
		b.got += "\n\n" + string(body)
	}
	kind, answer := "application/json", `{"ok": true}`
	switch r.URL.Path {
	case "/answers/words", "/sheet":
		kind, answer = "text/csv; charset=utf-8", "a,b\n1,2\n"
	case "/answers/lie":
		answer = "<html>Barn</html>"
	case "/answers/picture", "/picture":
		kind, answer = "image/png", "\x89PNG\r\n\x1a\n\xff"
	case "/answers/none":
		kind, answer = "", ""
	}
	w.Header()["Content-Type"] = nil
	if kind != "" {
		w.Header().Set("Content-Type", kind)
	}
	_, _ = io.WriteString(w, answer)
}

// TestEveryArgumentIsSentInItsPlace calls each operation, and reads what the peer
// got byte by byte.
func TestEveryArgumentIsSentInItsPlace(t *testing.T) {
	peer := &barnPeer{}
	c, kit, problems := barnAPI(t, peer)
	said := fmt.Sprint(problems)
	if len(problems) != 2 || !strings.Contains(said, "the parameter lots: it is a list of lists or maps") ||
		!strings.Contains(said, "the parameter sheet: it is written as text/csv") || c["peer/needs"] != nil {
		t.Errorf("what cannot be sent is said as %s", said)
	}
	file, err := kit.Save(context.Background(),
		tool.Content{Name: "a \"b\".csv", Kind: "text/csv", Data: []byte("1,2")})
	if err != nil {
		t.Fatal(err)
	}
	list := func(v ...any) []any { return v }
	for _, call := range []struct {
		name string
		args map[string]any
		want string
	}{
		{"query", map[string]any{"many": list("a b", "c&d")}, "GET /q?many=a+b&many=c%26d"},
		{"query", map[string]any{"commas": list("a,b", "c")}, "GET /q?commas=a%2Cb,c"},
		{"query", map[string]any{"spaces": list("a", "b")}, "GET /q?spaces=a%20b"},
		{"query", map[string]any{"pipes": list("a", "b")}, "GET /q?pipes=a%7Cb"},
		{"query", map[string]any{"deep": map[string]any{"kg": int64(3), "of": "x y"}},
			"GET /q?deep%5Bkg%5D=3&deep%5Bof%5D=x+y"},
		{"query", map[string]any{"spread": map[string]any{"a": int64(1), "b": true}}, "GET /q?a=1&b=true"},
		{"query", map[string]any{"plain": "/a?b=c"}, "GET /q?plain=/a?b=c"},
		{"query", map[string]any{"written": map[string]any{"a": int64(1)}}, "GET /q?written=%7B%22a%22%3A1%7D"},
		{"query", map[string]any{"many": list(), "deep": nil}, "GET /q"},
		{"query", map[string]any{"many": list(int64(1), 2.5, true)}, "GET /q?many=1&many=2.5&many=true"},
		{"path", map[string]any{"simple": list("a/b", "c"), "label": list("d", "e"), "matrix": "f"},
			"GET /p/a%2Fb,c/.d.e/;matrix=f/end"},
		{"path", map[string]any{"simple": list("a"), "label": list("d"), "matrix": "f", "X-Lanes": list("l", "m"),
			"lane": "a; admin=1", "kept": list("x", "y")},
			"GET /p/a/.d/;matrix=f/end\nCookie: lane=a%3B+admin%3D1; kept=x; kept=y\nX-Lanes: l,m"},
		{"twins", map[string]any{"name": "a", "name_in_query": "b", "name_in_body": "c", "xml": map[string]any{},
			"example": "e"}, "PUT /twins/a?name=b\nContent-Type: application/json\n\n" +
			`{"example":"e","name":"c","xml":{}}`},
		{"either", map[string]any{"body": "words"},
			"POST /either\nContent-Type: application/vnd.barn.v2+json\n\n\"words\""},
		{"either", map[string]any{"body": map[string]any{"kg": 2.5}},
			"POST /either\nContent-Type: application/vnd.barn.v2+json\n\n{\"kg\":2.5}"},
		{"list", map[string]any{"body": list(int64(1), int64(2))},
			"POST /list\nContent-Type: application/json\n\n[1,2]"},
		{"list", map[string]any{}, "POST /list"},
		{"map", map[string]any{"body": map[string]any{"a": "1", "else": "2"}},
			"POST /map\nContent-Type: application/json\n\n" + `{"a":"1","else":"2"}`},
		{"form", map[string]any{"a": "1&2", "many": list("x", "y"), "deep": map[string]any{"k": int64(1)}},
			"POST /form\nContent-Type: application/x-www-form-urlencoded\n\n" +
				"a=1%262&deep=%7B%22k%22%3A1%7D&many=x&many=y"},
		{"text", map[string]any{"body": "in words"}, "POST /text\nContent-Type: text/plain\n\nin words"},
		{"bytes", map[string]any{"body": file}, "PUT /bytes\nContent-Type: application/octet-stream\n\n1,2"},
	} {
		_, err := c.Call(context.Background(), kit, "peer/"+call.name, call.args, tool.Sending{})
		if err != nil || peer.got != call.want {
			t.Errorf("%s of %v: %v\nsent %q\nwant %q", call.name, call.args, err, peer.got, call.want)
		}
	}
	if _, err := c.Call(context.Background(), kit, "peer/files", map[string]any{"note": "n", "sheet": file,
		"facts": map[string]any{"kg": int64(1)}, "pictures": list(file, file)}, tool.Sending{}); err != nil {
		t.Fatal(err)
	}
	for words, times := range map[string]int{`name="sheet"; filename="a \"b\".csv"`: 1,
		"Content-Type: text/csv\r\n": 3,
		`name="pictures"; filename=`: 2, "name=\"note\"\r\n\r\nn\r\n": 1,
		"name=\"facts\"\r\nContent-Type: application/json\r\n\r\n{\"kg\":1}": 1} {
		if strings.Count(peer.got, words) != times {
			t.Errorf("the form has %q %d times, want %d:\n%s", words, strings.Count(peer.got, words), times, peer.got)
		}
	}
}

// TestWhatLeadsElsewhereIsNotSent tries to leave an argument's place.
func TestWhatLeadsElsewhereIsNotSent(t *testing.T) {
	peer := &barnPeer{}
	c, kit, _ := barnAPI(t, peer)
	path := func(change string, v any) map[string]any {
		args := map[string]any{"simple": []any{"a"}, "label": []any{"b"}, "matrix": "c"}
		args[change] = v
		return args
	}
	for name, args := range map[string]map[string]any{"answers": {"kind": ".."},
		"twins": {"name": "", "name_in_body": "x"},
		"path":  path("simple", []any{".."})} {
		var refused *tool.RefusedError
		if _, err := c.Call(context.Background(), kit, "peer/"+name, args,
			tool.Sending{}); !errors.As(err, &refused) {
			t.Errorf("%s of %v: %v", name, args, err)
		}
	}
	var refused *tool.RefusedError
	if _, err := c.Call(context.Background(), kit, "peer/path", path("X-Lanes", []any{"a\r\nX-Evil: 1"}),
		tool.Sending{}); !errors.As(err, &refused) {
		t.Errorf("a header with two lines: %v", err)
	}
	if peer.got != "" {
		t.Errorf("it was sent: %s", peer.got)
	}
}

// TestAnAnswerThatIsNotJSONIsWordsOrAFile reads answers of each kind, and one
// that says it is JSON and is not.
func TestAnAnswerThatIsNotJSONIsWordsOrAFile(t *testing.T) {
	c, kit, _ := barnAPI(t, &barnPeer{})
	answer := func(operation string, args map[string]any) any {
		t.Helper()
		v, err := c.Call(context.Background(), kit, "peer/"+operation, args, tool.Sending{})
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	for kind, want := range map[string]string{"words": "a,b\n1,2\n", "lie": "<html>Barn</html>",
		"none": "map[status:200]", "json": "map[ok:true]"} {
		if got := fmt.Sprint(answer("answers", map[string]any{"kind": kind})); got != want {
			t.Errorf("%s is %q, want %q", kind, got, want)
		}
	}
	file, _ := answer("picture", nil).(map[string]any)
	if content, err := kit.Load(context.Background(), file); err != nil || content.Kind != "image/png" ||
		!strings.HasPrefix(string(content.Data), "\x89PNG") || content.Name != "picture" {
		t.Errorf("the picture is %+v, %v", content, err)
	}
	if out := c["peer/sheet"].Output; out["type"] != "string" ||
		fmt.Sprint(answer("sheet", nil)) != "a,b\n1,2\n" {
		t.Errorf("the sheet is %v, as %v", answer("sheet", nil), out)
	}
}
