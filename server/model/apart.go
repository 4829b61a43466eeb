package model

import "strings"

// apart keeps what a model thinks aloud apart from what it answers: some write their
// thoughts into their answer, between two marks at its beginning.
type apart struct {
	state int
	held  string // what may yet be a mark
}

// The marks around a thought.
const (
	thoughtBegins = "<think>"
	thoughtEnds   = "</think>"
)

// Where a message is: before anything, inside a thought, or behind.
const (
	before = iota
	inside
	behind
)

// next takes in a piece and gives what of it is answer and what is thought.
func (a *apart) next(piece string) (text, thought string) {
	a.held += piece
	if a.state == before {
		start := strings.TrimLeft(a.held, " \n\t\r")
		switch {
		case strings.HasPrefix(start, thoughtBegins):
			a.state, a.held = inside, start[len(thoughtBegins):]
		case strings.HasPrefix(thoughtBegins, start):
			return "", ""
		default:
			a.state = behind
		}
	}
	if a.state == inside {
		words, after, ends := strings.Cut(a.held, thoughtEnds)
		if !ends {
			keep := tail(a.held, thoughtEnds)
			thought, a.held = a.held[:len(a.held)-keep], a.held[len(a.held)-keep:]
			return "", thought
		}
		a.state, a.held, thought = behind, after, words
	}
	text, a.held = a.held, ""
	return text, thought
}

// rest gives what was held back when nothing follows.
func (a *apart) rest() (text, thought string) {
	held := a.held
	a.held = ""
	if a.state == inside {
		return "", held
	}
	return held, ""
}

// tail is how many bytes at the end of a text may be the beginning of a mark.
func tail(text, mark string) int {
	for n := min(len(mark)-1, len(text)); n > 0; n-- {
		if strings.HasSuffix(text, mark[:n]) {
			return n
		}
	}
	return 0
}
