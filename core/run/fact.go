package run

import (
	"fmt"
	"unicode/utf8"

	"woolsignal/core/agent"
	"woolsignal/core/flow"
)

// AboutWorkspace is what facts are about that everybody's agents know.
const AboutWorkspace = "workspace"

// FactKept says that a fact about somebody or something was kept.
type FactKept struct {
	Step  string `json:"step"`
	N     int    `json:"n"` // counts those the run kept, from 1
	About string `json:"about"`
	Name  string `json:"name,omitempty"` // a later one of this name takes its place
	Fact  string `json:"fact"`
}

// FactChanged says that a person corrected a fact the run kept, or removed it.
type FactChanged struct {
	N    int    `json:"n"`
	Fact string `json:"fact,omitempty"` // "" is removed
	By   string `json:"by"`
}

// ChangeFact is a person's wish that a fact the run kept says something else, or that
// it is forgotten.
type ChangeFact struct {
	N    int
	Fact string // "" removes it
	By   string
}

func (*ChangeFact) event() {}

func (*FactKept) word() string    { return "fact_kept" }
func (*FactChanged) word() string { return "fact_changed" }

func (r *FactKept) gate(g *gate) {
	g.text(&r.About)
	g.text(&r.Fact)
}

func (r *FactChanged) gate(g *gate) {
	g.text(&r.Fact)
	g.text(&r.By)
}

// KeepFact keeps a fact, unless it is too long for one.
func (at *At) KeepFact(f *FactKept) error {
	if n := utf8.RuneCountInString(f.Fact); n > flow.LongestFact {
		return fmt.Errorf("a fact has at most %d characters, and this has %d; say it in a sentence",
			flow.LongestFact, n)
	}
	f.N = at.m.state.Facts + 1
	at.Emit(f)
	return nil
}

// changeFact corrects or removes one, whether or not the run goes on.
func (m *machine) changeFact(c *ChangeFact) error {
	if c.N < 1 || c.N > m.state.Facts {
		return ErrStale
	}
	m.emit(&FactChanged{N: c.N, Fact: c.Fact, By: c.By})
	return m.broken
}

// rememberedAs is whom a fact is kept about. On the word of somebody nobody stands for,
// nothing is kept that others would be told, but with the yes of a person of ours.
func (at *At) rememberedAs(call *agent.Call, about string) (string, error) {
	s := at.Signal()
	agreed := call.By != "" && call.Back == nil // a yes to what was read back is the speaker's own
	switch {
	case about != "person" && s.Vouched() == "" && (s.Stranger || s.From["name"]+s.Text != "") && !agreed:
		return "", fmt.Errorf("whoever says so is not signed in: about the workspace nothing is kept on their word. " +
			"Keep it about the person")
	case about != "person":
		return AboutWorkspace, nil
	}
	if about = s.RememberedAs(); about == "" {
		return "", fmt.Errorf("nobody stands for who this person is, so nothing is kept about them")
	}
	return about, nil
}

// RememberedAs is whom facts about the sender are kept by: who the service stands for,
// else the conversation alone; "" where there is neither.
func (s *Signal) RememberedAs() string {
	if known := s.Vouched(); known != "" {
		return known
	}
	return s.Conversation().String()
}
