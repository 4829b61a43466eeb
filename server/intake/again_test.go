package intake

import (
	"context"
	"maps"
	"testing"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/table"
	"woolsignal/server/testbed"
)

// A row of a watched list that goes back to what it was, and away again, has changed each time.
func TestARowThatGoesBackAndForthStartsEachTime(t *testing.T) {
	l := lookouts(t, "row: {tool: tests/find, list: result.rows, unique: sample, happens: changed, "+
		"columns: [sample, microns]}")
	rows := &table.Table{Of: l.bed.Workspace.Now().Tables["tests"], Store: l.bed.Store}
	r, err := rows.Add(context.Background(), map[string]any{"sample": "gate", "microns": 0.0}, "", "")
	if err != nil {
		t.Fatal(err)
	}
	l.look()
	for i := range 6 {
		values := map[string]any{"microns": float64((i + 1) % 2)}
		if _, err := rows.Update(context.Background(), r.N, values, "", ""); err != nil {
			t.Fatal(err)
		}
		l.look()
		l.look() // which finds nothing new
		if n := len(l.listened()); n != i+1 {
			t.Fatalf("%d changes, each seen by a look of its own, started %d runs", i+1, n)
		}
	}
}

// What a look found and could not bring to everybody is found again by the next, and starts nothing twice.
func TestALookThatBrokeOffStartsNothingTwice(t *testing.T) {
	l := lookouts(t, "row: {tool: tests/find, list: result.rows, unique: sample, columns: [sample, microns]}")
	rows := &table.Table{Of: l.bed.Workspace.Now().Tables["tests"], Store: l.bed.Store}
	l.look()
	for _, sample := range []string{"FT-1", "FT-2"} {
		values := map[string]any{"sample": sample, "microns": 30.0}
		if _, err := rows.Add(context.Background(), values, "", ""); err != nil {
			t.Fatal(err)
		}
	}
	mend := l.bed.Spoil(t, "looks", "1") // both are taken in, and then the service stops
	for _, one := range l.w.all() {
		if _, err := l.w.guarded(context.Background(), one); err == nil {
			t.Error("a look that could not be noted down went well")
		}
	}
	mend()
	l.look()
	if n := len(l.listened()); n != 2 {
		t.Errorf("two rows that were found twice started %d runs", n)
	}
}

// A guest who says yes, no, yes and no has answered four times.
func TestAGuestWhoChangesTheirMindIsHeardEachTime(t *testing.T) {
	l := lookouts(t, "calendar: {connection: almanac, calendar: dock-1, changed: true, has: [collection]}")
	soon := time.Now().Add(48 * time.Hour).Truncate(time.Second)
	put := func(says string) int {
		l.event("dock-1", "e1", "Collection of lot 14", soon,
			"ATTENDEE;PARTSTAT="+says+":mailto:owen@larkrigg.example\r\n")
		l.look()
		return len(l.listened())
	}
	put("NEEDS-ACTION")
	for i, says := range []string{"ACCEPTED", "DECLINED", "ACCEPTED", "DECLINED"} {
		if n := put(says); n != i+1 {
			t.Errorf("%d answers started %d runs", i+1, n)
		}
	}
}

// listening is a workflow that asked something by mail, and waits for the answer.
const listening = "workflow: waits\ntitle: Waits\ninputs: {type: object}\nsteps:\n  - id: answer\n    wait:\n" +
	"      hear: {mail: {connection: mail}, answering: q1@larkrigg.example, from_anyone: true}\n" +
	"      give_up_after: 2d\n"

// A mailbox is looked at as long as a run waits for a mail, whatever is live by now.
func TestAMailIsHeardWhateverIsLiveByNow(t *testing.T) {
	for how, leave := range map[string]func(*testing.T, *testbed.Bed){
		"published anew": func(t *testing.T, bed *testbed.Bed) {
			files := maps.Clone(bed.Workspace.Now().Files)
			files["workflows/waits.yaml"] = "workflow: waits\ntitle: Waits\ninputs: {type: object}\nsteps:\n" +
				"  - compute: {a: '1'}\n"
			bed.Add(t, files)
		},
		"switched off": func(t *testing.T, bed *testbed.Bed) {
			if err := bed.Workspace.Switch(context.Background(), "waits", false); err != nil {
				t.Fatal(err)
			}
		},
	} {
		t.Run(how, func(t *testing.T) {
			l := lookouts(t, "row: {table: tests}")
			files := maps.Clone(l.bed.Workspace.Now().Files)
			files["workflows/waits.yaml"] = listening
			l.bed.Add(t, files)
			ctx := context.Background()
			if err := l.w.Engine.Start(ctx); err != nil {
				t.Fatal(err)
			}
			ticket, err := l.w.Engine.StartRun(ctx, "waits", false,
				&run.Signal{Kind: "called", Trigger: "called", Source: "/call", Body: map[string]any{}}, "")
			if err != nil {
				t.Fatal(err)
			}
			l.look()
			leave(t, l.bed)
			l.look()
			l.answers("m1@hills.example", "q1@larkrigg.example")
			l.look()
			patient, cancel := context.WithTimeout(ctx, time.Minute)
			defer cancel()
			if err := ticket.Answered(patient); err != nil {
				s, _ := l.w.Engine.Fold(ctx, ticket.Run)
				t.Fatalf("the run that waits does not hear its answer; it is %s till %s", s.Status, s.Wake())
			}
		})
	}
}

// answers has a mail come that answers another.
func (l *lookout) answers(id, to string) {
	l.t.Helper()
	l.post("bag", "/mails", map[string]any{"from": "a@hills.example", "to": "office@larkrigg.example",
		"subject": "Re: offer", "text": "Yes.",
		"raw": "From: a@hills.example\r\nTo: office@larkrigg.example\r\nSubject: Re: offer\r\nMessage-ID: <" + id +
			">\r\nIn-Reply-To: <" + to + ">\r\nDate: Mon, 30 Nov 2026 11:00:00 +0000\r\n" +
			"Content-Type: text/plain\r\n\r\nYes.\r\n"})
}
