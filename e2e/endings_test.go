package e2e_test

import (
	"strings"
	"testing"

	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/wire"
)

// endlessPDF is a PDF of 132 bytes whose one object lies in a stream that lies in
// itself: its reader calls itself until the stack overflows, which nothing can
// catch.
const endlessPDF = "%PDF-1.5\n1 0 obj\n<< /Type /XRef /Size 3 /W [1 2 1] /Root 2 0 R /Length 12 >>\nstream\n" +
	"\x00\x00\x00\x00\x01\x00\x09\x00\x02\x00\x02\x00\nendstream\nendobj\nstartxref\n9\n%%EOF\n"

const reading = `workflow: reading
title: Read what was sent
inputs: {type: object, required: [text], properties: {text: {type: string}}}
steps:
  - id: file
    tool: documents/make_file
    args: {name: sent.pdf, text: '${inputs.text}'}
  - id: words
    tool: documents/read_text
    args: {file: '${file}'}
`

// TestWorkThatEndsItsProcessEndsNothingElse gives the service a document that
// ends the confined process it is read in. Its step fails with that reason
// while everything else, what is read next too, goes on.
func TestWorkThatEndsItsProcessEndsNothingElse(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	if err := with(t, s, "reading", reading); err != nil {
		t.Fatal(err)
	}
	waiting := s.Talk("t1", "Can I bring 30 fleeces on Thursday morning?")
	id, err := s.As("Ines").Start(harness.Context(t), "reading", wire.Start{Inputs: map[string]any{"text": endlessPDF}})
	if err != nil {
		t.Fatal(err)
	}
	d := s.Ended(id)
	if d.Status != run.Failed || !strings.Contains(d.Because, "took more than") {
		t.Errorf("%s: %s", d.Status, d.Because)
	}
	if got, err := s.As("Ines").Run(harness.Context(t), waiting.ID); err != nil || got.Status != waiting.Status {
		t.Errorf("another run is %s, %v", got.Status, err)
	}
	fine, err := s.As("Ines").Start(harness.Context(t), "reading",
		wire.Start{Inputs: map[string]any{"text": "no PDF at all"}})
	if err != nil {
		t.Fatal(err)
	}
	if d := s.Ended(fine); d.Status != run.Done {
		t.Errorf("the next document: %s: %s", d.Status, d.Because)
	}
	if strings.Contains(s.Output(), "the service ended itself") {
		t.Error("the service itself was ended by it")
	}
}
