package mailbox

import (
	"fmt"
	"strings"
	"testing"

	"woolsignal/core/fuzztest"
)

// nested is a mail whose words stand so many multiparts deep.
func nested(deep int) []byte {
	var b strings.Builder
	b.WriteString("From: a@hills.example\r\nSubject: Deep\r\n")
	for i := range deep {
		fmt.Fprintf(&b, "Content-Type: multipart/mixed; boundary=b%d\r\n\r\n--b%d\r\n", i, i)
	}
	b.WriteString("Content-Type: text/plain\r\n\r\nforty fleeces\r\n")
	for i := deep - 1; i >= 0; i-- {
		fmt.Fprintf(&b, "--b%d--\r\n", i)
	}
	return []byte(b.String())
}

// TestMailsAreReadToADepth nests a mail up to the limit, one deeper, and as deep
// as once blocked a mailbox for a minute.
func TestMailsAreReadToADepth(t *testing.T) {
	for deep, want := range map[int]string{0: "forty fleeces", 1: "forty fleeces", mostDeep: "forty fleeces",
		mostDeep + 1: "", 14_000: ""} {
		m := Parse(nested(deep), "")
		if m.Subject != "Deep" || m.Text != want {
			t.Errorf("%d deep: %q, %q", deep, m.Subject, m.Text)
		}
	}
}

// TestMailsAreReadToANumberOfParts sends the limit, one more, and a nest of
// multiparts that each hold little.
func TestMailsAreReadToANumberOfParts(t *testing.T) {
	parts := func(n int) []byte {
		return []byte("Subject: Many\r\nContent-Type: multipart/mixed; boundary=b\r\n\r\n" +
			strings.Repeat("--b\r\nContent-Type: image/png\r\n\r\nx\r\n", n) + "--b--\r\n")
	}
	for n, want := range map[int]int{mostParts: mostParts, mostParts + 1: mostParts, 3: 3} {
		if got := len(Parse(parts(n), "").Files); got != want {
			t.Errorf("of %d parts %d are read, want %d", n, got, want)
		}
	}
	inner := "Content-Type: multipart/mixed; boundary=i\r\n\r\n" +
		strings.Repeat("--i\r\nContent-Type: image/png\r\n\r\nx\r\n", 100) + "--i--\r\n"
	all := "Content-Type: multipart/mixed; boundary=o\r\n\r\n" +
		strings.Repeat("--o\r\n"+inner+"\r\n", 100) + "--o--\r\n"
	if got := len(Parse([]byte(all), "").Files); got > mostParts {
		t.Errorf("%d parts are read of a nest, want at most %d", got, mostParts)
	}
}

// TestPartsAreWordsOrFiles reads each way a part may be marked.
func TestPartsAreWordsOrFiles(t *testing.T) {
	raw := "Content-Type: multipart/mixed; boundary=b\r\n\r\n" +
		"--b\r\nContent-Type: text/plain\r\n\r\nwords\r\n" +
		"--b\r\nContent-Type: application/pdf; name=by-type.pdf\r\n\r\nx\r\n" +
		"--b\r\nContent-Type: application/pdf\r\nContent-Disposition: attachment; filename=by-name.pdf\r\n\r\nx\r\n" +
		"--b\r\nContent-Type: text/csv\r\nContent-Disposition: attachment\r\n\r\na,b\r\n" +
		"--b\r\nContent-Type: image/png\r\nContent-Disposition: inline\r\n\r\nx\r\n--b--\r\n"
	m := Parse([]byte(raw), "")
	var names []string
	for _, f := range m.Files {
		names = append(names, f.Name)
	}
	if got := strings.Join(names, " "); m.Text != "words" ||
		got != "by-type.pdf by-name.pdf attachment attachment" {
		t.Errorf("%q with %s", m.Text, got)
	}
}

func FuzzParse(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	f.Add(nested(3))
	f.Add([]byte("From: <a@b>\r\nContent-Type: multipart/mixed; boundary=\"\"\r\n\r\n--\r\n\r\n"))
	f.Fuzz(func(_ *testing.T, raw []byte) { Parse(raw, "") })
}
