package bellwether

import (
	"bytes"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"io"
	"math"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// flock is a Bellwether that is asked over the network.
type flock struct {
	t   *testing.T
	url string
}

func open(t *testing.T, folder string) flock {
	t.Helper()
	server := httptest.NewServer(New(Options{Key: "key", Rules: folder}))
	t.Cleanup(server.Close)
	return flock{t, server.URL}
}

func (f flock) send(method, path, body string) (int, string) {
	f.t.Helper()
	request, err := http.NewRequest(method, f.url+path, strings.NewReader(body))
	if err != nil {
		f.t.Fatal(err)
	}
	request.Header.Set("X-Api-Key", "key")
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		f.t.Fatal(err)
	}
	defer response.Body.Close()
	text, _ := io.ReadAll(response.Body)
	return response.StatusCode, string(text)
}

// chat asks in one piece, and gives what was said and the call that was asked for.
func (f flock) chat(model string, more map[string]any, said ...any) (text, call string) {
	f.t.Helper()
	body := map[string]any{"model": "bellwether-" + model, "messages": said}
	for k, v := range more {
		body[k] = v
	}
	data, _ := json.Marshal(body)
	status, answer := f.send(http.MethodPost, "/v1/chat/completions", string(data))
	var out struct {
		Choices []struct {
			Message struct {
				Content   string
				ToolCalls []struct {
					Function struct{ Name, Arguments string }
				} `json:"tool_calls"`
			}
		}
	}
	if err := json.Unmarshal([]byte(answer), &out); err != nil || status != 200 || len(out.Choices) != 1 {
		f.t.Fatalf("%d %s %v", status, answer, err)
	}
	m := out.Choices[0].Message
	if len(m.ToolCalls) > 0 {
		call = m.ToolCalls[0].Function.Name + " " + m.ToolCalls[0].Function.Arguments
	}
	return m.Content, call
}

func user(text any) map[string]any { return map[string]any{"role": "user", "content": text} }

var readTool = map[string]any{"tools": []any{map[string]any{"type": "function", "function": map[string]any{
	"name": "loft__read", "description": "Reads a file.", "parameters": map[string]any{"type": "object",
		"properties": map[string]any{"path": map[string]any{"type": "string"}}, "required": []any{"path"}}}}}}

// TestAnybodyCanScriptIt puts rules, as a builder does who rehearses: when the words
// hold this and the tools hold that, call it, then say so.
func TestAnybodyCanScriptIt(t *testing.T) {
	f := open(t, "")
	const rules = `
- words: [spinning]
  do: [{tool: loft/read, args: {path: spinning.txt}}]
  say: "The file says: {{.result.text}}"
- words: [grade it]
  model: small
  answer: {grade: B}
- words: [grade it]
  answer: {grade: A, why: fine}
`
	if status, listed := f.send(http.MethodPut, "/_rules", rules); status != 200 || !strings.Contains(listed,
		"spinning") {
		t.Fatalf("%d %s", status, listed)
	}
	ask := user("Tell me of the spinning, please")
	_, call := f.chat("medium", readTool, ask)
	if call != `loft__read {"path":"spinning.txt"}` {
		t.Fatalf("it calls %s", call)
	}
	text, _ := f.chat("medium", readTool, ask, map[string]any{"role": "assistant", "tool_calls": []any{map[string]any{
		"id": "a", "function": map[string]any{"name": "loft__read", "arguments": "{}"}}}},
		map[string]any{"role": "tool", "tool_call_id": "a", "content": `{"text": "Two at once."}`})
	if text != "The file says: Two at once." {
		t.Errorf("it says %q", text)
	}
	if _, call := f.chat("medium", nil, ask); call != "" {
		t.Errorf("without the tool it calls %s", call)
	}
	typed := map[string]any{"response_format": map[string]any{"type": "json_schema", "json_schema": map[string]any{
		"schema": map[string]any{"type": "object"}}}}
	for model, want := range map[string]string{"small": `{"grade":"B"}`, "large": `{"grade":"A","why":"fine"}`} {
		if text, _ := f.chat(model, typed, user("Now grade it")); text != want {
			t.Errorf("%s answers %s", model, text)
		}
	}
	for _, wrong := range []string{"- words: [a]", "- fault: sneeze\n", "- say: {", "- do: [{args: {a: b}}]"} {
		if status, said := f.send(http.MethodPut, "/_rules", wrong); status != 400 {
			t.Errorf("%q is taken: %d %s", wrong, status, said)
		}
	}
	if _, listed := f.send(http.MethodGet, "/_rules", ""); !strings.Contains(listed, "spinning") {
		t.Errorf("rules that are wrong took the place of others: %s", listed)
	}
	if _, listed := f.send(http.MethodPut, "/_rules", ""); strings.TrimSpace(listed) != "[]" {
		t.Errorf("after none were put, there are %s", listed)
	}
}

// TestAFolderOfRules reads files as they are at each request.
func TestAFolderOfRules(t *testing.T) {
	folder := t.TempDir()
	f := open(t, folder)
	path := filepath.Join(folder, "mine.yaml")
	for _, say := range []string{"One.", "Two."} {
		if err := os.WriteFile(path, []byte("- words: [count]\n  say: "+say+"\n"), 0o600); err != nil {
			t.Fatal(err)
		}
		if text, _ := f.chat("small", nil, user("count")); text != say {
			t.Errorf("it says %q, want %q", text, say)
		}
	}
	if err := os.WriteFile(path, []byte("- words: ["), 0o600); err != nil {
		t.Fatal(err)
	}
	if status, said := f.send(http.MethodPost, "/v1/chat/completions",
		`{"model":"bellwether-small","messages":[{"role":"user","content":"count"}]}`); status != 400 ||
		!strings.Contains(said, "mine.yaml") {
		t.Errorf("a broken file: %d %s", status, said)
	}
}

// TestItsOwnAnswersStayUseful asks what nobody foresaw.
func TestItsOwnAnswersStayUseful(t *testing.T) {
	f := open(t, "")
	for asked, want := range map[string][]string{
		"Draft a polite mail.\n\nName: Ada Fell\nSubject: Fleece sheets\nprice: 12.50\ncollection day: Friday": {
			"Dear Ada Fell,",
			"about Fleece sheets", "The price is 12.50.", "The collection day is Friday.", "Kind regards"},
		"Reply to this mail: where is my cheque?": {"Dear friend,", "Kind regards"},
		"Sum this up:\nThe ram sale was wet. Nobody minded. Hollin Bank sold 12 rams for 3,400. Tea was served.": {
			"The ram sale was wet. Hollin Bank sold 12 rams for 3,400."},
		"The dock opens at eight. It closes at five.\nWhen does the dock close?": {"The dock opens at eight."},
		"The tup is lame.": {"Noted: The tup is lame."},
	} {
		text, _ := f.chat("medium", nil, user(asked))
		for _, part := range want {
			if !strings.Contains(text, part) {
				t.Errorf("%q is answered %q, without %q", asked, text, part)
			}
		}
		if strings.Contains(text, "no rule") {
			t.Errorf("%q is answered %q", asked, text)
		}
	}
}

// TestSizesDiffer asks what the small model gets wrong.
func TestSizesDiffer(t *testing.T) {
	f := open(t, "")
	typed := map[string]any{"response_format": map[string]any{"type": "json_schema", "json_schema": map[string]any{
		"schema": map[string]any{"type": "object", "properties": map[string]any{"kind": map[string]any{
			"type": "string", "enum": []any{"lambswool", "hogget", "daggings"}, "description": "What it is." +
				"\n- lambswool: the first fleece of a lamb, soft\n" +
				"- hogget: the first fleece of a yearling, soft and long\n" +
				"- daggings: soiled wool"}}}}}}
	got := map[string]string{}
	for _, model := range []string{"small", "medium", "large"} {
		got[model], _ = f.chat(model, typed, user(`Which kind is "a soft fleece of a yearling"?`))
	}
	if got["medium"] != `{"kind":"hogget"}` || got["large"] != got["medium"] || got["small"] == got["medium"] {
		t.Errorf("%v", got)
	}
}

// TestWhatFitsNoChoice takes the choice for the rest where a text is about none.
func TestWhatFitsNoChoice(t *testing.T) {
	f := open(t, "")
	typed := map[string]any{"response_format": map[string]any{"type": "json_schema", "json_schema": map[string]any{
		"schema": map[string]any{"type": "object", "properties": map[string]any{"wants": map[string]any{
			"type": "string", "enum": []any{"a slot", "a price", "something else"}}}}}}}
	got, _ := f.chat("medium", typed, user("Ring me back about last week's pay"))
	if got != `{"wants":"something else"}` {
		t.Error(got)
	}
}

// TestItLooksAtFiles shows it a picture and a PDF, in both protocols.
func TestItLooksAtFiles(t *testing.T) {
	f := open(t, "")
	var picture bytes.Buffer
	if err := png.Encode(&picture, image.NewGray(image.Rect(0, 0, 40, 30))); err != nil {
		t.Fatal(err)
	}
	seen := base64.StdEncoding.EncodeToString(picture.Bytes())
	text, _ := f.chat("medium", nil, user([]any{map[string]any{"type": "text", "text": "What is on it?"},
		map[string]any{"type": "image_url", "image_url": map[string]any{"url": "data:image/png;base64," + seen}}}))
	if !strings.Contains(text, "40 by 30 points, dark") {
		t.Errorf("it sees %q", text)
	}
	bill, err := os.ReadFile("../../demo/invoice.pdf")
	if err != nil {
		t.Fatal(err)
	}
	body, _ := json.Marshal(map[string]any{"model": "bellwether-medium", "max_tokens": 500,
		"messages": []any{user([]any{
			map[string]any{"type": "document", "title": "bill.pdf",
				"source": map[string]any{"media_type": "application/pdf",
					"data": base64.StdEncoding.EncodeToString(bill)}},
			map[string]any{"type": "text", "text": "Read it."}})},
		"tools": []any{map[string]any{"name": "give", "input_schema": map[string]any{"type": "object",
			"properties": map[string]any{"supplier": map[string]any{"type": "string"}}}}},
		"tool_choice": map[string]any{"type": "tool", "name": "give"}})
	status, answer := f.send(http.MethodPost, "/v1/messages", string(body))
	if status != 200 || !strings.Contains(answer, `"stop_reason":"tool_use"`) || !strings.Contains(answer, "Sacking") {
		t.Errorf("%d %s", status, answer)
	}
}

// TestEmbeddingsLieWhereWordsAreShared embeds three texts.
func TestEmbeddingsLieWhereWordsAreShared(t *testing.T) {
	f := open(t, "")
	status, answer := f.send(http.MethodPost, "/v1/embeddings",
		`{"model":"bellwether-embed","input":["coarse fleece from the fell","a fleece, coarse","telephone bill"]}`)
	var out struct {
		Data []struct{ Embedding []float64 }
	}
	if err := json.Unmarshal([]byte(answer), &out); err != nil || status != 200 || len(out.Data) != 3 {
		t.Fatalf("%d %.200s %v", status, answer, err)
	}
	near := func(a, b int) (dot float64) {
		for i, v := range out.Data[a].Embedding {
			dot += v * out.Data[b].Embedding[i]
		}
		return dot
	}
	if near(0, 1) < 0.6 || near(0, 2) > 0.4 || math.Abs(near(2, 2)-1) > 0.01 {
		t.Errorf("%f %f %f", near(0, 1), near(0, 2), near(2, 2))
	}
	if status, _ := f.send(http.MethodPost, "/v1/embeddings",
		`{"model":"bellwether-small","input":["a"]}`); status != 404 {
		t.Errorf("a model that answers embeds: %d", status)
	}
}

// TestFaultsAreOrdered has rules go wrong in every way, in both protocols.
func TestFaultsAreOrdered(t *testing.T) {
	f := open(t, "")
	for name := range chatFaults {
		if name == "endless" {
			continue // see the product's own tests: it ends where nobody reads
		}
		if status, said := f.send(http.MethodPut, "/_rules", fmt.Sprintf("- fault: %s", name)); status != 200 {
			t.Fatalf("%s: %d %s", name, status, said)
		}
		for _, path := range []string{"/v1/chat/completions", "/v1/messages"} {
			status, answer := f.send(http.MethodPost, path,
				`{"model":"bellwether-small","max_tokens":9,"stream":true,`+
					`"messages":[{"role":"user","content":"hello"}]}`)
			if status != 200 || !strings.HasPrefix(answer, "data: ") ||
				name == "huge" && len(answer) < 10<<20 || name == "arguments" && len(answer) < 5_000_000 {
				t.Errorf("%s at %s: %d, %d bytes", name, path, status, len(answer))
			}
		}
	}
}
