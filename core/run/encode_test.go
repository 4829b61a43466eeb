package run_test

import (
	"encoding/json"
	"reflect"
	"testing"

	"woolsignal/core/run"
)

// TestEntriesAreEncodedAsJSONWould writes every entry of a run of every kind
// of step both ways and wants the same back.
func TestEntriesAreEncodedAsJSONWould(t *testing.T) {
	def, w := script(t, everything), everythingsWorld()
	l := begin(t, def, run.Signal{ID: "d", Source: "/in/x", Kind: "webhook", Trigger: "scale",
		Subject: "lot <7> & \"8\"", From: map[string]string{"name": "Ines"},
		Body: map[string]any{"gross": int64(30), "tare": 4.25, "big": 1e300, "small": 1e-9, "odd": "é\n\t<>&\u2028",
			"list": []any{nil, true, map[string]any{}}}})
	for w.step(l) {
	}
	for _, data := range l.journal {
		entry, err := run.DecodeEntry(data)
		if err != nil {
			t.Fatal(err)
		}
		ours, err := run.EncodeEntry(entry)
		if err != nil {
			t.Fatal(err)
		}
		var written struct{ Records []map[string]any }
		if err := json.Unmarshal(ours, &written); err != nil {
			t.Fatalf("%v in %s", err, ours)
		}
		for i, r := range entry.Records {
			plain, _ := json.Marshal(r)
			var want map[string]any
			if err := json.Unmarshal(plain, &want); err != nil {
				t.Fatal(err)
			}
			delete(written.Records[i], "do")
			if !reflect.DeepEqual(written.Records[i], want) {
				t.Errorf("written as\n%s\nwant\n%s", written.Records[i], plain)
			}
		}
		back, err := run.DecodeEntry(ours)
		if err != nil || !reflect.DeepEqual(back, entry) {
			t.Errorf("read back as %+v, %v", back, err)
		}
	}
	if _, err := run.EncodeEntry(run.Entry{Records: []run.Record{&run.StepEnded{Output: make(chan int)}}}); err == nil {
		t.Error("what is no JSON was written")
	}
}
