package vault

import (
	"strings"
)

// Stream hides secrets in a text that comes in pieces, as [Vault.Mask] does in the
// whole of it: an end that may begin a form of a secret is held back until more is
// there. What it holds is no longer than twice the longest form.
type Stream struct {
	mask  mask
	rest  string // not let out yet
	begun bool
}

// StreamFor is [Vault.MaskFor] for a text that comes in pieces.
func (v *Vault) StreamFor(said []string) *Stream {
	v.mu.RLock()
	defer v.mu.RUnlock()
	if len(said) == 0 {
		return &Stream{mask: v.blots}
	}
	return &Stream{mask: v.unsaid(said)}
}

// Next takes a piece, and gives what may be told now.
func (s *Stream) Next(piece string) string {
	text := s.rest + piece
	held := s.mask.held(text)
	if !s.begun && s.mask.begins(text) {
		held = len(text)
	}
	told := text[:len(text)-held]
	// A form that lies across the cut is let out as a whole, later.
	for whole := s.mask.hide(text); told != "" && s.mask.hide(told)+s.mask.hide(text[len(told):]) != whole; {
		told = told[:len(told)-1]
	}
	s.rest = text[len(told):]
	s.begun = s.begun || told != ""
	return s.mask.within.Replace(told)
}

// Rest gives what was held back, once nothing more comes.
func (s *Stream) Rest() string {
	rest := s.rest
	s.rest = ""
	if s.begun {
		return s.mask.within.Replace(rest)
	}
	return s.mask.hide(rest)
}

// held is how long an end of a text may be the beginning of a form, in bytes.
func (m mask) held(text string) int {
	for at := max(0, len(text)-m.longest+1); at < len(text); at++ {
		for _, form := range m.forms[text[at]] {
			if len(form) > len(text)-at && strings.HasPrefix(form, text[at:]) {
				return len(text) - at
			}
		}
	}
	return 0
}

// begins tells whether a text may become one that is hidden where it is all there is.
func (m mask) begins(text string) bool {
	for secret := range m.whole {
		if strings.HasPrefix(secret, text) {
			return true
		}
	}
	return false
}
