package e2e_test

import (
	"bytes"
	"encoding/json"
	"image"
	"image/png"
	"mime/multipart"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"woolsignal/core/run"
	"woolsignal/e2e/browser"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

const notices = `workflow: notices
title: Notices
triggers:
  - id: pin
    form: {page: pin, title: Pin up, fields: [{name: picture, type: file}]}
steps:
  - tool: loft/write
    args: {path: pinned.png, file: '${signal.files[0]}', overwrite: true}
`

const pinboard = `workflow: board
title: Board
triggers:
  - id: page
    chat: {page: board, open: true}
steps:
  - id: pinned
    tool: loft/read
    args: {path: pinned.png}
  - say: {text: 'Pinned today, for ${signal.text}', picture: '${pinned.file}'}
`

// pinUp sends a picture by a form and gives the run it began.
func pinUp(t *testing.T, s *harness.Service) wire.Detail {
	t.Helper()
	var body bytes.Buffer
	form := multipart.NewWriter(&body)
	file, err := form.CreateFormFile("picture", "pinned.png")
	if err == nil {
		err = png.Encode(file, image.NewGray(image.Rect(0, 0, 40, 30)))
	}
	if err != nil || form.WriteField("_once", "p-1") != nil || form.Close() != nil {
		t.Fatal(err)
	}
	response, err := http.Post(s.URL+"/slip/pin", form.FormDataContentType(), &body)
	if err != nil || response.StatusCode >= 400 {
		t.Fatalf("%v %v", response, err)
	}
	response.Body.Close()
	return s.RunOf("notices", "the picture is pinned up", func(d wire.Detail) bool { return d.Status == run.Done })
}

// TestAVisitorSeesThePictureThatIsSaid has a workflow say a picture on a page for
// visitors: its visitor sees it; nobody else gets it, not by its hash either, and a
// hash that is merely written opens nothing.
func TestAVisitorSeesThePictureThatIsSaid(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	if err := with(t, s, "notices", notices); err != nil {
		t.Fatal(err)
	}
	if err := with(t, s, "board", pinboard); err != nil {
		t.Fatal(err)
	}
	d := pinUp(t, s)
	var sent struct{ Files []run.File }
	if text, err := json.Marshal(d.Signal); err != nil || json.Unmarshal(text, &sent) != nil || len(sent.Files) != 1 {
		t.Fatalf("%s %v", text, err)
	}
	hash := sent.Files[0].Blob
	ctx := page(t)
	do(t, ctx, chromedp.Navigate(s.URL+"/talk/board"), browser.HasText("Write a few words to begin."),
		chromedp.SendKeys(`input[aria-label="Message"]`, "all\r"), browser.HasText("Pinned today, for all"))
	harness.Eventually(t, "the picture is drawn", func() bool {
		wide, err := chromedp.Run(ctx, chromedp.Evaluate[int](
			`document.querySelector('img[alt="pinned.png"]')?.naturalWidth ?? 0`))
		return err == nil && wide == 40
	})
	accessible(t, ctx, "a hosted page with a picture")
	other := &visitor{t: t, url: s.URL + "/talk/board/messages", key: strings.Repeat("other", 6)}
	file := &visitor{t: t, url: s.URL + "/talk/board/files/" + hash, key: other.key}
	if code, answer := file.send(http.MethodGet, ""); code != http.StatusNotFound {
		t.Errorf("somebody nothing was said to gets %d: %d bytes", code, len(answer))
	}
	if err := with(t, s, "parrot", strings.NewReplacer("${second.words}", "it too", "call: echo",
		"compute: {words: '1'}",
		"    inputs: {words: \"${signal.text}\"}\n", "").Replace(parrots["workflows/parrot.yaml"])); err != nil {
		t.Fatal(err)
	}
	parrot := &visitor{t: t, url: s.URL + "/talk/parrot/messages", key: other.key}
	parrot.says(hash)
	parrot.hears("You said " + hash)
	file.url = s.URL + "/talk/parrot/files/" + hash
	if code, answer := file.send(http.MethodGet, ""); code != http.StatusNotFound {
		t.Errorf("a hash that is written opens a file: %d, %d bytes", code, len(answer))
	}
	other.says("me")
	other.hears("Pinned today, for me")
	file.url = s.URL + "/talk/board/files/" + hash
	if code, answer := file.send(http.MethodGet, ""); code != http.StatusOK || !strings.HasPrefix(answer, "\x89PNG") {
		t.Errorf("who was told gets %d: %.40s", code, answer)
	}
}
