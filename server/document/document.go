// Package document reads the words of files (text, markup, PDF, office
// documents) and fills in templates.
package document

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/ledongthuc/pdf"

	"woolsignal/core/expr"
	"woolsignal/server/page"
)

// ErrNoWords says that a file holds nothing that could be read as words.
var ErrNoWords = errors.New("this file holds no words that can be read")

// mostPages bounds how much of a PDF is read.
const mostPages = 500

// largestPart bounds what is unpacked of an office document, in bytes.
const largestPart = 32 << 20

// text gives the words of a file, by its media type and name. The error is
// [ErrNoWords] for pictures and the like.
func text(kind, name string, data []byte) (string, error) {
	kind, _, _ = strings.Cut(kind, ";")
	switch {
	case bytes.HasPrefix(data, []byte("%PDF-")):
		return pdfText(data)
	case bytes.HasPrefix(data, []byte("PK\x03\x04")):
		return officeText(data)
	case strings.Contains(kind, "html") || slices.Contains([]string{".html", ".htm"}, path.Ext(name)):
		return page.Text(string(data)), nil
	case utf8.Valid(data) && !bytes.ContainsRune(data, 0):
		return string(data), nil
	}
	return "", ErrNoWords
}

// plain tells whether a file is read without any reader: it is words as it
// stands, or holds none.
func plain(kind, name string, data []byte) bool {
	return !bytes.HasPrefix(data, []byte("%PDF-")) && !bytes.HasPrefix(data, []byte("PK\x03\x04")) &&
		!strings.Contains(kind, "html") && !slices.Contains([]string{".html", ".htm"}, path.Ext(name))
}

// pdfText reads the words of a PDF (ISO 32000), a page after the other.
func pdfText(data []byte) (words string, err error) {
	defer func() { // the reader gives up on some damaged files this way
		if p := recover(); p != nil {
			words, err = "", fmt.Errorf("this PDF is damaged: %v", p)
		}
	}()
	r, err := pdf.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return "", fmt.Errorf("this PDF cannot be read: %w", err)
	}
	var pages []string
	for n := 1; n <= min(r.NumPage(), mostPages); n++ {
		one := r.Page(n)
		if one.V.IsNull() {
			continue
		}
		words, err := one.GetPlainText(nil)
		if err != nil {
			return "", fmt.Errorf("page %d of this PDF cannot be read: %w", n, err)
		}
		pages = append(pages, strings.TrimSpace(words))
	}
	words = strings.TrimSpace(strings.Join(pages, "\n\n"))
	if words == "" {
		return "", fmt.Errorf("%w: its pages are pictures", ErrNoWords)
	}
	return words, nil
}

// bodies are where office documents keep their words: OpenDocument (ISO
// 26300) and Office Open XML (ISO 29500).
var bodies = []string{"content.xml", "word/document.xml", "xl/sharedStrings.xml"}

func officeText(data []byte) (string, error) {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return "", ErrNoWords
	}
	for _, f := range z.File {
		if slices.Contains(bodies, f.Name) {
			body, err := unpack(f)
			if err != nil {
				return "", err
			}
			return xmlWords(body), nil
		}
	}
	return "", ErrNoWords
}

func unpack(f *zip.File) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	body, err := io.ReadAll(io.LimitReader(r, largestPart+1))
	if err == nil && len(body) > largestPart {
		err = fmt.Errorf("%s unpacks to more than %d MB", f.Name, largestPart>>20)
	}
	return body, err
}

// xmlWords takes the words out of markup, a paragraph a line.
func xmlWords(body []byte) string {
	d := xml.NewDecoder(bytes.NewReader(body))
	var out strings.Builder
	for {
		token, err := d.Token()
		if err != nil {
			return strings.TrimSpace(out.String())
		}
		switch t := token.(type) {
		case xml.CharData:
			out.Write(t)
		case xml.EndElement:
			if slices.Contains([]string{"p", "h", "si", "table-row", "tr"}, t.Name.Local) {
				out.WriteString("\n")
			}
		}
	}
}

// places are written as [[name]] in a template.
var places = regexp.MustCompile(`\[\[\s*([a-z][a-z0-9_]*)\s*\]\]`)

// fillIn puts values into the places of a template; see [Fill].
func fillIn(name string, data []byte, values map[string]any) ([]byte, error) {
	used := map[string]bool{}
	var out []byte
	var err error
	if bytes.HasPrefix(data, []byte("PK\x03\x04")) {
		out, err = fillOffice(data, values, used)
	} else if utf8.Valid(data) {
		out, err = fill(data, values, used, func(s string) string { return s })
	} else {
		err = fmt.Errorf("%s is no template: neither a text nor an office document", name)
	}
	if err != nil {
		return nil, err
	}
	var left []string
	for v := range values {
		if !used[v] {
			left = append(left, v)
		}
	}
	if len(left) > 0 {
		slices.Sort(left)
		return nil, fmt.Errorf("it has no place for %s", strings.Join(left, ", "))
	}
	return out, nil
}

func fill(data []byte, values map[string]any, used map[string]bool, escape func(string) string) ([]byte, error) {
	var missing []string
	out := places.ReplaceAllFunc(data, func(place []byte) []byte {
		name := string(places.FindSubmatch(place)[1])
		v, ok := values[name]
		if !ok {
			missing = append(missing, name)
			return place
		}
		used[name] = true
		return []byte(escape(expr.Text(v)))
	})
	if len(missing) > 0 {
		slices.Sort(missing)
		return nil, fmt.Errorf("no value is given for %s", strings.Join(slices.Compact(missing), ", "))
	}
	return out, nil
}

func fillOffice(data []byte, values map[string]any, used map[string]bool) ([]byte, error) {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for _, f := range z.File {
		if !slices.Contains(bodies, f.Name) {
			if err := w.Copy(f); err != nil {
				return nil, err
			}
			continue
		}
		body, err := unpack(f)
		if err == nil {
			body, err = fill(body, values, used, escapeXML)
		}
		if err != nil {
			return nil, err
		}
		part, err := w.Create(f.Name)
		if err != nil {
			return nil, err
		}
		if _, err := part.Write(body); err != nil {
			return nil, err
		}
	}
	err = w.Close()
	return out.Bytes(), err
}

func escapeXML(s string) string {
	var out bytes.Buffer
	if err := xml.EscapeText(&out, []byte(s)); err != nil {
		return ""
	}
	return out.String()
}
