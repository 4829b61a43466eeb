package flow

import "strconv"

// Sureness is how sure a judgement is, in words, from its confidence of 0 to 1.
func Sureness(confidence float64) string {
	switch {
	case confidence < 0.5:
		return "not sure"
	case confidence < 0.7:
		return "rather sure"
	case confidence < 0.9:
		return "fairly sure"
	}
	return "sure"
}

// SurenessBeside is the same with the number beside it: "fairly sure (0.85)".
func SurenessBeside(confidence float64) string {
	return Sureness(confidence) + " (" + strconv.FormatFloat(confidence, 'f', -1, 64) + ")"
}
