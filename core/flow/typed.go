package flow

import "regexp"

// phoneForm is a number as E.164 writes it: a plus and at most 15 digits.
const phoneForm = `^\+[1-9][0-9]{6,14}$`

var phoneNumber = regexp.MustCompile(phoneForm)

// ValidPhone tells whether a number is written as E.164 says.
func ValidPhone(number string) bool { return phoneNumber.MatchString(number) }

// TypedSchema is the JSON Schema of one value a form asks for or a column
// holds, without how long it may be.
func TypedSchema(kind string, choices []string) map[string]any {
	switch kind {
	case "number":
		return map[string]any{"type": "number"}
	case "yes_no":
		return map[string]any{"type": "boolean"}
	case "date", "email":
		return map[string]any{"type": "string", "format": kind}
	case "phone":
		return map[string]any{"type": "string", "pattern": phoneForm}
	case "choice":
		among := make([]any, len(choices))
		for i, c := range choices {
			among[i] = c
		}
		return map[string]any{"type": "string", "enum": among}
	}
	return map[string]any{"type": "string"}
}
