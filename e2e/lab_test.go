package e2e_test

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io"
	"mime/multipart"
	"net/http"
	"strings"
	"testing"

	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/standin/hillline"
	"woolsignal/wire"
)

// measures sends a sample by the bench's form, as the lab hand does, with a picture.
func measures(t *testing.T, s *harness.Service, fields map[string]string) (status int, answer string) {
	t.Helper()
	var body bytes.Buffer
	form := multipart.NewWriter(&body)
	for name, value := range fields {
		if err := form.WriteField(name, value); err != nil {
			t.Fatal(err)
		}
	}
	file, err := form.CreateFormFile("picture", fields["sample"]+".png")
	if err == nil {
		picture := image.NewGray(image.Rect(0, 0, 24, 24))
		picture.Set(1, 1, color.White)
		err = png.Encode(file, picture)
	}
	if err != nil || form.Close() != nil {
		t.Fatal(err)
	}
	response, err := http.Post(s.URL+"/slip/lab-bench", form.FormDataContentType(), &body)
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	text, _ := io.ReadAll(response.Body)
	return response.StatusCode, string(text)
}

// TestTheLabBenchFromFormToGrade sends a morning's samples by the form; an agent grades
// each in a typed answer chosen from a table; the grading lead looks the batch over in
// one sitting, changes one and has one measured again.
func TestTheLabBenchFromFormToGrade(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	for i, sample := range []struct{ grower, microns, notes string }{{"Hollin Bank", "29.4", "soft and even"},
		{"Nettlecote", "36.5", "harsh, coarse"}, {"Skell Top", "30.0", "sound, for cloth"}} {
		status, answer := measures(t, s, map[string]string{"_once": fmt.Sprint("lab-", i),
			"sample": fmt.Sprint("FT-2", i),
			"grower": sample.grower, "microns": sample.microns, "notes": sample.notes})
		if status != http.StatusOK || !strings.Contains(answer, "looks it over in the morning") {
			t.Fatalf("%d %s", status, answer)
		}
	}
	kinds := map[string]string{}
	ctx, tobias := harness.Context(t), s.As("Tobias")
	for i := range 3 {
		sample := fmt.Sprint("FT-2", i)
		d := s.RunOf("lab-bench", "waits for the grading lead", func(d wire.Detail) bool {
			return d.Status == run.Waiting && strings.Contains(fmt.Sprint(d.Signal), sample)
		})
		r := s.OpenReview(d)
		kinds[sample], _ = r.Edit["kind"].(string)
		if reason, _ := r.Edit["reason"].(string); !strings.Contains(reason, "microns") {
			t.Errorf("%s: the reason is %q", sample, reason)
		}
		if odd := strings.Contains(fmt.Sprint(r.Show), "off the flock's usual 31.2"); odd != (sample == "FT-21") {
			t.Errorf("%s is shown as %q", sample, r.Show)
		}
		decision := wire.Decision{Choice: "accept"}
		switch sample {
		case "FT-21":
			decision.Choice = "measure again"
		case "FT-22":
			decision.Edited = map[string]any{"kind": "stained",
				"reason": "I saw the bag: microns or not, it is yellow."}
		}
		if _, err := tobias.Decide(ctx, r.ID, decision); err != nil {
			t.Fatal(err)
		}
		if d := s.Ended(d.ID); d.Status != run.Done {
			t.Fatalf("%s: %s %s", sample, d.Status, d.Because)
		}
	}
	if kinds["FT-20"] != "fine" || kinds["FT-21"] != "coarse" || kinds["FT-22"] != "medium" {
		t.Errorf("the agent graded %v", kinds)
	}
	rows, err := s.As("Owen").Rows(ctx, "lab-grades", wire.RowQuery{})
	if err != nil {
		t.Fatal(err)
	}
	var kept []string
	for _, r := range rows.Rows {
		kept = append(kept, fmt.Sprint(r.Values["sample"], " ", r.Values["kind"]))
	}
	if all := strings.Join(kept, ", "); len(kept) != 2 || !strings.Contains(all, "FT-20 fine") ||
		!strings.Contains(all, "FT-22 stained") {
		t.Errorf("the table has %s", all)
	}
}

// TestAModelThatCannotLookSaysSo sends a picture to a model that looks at none: the run
// fails with that, and nothing is asked.
func TestAModelThatCannotLookSaysSo(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	withFiles(t, s, map[string]string{"agents/lab-grader.yaml": strings.Replace(agentText(t, s, "lab-grader"),
		"model: large", "model: medium", 1)})
	if _, err := s.As("Ines").Publish(harness.Context(t), wire.Publish{Workflows: []string{"lab-bench"}}); err != nil {
		t.Fatal(err)
	}
	measures(t, s, map[string]string{"_once": "1", "sample": "FT-30", "grower": "Skell Top", "microns": "30"})
	d := s.RunOf("lab-bench", "ends", func(d wire.Detail) bool { return d.Status.Ended() })
	if d.Status != run.Failed || !strings.Contains(d.Because,
		"FT-30.png cannot be shown: it is a picture, and medium looks at none") {
		t.Errorf("%s %s", d.Status, d.Because)
	}
}

// TestATelephonesWebhookIsAnsweredWithTypedJSON leaves messages on the answering
// machine: what the agent makes of each is the answer, in the shape the display needs;
// one whose answer never fits is answered as a failure.
func TestATelephonesWebhookIsAnsweredWithTypedJSON(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	for said, wants := range map[string]string{
		"Could the lorry do a collection on Tuesday? Eight bales.": "a collection",
		"What is the price of hogget this week?":                   "a price"} {
		var note hillline.Note
		s.Outside(http.MethodPost, "hill-line", "/notes", map[string]string{"from": "+44 1632 960 101", "text": said},
			&note)
		if note.Wants != wants || len(note.Summary) < 10 {
			t.Errorf("%q is shown as %+v", said, note)
		}
	}
	rehearses(s, map[string]any{"answer": map[string]any{"wants": "a sheepdog"}})
	status, answer := leaves(t, s, "Hello?")
	if status != http.StatusInternalServerError || !strings.Contains(answer, "The workflow failed") {
		t.Errorf("an answer that never fits is answered %d %s", status, answer)
	}
	d := s.RunOf("voice-note", "failed", func(d wire.Detail) bool { return d.Status == run.Failed })
	if !strings.Contains(d.Because, "does not fit after 3 tries") {
		t.Error(d.Because)
	}
}

// leaves leaves a message, and gives the answer as it came.
func leaves(t *testing.T, s *harness.Service, said string) (int, string) {
	t.Helper()
	response, err := http.Post(s.Standins["hill-line"]+"/notes", "application/json",
		strings.NewReader(fmt.Sprintf(`{"from": "+44 1632 960 101", "text": %q}`, said)))
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	answer, _ := io.ReadAll(response.Body)
	return response.StatusCode, string(answer)
}
