package intake_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"strings"
	"testing"
	"time"

	"woolsignal/server/store"
)

// filesSent is a form with files, by field; each field may have several.
func filesSent(t *testing.T, fields map[string]string, files ...[2]string) (kind string, body []byte) {
	t.Helper()
	var out bytes.Buffer
	w := multipart.NewWriter(&out)
	for k, v := range fields {
		if err := w.WriteField(k, v); err != nil {
			t.Fatal(err)
		}
	}
	for i, f := range files {
		part, err := w.CreateFormFile(f[0], fmt.Sprint(i, ".png"))
		if err == nil {
			_, err = io.WriteString(part, f[1])
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return w.FormDataContentType(), out.Bytes()
}

// left counts the files that are kept, and their bytes.
func (g *gate) left() (files, size int64) {
	g.t.Helper()
	if err := g.bed.Store.Read().QueryRow("SELECT count(*), coalesce(sum(length(data)), 0) FROM blobs").Scan(&files,
		&size); err != nil {
		g.t.Fatal(err)
	}
	return files, size
}

func batch(sql string, args ...any) (b store.Batch) {
	b.Do(sql, args...)
	return b
}

func offer(n int) map[string]string {
	return map[string]string{"_once": fmt.Sprint("s-", n), "grower": "Hollin Bank", "kg": "412", "shorn": "2026-06-14",
		"kind": "hill", "email": "hollin@hills.example", "phone": "+44 1632 960 101"}
}

// TestWhatIsRefusedLeavesNothing sends forms and deliveries that are refused, and
// files no field asks for.
func TestWhatIsRefusedLeavesNothing(t *testing.T) {
	g := open(t)
	wrong := offer(1)
	wrong["kg"] = "much"
	kind, body := filesSent(t, wrong, [2]string{"picture", "PNG"})
	if status, _ := g.send(http.MethodPost, "/slip/offer", map[string]string{"Content-Type": kind},
		body); status != http.StatusUnprocessableEntity {
		t.Errorf("a wrong field: %d", status)
	}
	kind, body = filesSent(t, offer(2), [2]string{"nobody-asked", strings.Repeat("x", 3<<20)})
	if status, _ := g.send(http.MethodPost, "/slip/offer", map[string]string{"Content-Type": kind},
		body); status != http.StatusOK {
		t.Errorf("an undeclared file: %d", status)
	}
	if _, signal := g.runs("offer"); len(signal.Files) > 0 {
		t.Errorf("an undeclared file is taken in: %v", signal.Files)
	}
	many := make([][2]string, 11)
	for i := range many {
		many[i] = [2]string{"picture", fmt.Sprint(i)}
	}
	kind, body = filesSent(t, offer(3), many...)
	if status, page := g.send(http.MethodPost, "/slip/offer", map[string]string{"Content-Type": kind},
		body); status != http.StatusUnprocessableEntity || !strings.Contains(page, "At most 10 files") {
		t.Errorf("eleven files: %d", status)
	}
	kind, body = filesSent(t, map[string]string{"subject": "x"}, [2]string{"sheet", "a,b"})
	if status, _ := g.send(http.MethodPost, "/in/strict", signed(t, "d-1", kind, time.Now(), body),
		body); status != http.StatusUnprocessableEntity {
		t.Errorf("a delivery that does not fit: %d", status)
	}
	if files, _ := g.left(); files != 0 {
		t.Errorf("%d files are left behind", files)
	}
}

// TestStrangersHaveSoMuchRoom fills the room to its last byte, and one more.
func TestStrangersHaveSoMuchRoom(t *testing.T) {
	g := open(t)
	g.bed.Store.Room.Store(2000)
	send := func(n int, file string) int {
		kind, body := filesSent(t, offer(n), [2]string{"picture", file})
		status, _ := g.send(http.MethodPost, "/slip/offer", map[string]string{"Content-Type": kind}, body)
		return status
	}
	for n, want := range []int{200, 200, http.StatusInsufficientStorage, 200} {
		file := strings.Repeat(string(rune('a'+n)), 1000)
		if n == 3 {
			file = strings.Repeat("a", 1000) // known bytes take no room
		}
		if got := send(n, file); got != want {
			t.Errorf("form %d: %d, want %d", n, got, want)
		}
	}
	if files, size := g.left(); files != 2 || size != 2000 {
		t.Errorf("%d files of %d bytes are left", files, size)
	}
	if n, _ := g.runs("offer"); n != 3 {
		t.Errorf("%d forms were taken in", n)
	}
	if _, err := g.bed.Kit.Keep(context.Background(), "ours.txt", "", make([]byte, 5000)); err != nil {
		t.Errorf("what is no stranger's: %v", err)
	}
}

// TestWhatNothingRefersToIsCollected keeps a file of a run, of a
// row that is removed later, and one of nobody's.
func TestWhatNothingRefersToIsCollected(t *testing.T) {
	g, ctx := open(t), context.Background()
	kind, body := filesSent(t, offer(1), [2]string{"picture", "of a run"})
	g.send(http.MethodPost, "/slip/offer", map[string]string{"Content-Type": kind}, body)
	keep := func(text string) string {
		f, err := g.bed.Kit.Keep(ctx, "x.txt", "", []byte(text))
		if err != nil {
			t.Fatal(err)
		}
		return f.Blob
	}
	row, loose := keep("of a row"), keep("nobody's")
	if err := g.bed.Store.Write(ctx, batch("INSERT INTO table_rows (tbl, data, added, changed) VALUES ('t', ?, 0, 0)",
		`{"picture":{"blob":"`+row+`"}}`)); err != nil {
		t.Fatal(err)
	}
	if n, _, err := g.bed.Store.Collect(ctx, time.Now().Add(-time.Hour)); n != 0 || err != nil {
		t.Errorf("of what is fresh %d are collected, %v", n, err)
	}
	for _, want := range []int{1, 0} {
		if n, freed, err := g.bed.Store.Collect(ctx, time.Now().Add(time.Minute)); n != want ||
			freed != int64(want)*int64(len("nobody's")) || err != nil {
			t.Errorf("%d of %d bytes are collected, want %d: %v", n, freed, want, err)
		}
	}
	if _, err := g.bed.Store.Blob(ctx, loose); err == nil {
		t.Error("what nothing refers to is still there")
	}
	if err := g.bed.Store.Write(ctx, batch("DELETE FROM table_rows")); err != nil {
		t.Fatal(err)
	}
	if n, _, err := g.bed.Store.Collect(ctx, time.Now().Add(time.Minute)); n != 1 || err != nil {
		t.Errorf("of a row that is gone %d are collected, %v", n, err)
	}
	if _, signal := g.runs("offer"); signal.Files[0].Name != "0.png" {
		t.Errorf("the run's file is %v", signal.Files)
	} else if _, err := g.bed.Store.Blob(ctx, signal.Files[0].Blob); err != nil {
		t.Errorf("the run's file: %v", err)
	}
}
