package shape

import (
	"fmt"
	"regexp"
	"strings"
)

// formats have the words for the formats of JSON Schema that answers have.
var formats = map[string]string{"email": "an e-mail address", "date": "a day", "time": "a time of day",
	"date-time": "a time", "uri": "an address", "uuid": "a UUID", "duration": "a length of time"}

// oneClass is a pattern that takes so many characters of one class.
var oneClass = regexp.MustCompile(`^\^(\[[^\]]+\]|\\d)(?:\{(\d+)(?:,(\d*))?\}|(\+))\$$`)

// classes have the words for classes of characters.
var classes = map[string]string{"[0-9]": "digits", `\d`: "digits", "[a-z]": "small letters", "[A-Z]": "capitals",
	"[A-Za-z]": "letters", "[a-zA-Z]": "letters"}

// Told says what a shape takes as a sentence would: "a number of at least 1",
// "6 digits", "one of greasy, washed".
func (s Shape) Told() string {
	if choices, ok := s["enum"].([]any); ok && len(choices) > 0 {
		words := make([]string, len(choices))
		for i, c := range choices {
			words[i] = fmt.Sprint(c)
		}
		return "one of " + strings.Join(words, ", ")
	}
	switch s["type"] {
	case "string":
		return s.textTold()
	case "integer":
		return "a whole number" + s.bounds("minimum", "maximum")
	case "number":
		return "a number" + s.bounds("minimum", "maximum")
	case "boolean":
		return "yes or no"
	case "array":
		if items := s.Items(); items.Kind() != "" {
			return "a list, each " + items.Told()
		}
		return "a list"
	}
	if names := s.Names(); len(names) > 0 {
		return "a map of " + strings.ReplaceAll(strings.Join(names, ", "), "_", " ")
	}
	return Words(s.Kind())
}

// textTold says what text is taken.
func (s Shape) textTold() string {
	if format, ok := s["format"].(string); ok && formats[format] != "" {
		return formats[format]
	}
	if pattern, ok := s["pattern"].(string); ok {
		if words := patternTold(pattern); words != "" {
			return words
		}
		return "a text of the form " + pattern
	}
	return "a text" + s.bounds("minLength", "maxLength")
}

// patternTold says a pattern of one class of characters; "" of others.
func patternTold(pattern string) string {
	form := oneClass.FindStringSubmatch(pattern)
	if form == nil || classes[form[1]] == "" {
		return ""
	}
	of := classes[form[1]]
	switch {
	case form[4] != "":
		return of
	case !strings.Contains(pattern, ","):
		return form[2] + " " + of
	case form[3] == "":
		return form[2] + " " + of + " or more"
	}
	return form[2] + " to " + form[3] + " " + of
}

// bounds says how much is taken, by the keywords that bound it.
func (s Shape) bounds(least, most string) string {
	unit := ""
	if least == "minLength" {
		unit = " characters"
	}
	low, high := s[least], s[most]
	switch {
	case low != nil && high != nil:
		return fmt.Sprintf(" from %v to %v%s", low, high, unit)
	case low != nil:
		return fmt.Sprintf(" of at least %v%s", low, unit)
	case high != nil:
		return fmt.Sprintf(" of at most %v%s", high, unit)
	case s["exclusiveMinimum"] != nil && unit == "":
		return fmt.Sprintf(" of more than %v", s["exclusiveMinimum"])
	}
	return ""
}
