package flow

import (
	"fmt"
	"strconv"
	"strings"
	"time"
)

// trigger says what starts a run.
func (e *explainer) trigger(t Trigger) []Part {
	s := e.sentence()
	switch {
	case t.Chat != nil:
		s.Say("When somebody writes ")
		s.place(t.Chat)
	case t.Webhook != nil:
		s.Say("When ").Word(t.ID).Say(" posts to ").Word("/in/" + t.Webhook.Path).Say(", signed with ").Word(s.title(t.Webhook.Verify))
		if t.Webhook.Accepts != "" {
			s.Say(", shaped like ").Word(strings.TrimSuffix(strings.TrimPrefix(t.Webhook.Accepts, "schemas/"), ".json"))
		}
	case t.Schedule != nil:
		e.schedule(s, t.Schedule)
	case t.Form != nil:
		s.Say("When somebody sends the form ").Word("/form/" + t.Form.Page)
	case t.Mail != nil:
		s.Say("When a mail ")
		s.mails(t.Mail)
	case t.Row != nil:
		e.rows(s, t.Row)
	case t.Calendar != nil && t.Calendar.Changed:
		s.Say("When an event").matching(t.Calendar.Match).Say(" is changed in ")
		e.calendar(s, t.Calendar.Connection, t.Calendar.Calendar)
	case t.Calendar != nil:
		s.Word(t.Calendar.Before.String()).Say(" before each event").matching(t.Calendar.Match).Say(" in ")
		e.calendar(s, t.Calendar.Connection, t.Calendar.Calendar)
	case t.File != nil:
		s.Say("When a file")
		if t.File.Name != "" {
			s.Say(" called ").Word(t.File.Name)
		}
		s.Say(" appears in ").Word(t.File.Folder).Say(" on ").Word(s.title(t.File.Connection))
	case t.Feed != nil:
		s.Say("When the feed ").Word(t.Feed.Address).Say(" has something new")
	case t.Phone != nil:
		s.Say("When somebody speaks on the telephone line ").Word(t.Phone.Path).Say(", answered within ").Word(DurationWords(t.Phone.Within))
	case t.Failure != nil && len(t.Failure.Of) == 0:
		s.Say("When any other workflow fails")
	case t.Failure != nil:
		s.Say("When ").Word(strings.Join(t.Failure.Of, " or ")).Say(" fails")
	}
	return s.Parts
}

// Hear says which signal a step waits for, behind "wait for".
func (s *Sentence) Hear(h *Hear) *Sentence {
	switch {
	case h.Chat != nil:
		s.Say("a message ").place(h.Chat)
		s.Say(" in the conversation ")
	case h.Webhook != nil:
		s.Say("a delivery to ").Word("/in/" + h.Webhook.Path).Say(" about ")
	case h.Mail != nil:
		s.Say("a mail that ").mails(h.Mail)
		s.Say(", in answer to ")
	}
	s.Text(h.On)
	if h.Match != nil {
		s.Say(" where ").Expression(h.Match)
	}
	return s
}

// place says where a conversation is held.
func (s *Sentence) place(c *Chat) {
	switch {
	case c.Page != "":
		s.Say("in the chat page ").Word(c.Page)
	case c.Direct:
		s.Say("to the bot in private on ").Word(s.title(c.Connection))
	default:
		s.Say("in the room ").Word(c.Room).Say(" on ").Word(s.title(c.Connection))
	}
}

// mails says which mails are meant, behind "a mail".
func (s *Sentence) mails(m *Mail) {
	switch m.On {
	case "flagged":
		s.Say("in ").Word(m.Folder).Say(" of ").Word(s.title(m.Connection)).Say(" is marked ").Word(strings.TrimPrefix(m.Flag, `\`))
	case "moved":
		s.Say("is moved to ").Word(m.Folder).Say(" of ").Word(s.title(m.Connection))
	default:
		s.Say("arrives in ").Word(m.Folder).Say(" of ").Word(s.title(m.Connection))
	}
	if len(m.From) > 0 {
		s.Say(", from ").Word(strings.Join(m.From, " or "))
	}
	if len(m.Has) > 0 {
		s.Say(", with the words ").Word(strings.Join(m.Has, ", "))
	}
	if len(m.Lacks) > 0 {
		s.Say(", without ").Word(strings.Join(m.Lacks, ", "))
	}
}

func (e *explainer) rows(s *Sentence, w *Row) {
	s.Say("When a row is ").Word(map[string]string{"added": "added", "changed": "changed", "either": "added or changed"}[w.On]).Say(" in ")
	if w.Table != "" {
		name := w.Table
		if t := e.w.Tables[w.Table]; t != nil {
			name = t.Title
		}
		s.Word(name)
	} else {
		s.Say("what ").Tool(w.Tool).Say(" gives")
	}
	if len(w.Columns) > 0 {
		s.Say(", taking ").Word(strings.Join(w.Columns, ", "))
	}
}

func (e *explainer) calendar(s *Sentence, connection, calendar string) {
	if calendar != "" {
		s.Word(calendar).Say(" of ")
	}
	s.Word(s.title(connection))
}

// matching says which events are meant, behind "event".
func (s *Sentence) matching(words string) *Sentence {
	if words == "" {
		return s
	}
	return s.Say(" about ").Word(words)
}

// schedule says when a schedule is due.
func (e *explainer) schedule(s *Sentence, t *Schedule) {
	switch {
	case t.Before != nil:
		s.Word(t.Before.Lead.String()).Say(" before each event").matching(t.Before.Match).Say(" in ")
		e.calendar(s, t.Before.Connection, t.Before.Calendar)
		if t.AtSaid {
			s.Say(", at ").Word(clockOf(t.At))
		}
	case t.Every > 0:
		s.Say("Every ").Word(DurationWords(t.Every))
	case t.Cron != "":
		s.Say("At the times of ").Word(t.Cron)
	case t.Day == -1:
		s.Say("On the ").Word("last day").Say(" of each month at ").Word(clockOf(t.At))
	case t.Day < 0:
		s.Say("On the day ").Word(strconv.Itoa(-t.Day)).Say(" from the end of each month at ").Word(clockOf(t.At))
	default:
		s.Say("On the day ").Word(strconv.Itoa(t.Day)).Say(" of each month at ").Word(clockOf(t.At))
	}
	if t.Zone != nil {
		s.Say(" in ").Word(t.Zone.String())
	}
	switch t.Missed {
	case "once":
		s.Say("; after missed times, once")
	case "all":
		s.Say("; missed times are made up for")
	}
}

func clockOf(at time.Duration) string {
	return fmt.Sprintf("%02d:%02d", int(at.Hours()), int(at.Minutes())%60)
}
