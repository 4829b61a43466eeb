package document_test

import (
	"archive/zip"
	"bytes"
	"compress/zlib"
	"context"
	"fmt"
	"strings"
	"testing"

	"woolsignal/server/confined/confinedtest"
	"woolsignal/server/document"
)

// TestMain makes this test's own binary the process that reads documents.
func TestMain(m *testing.M) { confinedtest.Main(m) }

// pdf writes objects as a PDF, the first of them its catalogue.
func pdf(objects ...string) []byte {
	var out bytes.Buffer
	out.WriteString("%PDF-1.4\n")
	var at []int
	for i, o := range objects {
		at = append(at, out.Len())
		fmt.Fprintf(&out, "%d 0 obj\n%s\nendobj\n", i+1, o)
	}
	xref := out.Len()
	fmt.Fprintf(&out, "xref\n0 %d\n0000000000 65535 f \n", len(objects)+1)
	for _, offset := range at {
		fmt.Fprintf(&out, "%010d 00000 n \n", offset)
	}
	fmt.Fprintf(&out, "trailer\n<</Size %d/Root 1 0 R>>\nstartxref\n%d\n%%%%EOF\n", len(objects)+1, xref)
	return out.Bytes()
}

const (
	catalogue = "<</Type/Catalog/Pages 2 0 R>>"
	onePage   = "<</Type/Page/Parent 2 0 R/MediaBox[0 0 9 9]/Contents 4 0 R/Resources<</Font<</F1 5 0 R>>>>>>"
	font      = "<</Type/Font/Subtype/Type1/BaseFont/Helvetica>>"
)

// page is a sound PDF of one page with a content stream.
func page(stream string) []byte {
	return pdf(catalogue, "<</Type/Pages/Kids[3 0 R]/Count 1>>", onePage, stream, font)
}

func content(words string) string {
	return fmt.Sprintf("<</Length %d>>\nstream\n%s\nendstream", len(words), words)
}

// bomb is a content stream that unpacks to many times its size.
func bomb(t *testing.T, times int) string {
	t.Helper()
	var packed bytes.Buffer
	w := zlib.NewWriter(&packed)
	part := []byte(strings.Repeat("(aaaaaaaaaaaaaaaa) Tj\n", 1000))
	for range times {
		if _, err := w.Write(part); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return fmt.Sprintf("<</Length %d/Filter/FlateDecode>>\nstream\n%s\nendstream", packed.Len(), packed.String())
}

// office is an office document with one body.
func office(t *testing.T, body string, times int) []byte {
	t.Helper()
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	w, err := z.Create("word/document.xml")
	if err != nil {
		t.Fatal(err)
	}
	for range times {
		if _, err := w.Write([]byte(body)); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// TestDocumentsMadeToHarmFailAlone reads documents that once ended the service,
// held a core for ever or took gigabytes: each fails with words, and the next
// one is read.
func TestDocumentsMadeToHarmFailAlone(t *testing.T) {
	p, ctx := confinedtest.Pool(t), context.Background()
	sound := page(content("BT /F1 12 Tf (Forty wool sacks) Tj ET"))
	for name, data := range map[string][]byte{
		"an object that is itself":   pdf(catalogue, "2 0 R"),
		"a catalogue that is itself": pdf("1 0 R"),
		"a page tree in itself":      pdf(catalogue, "<</Type/Pages/Kids[2 0 R]/Count 1>>"),
		"a page whose parent is itself": pdf(catalogue, "<</Type/Pages/Kids[3 0 R]/Count 1>>",
			"<</Type/Page/Parent 3 0 R/Contents 4 0 R>>", content("BT ET")),
		"many pages that are not there": pdf(catalogue, "<</Type/Pages/Kids[3 0 R]/Count 2000000000>>", onePage,
			content("x"), font),
		"brackets in an object":          pdf(catalogue, strings.Repeat("[", 4_000_000)),
		"brackets that never close":      page(content(strings.Repeat("[", 2_000_000))),
		"a length that is itself":        page("<</Length 4 0 R>>\nstream\nx\nendstream"),
		"a stream that unpacks for ever": page(bomb(t, 40_000)),
		"a truncated file":               sound[:len(sound)/2],
		"a body that unpacks for ever":   office(t, strings.Repeat("<p>a</p>", 1000), 20_000),
		"a page of open tags":            []byte("<html>" + strings.Repeat("<div>", 1_000_000)),
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			if words, err := document.Text(ctx, p, "", name+".html", data); err == nil && len(words) > 10_000 {
				t.Errorf("it reads as %d bytes", len(words))
			}
			words, err := document.Text(ctx, p, "application/pdf", "sacks.pdf", sound)
			if err != nil || words != "Forty wool sacks" {
				t.Errorf("afterwards a sound one reads as %q, %v", words, err)
			}
		})
	}
}

// TestTemplatesAreFilledInConfinement fills a sheet, and one made to harm.
func TestTemplatesAreFilledInConfinement(t *testing.T) {
	p, ctx := confinedtest.Pool(t), context.Background()
	out, err := document.Fill(ctx, p, "sheet.docx", office(t, "<p>Lot [[lot]]</p>", 1),
		map[string]any{"lot": int64(14)})
	if err != nil || !bytes.HasPrefix(out, []byte("PK")) {
		t.Errorf("%q, %v", out, err)
	}
	if words, err := document.Text(ctx, p, "", "sheet.docx", out); err != nil || words != "Lot 14" {
		t.Errorf("%q, %v", words, err)
	}
	if _, err := document.Fill(ctx, p, "sheet.docx", office(t, strings.Repeat("[[lot]] ", 1000), 20_000),
		map[string]any{"lot": "x"}); err == nil {
		t.Error("a template that unpacks to gigabytes was filled in")
	}
}
