package bellwether

import (
	"bytes"
	"compress/zlib"
	"encoding/base64"
	"fmt"
	"image"
	_ "image/gif" // the pictures it looks at
	_ "image/jpeg"
	_ "image/png"
	"io"
	"regexp"
	"strings"
)

// tell says in words what a file shows: the words of a PDF, and of a picture how large
// and how bright it is.
func tell(name, kind, text string) string {
	data, err := base64.StdEncoding.DecodeString(text)
	if err != nil {
		return fmt.Sprintf("The file %s cannot be read.", name)
	}
	switch {
	case strings.HasPrefix(kind, "image/"):
		return fmt.Sprintf("%s is %s.", orUnnamed(name), seen(data))
	case kind == "application/pdf":
		return fmt.Sprintf("The file %s says:\n%s", orUnnamed(name), pdfWords(data))
	}
	return string(data)
}

func orUnnamed(name string) string {
	if name == "" {
		return "The picture"
	}
	return name
}

// seen describes a picture.
func seen(data []byte) string {
	picture, kind, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return "a picture that cannot be read"
	}
	b := picture.Bounds()
	var sum, n uint64
	for y := b.Min.Y; y < b.Max.Y; y += max(1, b.Dy()/16) {
		for x := b.Min.X; x < b.Max.X; x += max(1, b.Dx()/16) {
			r, g, b, _ := picture.At(x, y).RGBA()
			sum, n = sum+uint64(r+g+b)/3, n+1
		}
	}
	shade := "bright"
	switch mean := sum / max(1, n); {
	case mean < 0x5555:
		shade = "dark"
	case mean < 0xaaaa:
		shade = "neither dark nor bright"
	}
	return fmt.Sprintf("a picture (%s) of %d by %d points, %s", kind, b.Dx(), b.Dy(), shade)
}

// Where a PDF (ISO 32000) has its words: in streams, packed or not, as texts that are
// shown line by line.
var (
	pdfStream = regexp.MustCompile(`(?s)stream\r?\n(.*?)\r?\nendstream`)
	pdfShown  = regexp.MustCompile(`\(((?:[^()\\]|\\.)*)\)\s*(?:Tj|'|")`)
	pdfEscape = regexp.MustCompile(`\\(.)`)
)

// longestStream bounds what is unpacked of one stream, in bytes.
const longestStream = 4 << 20

// unreadable is what is told of a file that shows nothing.
const unreadable = "(nothing in it can be read)"

// pdfWords reads the words of a plain PDF. It follows nothing, so that no file leads it
// round in a circle.
func pdfWords(data []byte) string {
	var lines []string
	for _, found := range pdfStream.FindAllSubmatch(data, 200) {
		content := found[1]
		if r, err := zlib.NewReader(bytes.NewReader(content)); err == nil {
			if unpacked, err := io.ReadAll(io.LimitReader(r, longestStream)); err == nil {
				content = unpacked
			}
		}
		for _, shown := range pdfShown.FindAllSubmatch(content, 10_000) {
			lines = append(lines, pdfEscape.ReplaceAllString(string(shown[1]), "$1"))
		}
	}
	if len(lines) == 0 {
		return unreadable
	}
	return strings.Join(lines, "\n")
}
