package bellwether

import (
	"regexp"
	"strconv"
	"strings"
	"time"
)

// facts are what can be read out of a conversation: grower, day, earliest,
// latest, time, amount, event, said …
type facts map[string]string

var (
	nowLine  = regexp.MustCompile(`It is \w+ (\d{1,2} \w+ \d{4}), (\d{2}:\d{2})`)
	isoDay   = regexp.MustCompile(`\b(20\d\d-\d\d-\d\d)\b`)
	namedDay = regexp.MustCompile(`(?i)\b(\d{1,2})(?:st|nd|rd|th)?(?: of)? ` +
		`(january|february|march|april|may|june|july|august|september|october|november|december)\b`)
	clock = regexp.MustCompile(`(?i)\b(?:at|by|from|after|to)? ?(\d{1,2})(?::(\d\d))? ` +
		`?(am|pm|o'clock)\b|\b(\d{1,2}):(\d\d)\b`)
	amount = regexp.MustCompile(`(?i)\b(\d{1,4}) ?(fleeces?|bales?|sheets?|bags?|kg)\b`)
	farm   = regexp.MustCompile(`\b(?:from|for|at|of|is|was|I'm|it's|It's|called|name's)\s+` +
		`((?:[A-Z][a-z]+)(?:\s+[A-Z][a-z]+)*)`)
	speaker    = regexp.MustCompile(`\AFrom [^\n]*:\n\n`) // who a message is from, before its words
	onlyName   = regexp.MustCompile(`^\s*((?:[A-Z][a-z]+)(?:\s+[A-Z][a-z]+)*)\W*$`)
	passedOn   = regexp.MustCompile(`(?m)^They: (.*)$`) // of what was said to who hands over
	collection = regexp.MustCompile(`(?s)this collection: .*"id":"([^"]+)"`)
	eventID    = regexp.MustCompile(`"id":"(ws-[0-9a-f]+)"`)
)

// gather reads the facts of a conversation; later words outweigh earlier ones.
func gather(messages []message) facts {
	f, today := facts{"today": time.Now().Format(time.DateOnly)}, time.Now().UTC()
	for _, m := range messages {
		switch m.Role {
		case "system":
			if found := nowLine.FindStringSubmatch(m.Content); found != nil {
				if t, err := time.Parse("2 January 2006", found[1]); err == nil {
					today = t
					f["today"] = t.Format(time.DateOnly)
				}
			}
		case "user":
			f["said"] = m.Content
			if found := passedOn.FindAllStringSubmatch(m.Content, -1); found != nil {
				f["said"] = found[len(found)-1][1]
			}
			if found := collection.FindStringSubmatch(m.Content); found != nil {
				f["collection"] = found[1]
			}
			f.read(m.Content, today)
		case "tool":
			if found := eventID.FindAllStringSubmatch(m.Content, -1); found != nil {
				f["event"] = found[len(found)-1][1]
			}
			if strings.Contains(m.Content, `"removed"`) {
				delete(f, "event")
			}
		}
	}
	return f
}

func (f facts) read(text string, today time.Time) {
	if day, ok := readDay(text, today); ok {
		f["day"] = day.Format(time.DateOnly)
		f["earliest"], f["latest"] = "08:00", "17:00"
		delete(f, "time")
	}
	lower := strings.ToLower(text)
	switch {
	case strings.Contains(lower, "morning"):
		f["earliest"], f["latest"] = "08:00", "12:00"
	case strings.Contains(lower, "afternoon"):
		f["earliest"], f["latest"] = "12:00", "17:00"
	}
	if found := clock.FindStringSubmatch(text); found != nil {
		hour, minute := found[1], found[2]
		if hour == "" {
			hour, minute = found[4], found[5]
		}
		h, _ := strconv.Atoi(hour)
		if strings.EqualFold(found[3], "pm") && h < 12 {
			h += 12
		}
		if minute == "" {
			minute = "00"
		}
		if h < 24 {
			f["time"] = twoDigits(h) + ":" + minute
			f["earliest"] = f["time"]
		}
	}
	if found := amount.FindStringSubmatch(text); found != nil {
		f["amount"] = found[1] + " " + strings.ToLower(found[2])
	}
	for _, pattern := range []*regexp.Regexp{farm, onlyName} {
		if found := pattern.FindStringSubmatch(text); found != nil && !calendarWord(found[1]) {
			f["grower"] = found[1]
		}
	}
}

func twoDigits(n int) string {
	if n < 10 {
		return "0" + strconv.Itoa(n)
	}
	return strconv.Itoa(n)
}

// calendarWord tells a name of a farm from a capitalised day or greeting.
func calendarWord(s string) bool {
	first, _, _ := strings.Cut(s, " ")
	if _, ok := weekdays[strings.ToLower(first)]; ok {
		return true
	}
	if _, err := time.Parse("January", first); err == nil {
		return true
	}
	switch first {
	case "Yes", "No", "Hello", "Hi", "Thanks", "Please", "Cancel", "Okay", "Ok", "Sorry", "Book", "Move":
		return true
	}
	return false
}

var weekdays = map[string]time.Weekday{"sunday": 0, "monday": 1, "tuesday": 2, "wednesday": 3, "thursday": 4,
	"friday": 5, "saturday": 6}

// readDay finds a day: today, tomorrow, a weekday to come, or a date.
func readDay(text string, today time.Time) (time.Time, bool) {
	lower := strings.ToLower(text)
	if found := isoDay.FindString(text); found != "" {
		t, err := time.Parse(time.DateOnly, found)
		return t, err == nil
	}
	if found := namedDay.FindStringSubmatch(text); found != nil {
		t, err := time.Parse("2 January 2006", found[1]+" "+strings.ToUpper(found[2][:1])+strings.ToLower(found[2][1:])+
			" "+strconv.Itoa(today.Year()))
		if err == nil && t.Before(today.AddDate(0, 0, -1)) {
			t = t.AddDate(1, 0, 0)
		}
		return t, err == nil
	}
	for _, word := range strings.FieldsFunc(lower, func(r rune) bool { return r < 'a' || r > 'z' }) {
		switch word {
		case "today":
			return today, true
		case "tomorrow":
			return today.AddDate(0, 0, 1), true
		}
		if d, ok := weekdays[word]; ok {
			ahead := (int(d) - int(today.Weekday()) + 7) % 7
			if ahead == 0 {
				ahead = 7
			}
			return today.AddDate(0, 0, ahead), true
		}
	}
	return time.Time{}, false
}
