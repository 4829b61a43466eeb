package bench

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"woolsignal/client"
	"woolsignal/core/run"
	"woolsignal/demo"
	"woolsignal/e2e/harness"
	"woolsignal/server/store"
	"woolsignal/wire"
)

// sleeper is a workflow that only waits.
const sleeper = `workflow: sleeper
title: Sleeper
inputs: {type: object}
steps:
  - wait: {for: 30d}
`

// amass runs a demo's data folder once, stops it, and lets a function put
// rows into its database.
func amass(b *testing.B, fill func(db *sql.DB, sample run.Entry, hash string)) (folder string) {
	b.Helper()
	s := harness.Demo(b)
	c, ctx := s.As("Ines"), context.Background()
	files, err := c.Files(ctx)
	check(b, err)
	files["workflows/sleeper.yaml"] = sleeper
	_, err = c.Apply(ctx, wire.Files{Files: files})
	check(b, err)
	_, err = c.Publish(ctx, wire.Publish{})
	check(b, err)
	id, err := c.Start(ctx, "sleeper", wire.Start{})
	check(b, err)
	entries, err := c.Journal(ctx, id)
	check(b, err)
	s.Stop()
	db, err := sql.Open("sqlite", "file:"+filepath.Join(s.Data, store.FileName)+
		"?_pragma=journal_mode(WAL)&_pragma=synchronous(OFF)")
	check(b, err)
	defer db.Close()
	var hash string
	check(b, db.QueryRow("SELECT definition FROM runs WHERE id = ?", id).Scan(&hash))
	_, err = db.Exec("DELETE FROM runs; DELETE FROM journal; DELETE FROM run_words; DELETE FROM settings WHERE name " +
		"= 'indexed'")
	check(b, err)
	fill(db, entries[0], hash)
	_, err = db.Exec("PRAGMA wal_checkpoint(TRUNCATE)")
	check(b, err)
	return s.Data
}

// answers starts the service on a folder and gives how long it took to answer.
func answers(b *testing.B, folder string) (*harness.Service, time.Duration) {
	b.Helper()
	began := time.Now()
	s := harness.Start(b, folder, "serve", "-quiet")
	return s, time.Since(began)
}

// resident is how much memory a process holds, in bytes.
func resident(b *testing.B, pid int) int {
	b.Helper()
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/statm", pid))
	check(b, err)
	pages, err := strconv.Atoi(strings.Fields(string(text))[1])
	check(b, err)
	return pages * os.Getpagesize()
}

// BenchmarkWaiting starts the service with a hundred thousand runs that wait,
// ten thousand of which are due at the same moment.
func BenchmarkWaiting(b *testing.B) {
	const waiting, due = 100_000, 10_000
	var at time.Time
	folder := amass(b, func(db *sql.DB, sample run.Entry, hash string) {
		at = time.Now().Add(25 * time.Second).Truncate(time.Millisecond)
		tx, err := db.Begin()
		check(b, err)
		for i := range waiting {
			until := at.Add(24 * time.Hour)
			if i < due {
				until = at
			}
			entry := sample
			entry.Records = slices.Clone(sample.Records)
			for r := range entry.Records {
				if paused, is := entry.Records[r].(*run.StepPaused); is {
					entry.Records[r] = &run.StepPaused{Step: paused.Step, Until: until.UTC()}
				}
			}
			data, err := run.EncodeEntry(entry)
			check(b, err)
			id := store.ID(sample.At, [4]byte{byte(i >> 24), byte(i >> 16), byte(i >> 8), byte(i)})
			_, err = tx.Exec("INSERT INTO runs (id, workflow, definition, status, kind, about, seq, accepted, wake) "+
				"VALUES (?, 'sleeper', ?, 'waiting', 'called', '', 1, ?, ?)", id, hash, store.Time(sample.At),
				store.Time(until))
			check(b, err)
			_, err = tx.Exec("INSERT INTO journal (run, seq, entry) VALUES (?, 1, ?)", id, data)
			check(b, err)
		}
		check(b, tx.Commit())
	})
	s, ready := answers(b, folder)
	defer s.Stop()
	held := resident(b, s.PID)
	db, err := sql.Open("sqlite", "file:"+filepath.Join(folder, store.FileName)+"?mode=ro")
	check(b, err)
	defer db.Close()
	if time.Now().After(at) {
		b.Fatal("the machine was too slow to get ready before the wait was over")
	}
	time.Sleep(time.Until(at))
	began := time.Now()
	for {
		var left int
		check(b, db.QueryRow("SELECT count(*) FROM runs WHERE wake = ?", store.Time(at)).Scan(&left))
		if left == 0 {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	b.ReportMetric(time.Since(began).Seconds(), "s-to-wake-10000")
	b.ReportMetric(ready.Seconds(), "s-to-answer")
	b.ReportMetric(float64(held)/1e6, "MB-resident")
	b.ReportMetric(float64(resident(b, s.PID))/1e6, "MB-after")
	b.ReportMetric(0, "ns/op")
}

// BenchmarkHistory asks a service with a million runs for pages of fifty, by
// every filter, and names the slowest.
func BenchmarkHistory(b *testing.B) {
	const runs = 1_000_000 // inserted directly; making them would take an hour
	growers := []string{"Hollin Bank", "Skell Top", "Nettlecote", "Upper Swarth", "Cold Hause", "Bield Garth"}
	folder := amass(b, func(db *sql.DB, sample run.Entry, hash string) {
		data, err := json.Marshal(sample)
		check(b, err)
		tx, err := db.Begin()
		check(b, err)
		row, err := tx.Prepare("INSERT INTO runs (id, workflow, definition, status, because, kind, about, seq, " +
			"accepted, ended, input, output, cost) VALUES (?, ?, ?, ?, ?, 'webhook', ?, 1, ?, ?, 0, 0, ?)")
		check(b, err)
		entry, err := tx.Prepare("INSERT INTO journal (n, run, seq, entry) VALUES (?, ?, 1, ?)")
		check(b, err)
		words, err := tx.Prepare("INSERT INTO run_words (rowid, words) VALUES (?, ?)")
		check(b, err)
		label, err := tx.Prepare("INSERT INTO labels (label, run) VALUES (?, ?)")
		check(b, err)
		from := time.Now().Add(-300 * 24 * time.Hour)
		for i := range runs {
			at := from.Add(time.Duration(i) * 25 * time.Second)
			id := store.ID(at, [4]byte{0, 0, 0, byte(i)})
			status, because, cost := "done", "", 0
			if i%97 == 0 {
				status, because = "failed", fmt.Sprintf("the tool step row: Clip Register refused (422): no grower "+
					"is called %q", growers[i%6])
			}
			if i%5 == 0 {
				cost = i % 4000
			}
			about := fmt.Sprintf("%s · lot %d · kg %d", growers[i%6], i, i%900)
			_, err = row.Exec(id, []string{"weighbridge", "depot-slots", "store-watch", "payout-week"}[i%4], hash,
				status, because, about, store.Time(at), store.Time(at), cost)
			check(b, err)
			_, err = entry.Exec(i+1, id, data)
			check(b, err)
			_, err = words.Exec(i+1, about+" "+because)
			check(b, err)
			if i%50 == 0 {
				_, err = label.Exec([]string{"clean", "quarantine"}[i/50%2], id)
				check(b, err)
			}
		}
		_, err = tx.Exec("INSERT INTO settings (name, value) VALUES ('indexed', ?)", fmt.Sprint(runs))
		check(b, err)
		check(b, tx.Commit())
	})
	s, ready := answers(b, folder)
	defer s.Stop()
	state, err := demo.LoadState(folder)
	check(b, err)
	c := &client.Client{URL: s.URL, Token: state.Tokens["ines@larkrigg.example"],
		HTTP: &http.Client{Timeout: time.Minute}}
	ctx := context.Background()
	page, err := c.Runs(ctx, client.Filter{Limit: 200})
	check(b, err)
	deep, since := page.Next, time.Now().Add(-200*24*time.Hour).UTC().Format(time.RFC3339)
	worst, slowest := "", time.Duration(0)
	for name, f := range map[string]client.Filter{
		"all": {}, "a page further": {Before: deep}, "workflow": {Workflow: "store-watch"},
		"failed": {Status: "failed"}, "failed of a workflow": {Status: "failed", Workflow: "payout-week"},
		"waiting": {Status: "waiting"}, "kind": {Kind: "webhook"}, "a kind that never was": {Kind: "chat"},
		"since": {Since: since}, "until": {Until: since}, "label": {Label: "quarantine"}, "cost": {Cost: "0.003"},
		"a common word": {Text: "nettlecote"}, "a rare word": {Text: "777777"}, "two words": {Text: "skell lot"},
		"a word of failures": {Text: "refused"}, "no such word": {Text: "merino"},
		"a word and a workflow":   {Text: "hollin", Workflow: "depot-slots"},
		"a word of failures only": {Text: "hollin", Status: "failed"}, "the beginning of a word": {Text: "nettl"},
	} {
		var all []time.Duration
		for range 20 {
			began := time.Now()
			f.Limit = 50
			_, err := c.Runs(ctx, f)
			check(b, err)
			all = append(all, time.Since(began))
		}
		slices.Sort(all)
		p95 := all[len(all)*95/100]
		fmt.Fprintf(os.Stderr, "%-28s p50 %6.1f ms, p95 %6.1f ms\n", name, float64(all[10].Microseconds())/1000,
			float64(p95.Microseconds())/1000)
		if p95 > slowest {
			worst, slowest = name, p95
		}
	}
	fmt.Fprintf(os.Stderr, "the slowest is %q\n", worst)
	b.ReportMetric(float64(slowest.Microseconds())/1000, "ms-p95-worst")
	b.ReportMetric(ready.Seconds(), "s-to-answer")
	b.ReportMetric(0, "ns/op")
}
