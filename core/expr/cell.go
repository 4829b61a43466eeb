package expr

import "strings"

// runs are the beginnings by which spreadsheet programs take a text for a formula
// and run it.
const runs = "=+-@\t\r\n"

// Cell is a value as it stands in CSV. A text that spreadsheet programs would run
// gets an apostrophe before it, by which they know a text; numbers do not.
// [FromCell] takes it off.
func Cell(v any) string {
	text := Text(v)
	if _, is := v.(string); is && ran(text) {
		return "'" + text
	}
	return text
}

// FromCell is the text of a cell, without what [Cell] put before it.
func FromCell(cell string) string {
	if strings.HasPrefix(cell, "'") && ran(cell) {
		return cell[1:]
	}
	return cell
}

// ran tells whether a text is run, or would be without the apostrophes before it.
func ran(text string) bool {
	text = strings.TrimLeft(text, "'")
	return text != "" && strings.ContainsRune(runs, rune(text[0]))
}
