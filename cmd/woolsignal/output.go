package main

import (
	"encoding/json"
	"fmt"
	"io"
	"strings"
	"text/tabwriter"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// printJSON writes a value for programs.
func (a *app) printJSON(v any) error {
	e := json.NewEncoder(a.out)
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	return e.Encode(v)
}

// table writes rows in columns; the first row is the heading.
func (a *app) table(rows [][]string) error {
	w := tabwriter.NewWriter(a.out, 0, 0, 2, ' ', 0)
	for _, row := range rows {
		if _, err := fmt.Fprintln(w, strings.Join(row, "\t")); err != nil {
			return err
		}
	}
	return w.Flush()
}

// oneLine puts a text on one line of at most n characters.
func oneLine(s string, n int) string { return flow.Clip(strings.Join(strings.Fields(s), " "), n) }

// value writes a JSON value on one line.
func value(v any) string {
	if s, ok := v.(string); ok {
		return s
	}
	return expr.Text(v)
}

// took says how long something lasted.
func took(from time.Time, to *time.Time) string {
	if to == nil {
		return ""
	}
	switch d := to.Sub(from); {
	case d < time.Millisecond:
		return "<1 ms"
	case d < time.Second:
		return fmt.Sprintf("%d ms", d.Milliseconds())
	case d < time.Minute:
		return fmt.Sprintf("%.1f s", d.Seconds())
	case d < time.Hour:
		return fmt.Sprintf("%d min %d s", int(d.Minutes()), int(d.Seconds())%60)
	default:
		return fmt.Sprintf("%d h %d min", int(d.Hours()), int(d.Minutes())%60)
	}
}

// moment writes a time of day, with the date when it is not today.
func moment(t time.Time, zone *time.Location) string {
	t = t.In(zone)
	if t.Format(time.DateOnly) == time.Now().In(zone).Format(time.DateOnly) {
		return t.Format("15:04:05")
	}
	return t.Format("2 Jan 15:04")
}

// indent writes a text below a heading.
func indent(w io.Writer, by, text string) {
	for _, line := range strings.Split(strings.TrimRight(text, "\n"), "\n") {
		fmt.Fprintln(w, by+line)
	}
}

// when writes a moment in this machine's zone.
func when(t time.Time) string { return moment(t, time.Local) }
