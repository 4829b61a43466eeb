package document_test

import (
	"context"
	"testing"

	"woolsignal/core/fuzztest"
	"woolsignal/server/confined/confinedtest"
	"woolsignal/server/document"
)

// FuzzDocument reads documents of any kind; whatever they do, the next is read.
func FuzzDocument(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	f.Add("application/pdf", pdf("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Kids[3 0 R]/Count 1>>",
		"<</Type/Page/Parent 2 0 R/Contents 4 0 R>>", content("forty fleeces")))
	f.Add("application/pdf", []byte("%PDF-1.4\ntrailer<</Root 1 0 R/Prev 0>>startxref\n9\n%%EOF"))
	f.Add("text/html", []byte("<p>forty"))
	f.Add("", []byte("PK\x03\x04\x00\x00"))
	pool := confinedtest.Pool(f)
	f.Fuzz(func(t *testing.T, kind string, data []byte) {
		_, _ = document.Text(context.Background(), pool, kind, "x", data)
		words, err := document.Text(context.Background(), pool, "text/html", "x.html", []byte("<p>still here"))
		if err != nil || words != "still here" {
			t.Errorf("the next document is %q, %v", words, err)
		}
	})
}
