package harness

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"

	"woolsignal/client"
	"woolsignal/standin/postbag"
	"woolsignal/standin/shieling"
	"woolsignal/wire"
)

// Outside sends a request to a stand-in as somebody outside would, and reads
// its answer into out where that is not nil.
func (s *Service) Outside(method, standin, path string, body, out any) {
	s.t.Helper()
	data, err := json.Marshal(body)
	if err != nil {
		s.t.Fatal(err)
	}
	request, err := http.NewRequest(method, s.Standins[standin]+path, bytes.NewReader(data))
	if err != nil {
		s.t.Fatal(err)
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		s.t.Fatal(err)
	}
	defer response.Body.Close()
	answer, err := io.ReadAll(response.Body)
	if err != nil || response.StatusCode >= 400 {
		s.t.Fatalf("%s %s%s: %s %s %v", method, standin, path, response.Status, answer, err)
	}
	if out != nil {
		if err := json.Unmarshal(answer, out); err != nil {
			s.t.Fatalf("%s: %v", answer, err)
		}
	}
}

// Types types in Shieling as somebody, and gives the message.
func (s *Service) Types(said shieling.Said) shieling.Message {
	s.t.Helper()
	var m shieling.Message
	s.Outside(http.MethodPost, "shieling", "/_say", said, &m)
	return m
}

// BotSays waits until the bot has written something with some words in a
// thread of Shieling, "" for any, and gives that message.
func (s *Service) BotSays(thread, words string) shieling.Message {
	s.t.Helper()
	var found shieling.Message
	Eventually(s.t, fmt.Sprintf("the bot says %q", words), func() bool {
		for _, m := range s.Chat() {
			if m.Bot && (thread == "" || m.Thread == thread) && strings.Contains(m.Text, words) {
				found = m
				return true
			}
		}
		return false
	})
	return found
}

// Chat is everything that was written in Shieling.
func (s *Service) Chat() []shieling.Message {
	s.t.Helper()
	var all struct{ Messages []shieling.Message }
	s.Outside(http.MethodGet, "shieling", "/_all", nil, &all)
	return all.Messages
}

// Watching waits until a trigger has had its first look at something: what was
// there before is old.
func (s *Service) Watching(connection, what string) {
	s.t.Helper()
	Eventually(s.t, what+" of "+connection+" is watched", func() bool {
		c, err := s.As("Ines").Connection(Context(s.t), connection)
		return err == nil && slices.ContainsFunc(c.Watched,
			func(l wire.Look) bool { return l.What == what && l.Problem == "" })
	})
}

// Writes sends a mail as somebody.
func (s *Service) Writes(l postbag.Letter) postbag.Mail {
	s.t.Helper()
	var m postbag.Mail
	s.Outside(http.MethodPost, "postbag", "/mails", l, &m)
	return m
}

// Mailed waits until somebody got a mail with some words, and gives it.
func (s *Service) Mailed(to, words string) postbag.Mail {
	s.t.Helper()
	var found postbag.Mail
	Eventually(s.t, fmt.Sprintf("%s gets a mail with %q", to, words), func() bool {
		var all []postbag.Mail
		s.Outside(http.MethodGet, "postbag", "/mails?of="+to, nil, &all)
		for _, m := range all {
			if strings.Contains(strings.Join(m.To, ","), to) && strings.Contains(m.Subject+"\n"+m.Text, words) {
				found = m
				return true
			}
		}
		return false
	})
	return found
}

// RunOf waits until a workflow has a run that is as wished, and gives it.
func (s *Service) RunOf(workflow, what string, fits func(wire.Detail) bool) wire.Detail {
	s.t.Helper()
	var found wire.Detail
	Eventually(s.t, "a run of "+workflow+" "+what, func() bool {
		page, err := s.As("Ines").Runs(Context(s.t), client.Filter{Workflow: workflow, Limit: 20})
		if err != nil {
			return false
		}
		for _, r := range page.Runs {
			d, err := s.As("Ines").Run(Context(s.t), r.ID)
			if err == nil && fits(d) {
				found = d
				return true
			}
		}
		return false
	})
	return found
}

// PDF makes a PDF of one page with some lines.
func PDF(lines ...string) []byte {
	var text strings.Builder
	text.WriteString("BT /F1 12 Tf 14 TL 50 750 Td\n")
	for _, l := range lines {
		fmt.Fprintf(&text, "(%s) Tj T*\n", strings.NewReplacer(`\`, `\\`, "(", `\(`, ")", `\)`).Replace(l))
	}
	text.WriteString("ET")
	objects := []string{"<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Kids[3 0 R]/Count 1>>",
		"<</Type/Page/Parent 2 0 R/MediaBox[0 0 595 842]/Contents 4 0 R/Resources<</Font<</F1 5 0 R>>>>>>",
		fmt.Sprintf("<</Length %d>>\nstream\n%s\nendstream", text.Len(), text.String()),
		"<</Type/Font/Subtype/Type1/BaseFont/Helvetica/Encoding/WinAnsiEncoding>>"}
	out := bytes.NewBufferString("%PDF-1.4\n")
	var at []int
	for i, o := range objects {
		at = append(at, out.Len())
		fmt.Fprintf(out, "%d 0 obj\n%s\nendobj\n", i+1, o)
	}
	table := out.Len()
	fmt.Fprintf(out, "xref\n0 %d\n0000000000 65535 f \n", len(objects)+1)
	for _, n := range at {
		fmt.Fprintf(out, "%010d 00000 n \n", n)
	}
	fmt.Fprintf(out, "trailer\n<</Size %d/Root 1 0 R>>\nstartxref\n%d\n%%%%EOF\n", len(objects)+1, table)
	return out.Bytes()
}
