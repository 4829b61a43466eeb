package flow

import (
	"fmt"
	"strconv"
	"strings"
	"time"
)

// trigger says what starts a run.
func (e *explainer) trigger(t Trigger) []Part {
	var s sentence
	switch {
	case t.Chat != nil:
		s.say("When somebody writes ")
		e.place(&s, t.Chat)
	case t.Webhook != nil:
		s.say("When ").word(t.ID).say(" posts to ").word("/in/" + t.Webhook.Path).say(", signed with ").word(e.connection(t.Webhook.Verify))
		if t.Webhook.Accepts != "" {
			s.say(", shaped like ").word(strings.TrimSuffix(strings.TrimPrefix(t.Webhook.Accepts, "schemas/"), ".json"))
		}
	case t.Schedule != nil:
		e.schedule(&s, t.Schedule)
	case t.Form != nil:
		s.say("When somebody sends the form ").word("/form/" + t.Form.Page)
	case t.Mail != nil:
		s.say("When a mail ")
		e.mails(&s, t.Mail)
	case t.Row != nil:
		e.rows(&s, t.Row)
	case t.Calendar != nil && t.Calendar.Changed:
		s.say("When an event").matching(t.Calendar.Match).say(" is changed in ")
		e.calendar(&s, t.Calendar.Connection, t.Calendar.Calendar)
	case t.Calendar != nil:
		s.word(t.Calendar.Before.String()).say(" before each event").matching(t.Calendar.Match).say(" in ")
		e.calendar(&s, t.Calendar.Connection, t.Calendar.Calendar)
	case t.File != nil:
		s.say("When a file")
		if t.File.Name != "" {
			s.say(" called ").word(t.File.Name)
		}
		s.say(" appears in ").word(t.File.Folder).say(" on ").word(e.connection(t.File.Connection))
	case t.Feed != nil:
		s.say("When the feed ").word(t.Feed.Address).say(" has something new")
	case t.Phone != nil:
		s.say("When somebody speaks on the telephone line ").word(t.Phone.Path).say(", answered within ").word(DurationWords(t.Phone.Within))
	case t.Failure != nil && len(t.Failure.Of) == 0:
		s.say("When any other workflow fails")
	case t.Failure != nil:
		s.say("When ").word(strings.Join(t.Failure.Of, " or ")).say(" fails")
	}
	return s
}

// place says where a conversation is held.
func (e *explainer) place(s *sentence, c *Chat) {
	switch {
	case c.Page != "":
		s.say("in the chat page ").word(c.Page)
	case c.Direct:
		s.say("to the bot in private on ").word(e.connection(c.Connection))
	default:
		s.say("in the room ").word(c.Room).say(" on ").word(e.connection(c.Connection))
	}
}

// mails says which mails are meant, behind "a mail".
func (e *explainer) mails(s *sentence, m *Mail) {
	switch m.On {
	case "flagged":
		s.say("in ").word(m.Folder).say(" of ").word(e.connection(m.Connection)).say(" is marked ").word(strings.TrimPrefix(m.Flag, `\`))
	case "moved":
		s.say("is moved to ").word(m.Folder).say(" of ").word(e.connection(m.Connection))
	default:
		s.say("arrives in ").word(m.Folder).say(" of ").word(e.connection(m.Connection))
	}
	if len(m.From) > 0 {
		s.say(", from ").word(strings.Join(m.From, " or "))
	}
	if len(m.Has) > 0 {
		s.say(", with the words ").word(strings.Join(m.Has, ", "))
	}
	if len(m.Lacks) > 0 {
		s.say(", without ").word(strings.Join(m.Lacks, ", "))
	}
}

func (e *explainer) rows(s *sentence, w *Row) {
	s.say("When a row is ").word(map[string]string{"added": "added", "changed": "changed", "either": "added or changed"}[w.On]).say(" in ")
	if w.Table != "" {
		name := w.Table
		if t := e.w.Tables[w.Table]; t != nil {
			name = t.Title
		}
		s.word(name)
	} else {
		s.say("what ").word(e.toolTitle(w.Tool)).say(" gives")
	}
	if len(w.Columns) > 0 {
		s.say(", taking ").word(strings.Join(w.Columns, ", "))
	}
}

func (e *explainer) calendar(s *sentence, connection, calendar string) {
	if calendar != "" {
		s.word(calendar).say(" of ")
	}
	s.word(e.connection(connection))
}

// matching says which events are meant, behind "event".
func (s *sentence) matching(words string) *sentence {
	if words == "" {
		return s
	}
	return s.say(" about ").word(words)
}

// schedule says when a schedule is due.
func (e *explainer) schedule(s *sentence, t *Schedule) {
	switch {
	case t.Before != nil:
		s.word(t.Before.Lead.String()).say(" before each event").matching(t.Before.Match).say(" in ")
		e.calendar(s, t.Before.Connection, t.Before.Calendar)
		if t.AtSaid {
			s.say(", at ").word(clockOf(t.At))
		}
	case t.Every > 0:
		s.say("Every ").word(DurationWords(t.Every))
	case t.Cron != "":
		s.say("At the times of ").word(t.Cron)
	case t.Day == -1:
		s.say("On the ").word("last day").say(" of each month at ").word(clockOf(t.At))
	case t.Day < 0:
		s.say("On the day ").word(strconv.Itoa(-t.Day)).say(" from the end of each month at ").word(clockOf(t.At))
	default:
		s.say("On the day ").word(strconv.Itoa(t.Day)).say(" of each month at ").word(clockOf(t.At))
	}
	if t.Zone != nil {
		s.say(" in ").word(t.Zone.String())
	}
	switch t.Missed {
	case "once":
		s.say("; after missed times, once")
	case "all":
		s.say("; missed times are made up for")
	}
}

func clockOf(at time.Duration) string {
	return fmt.Sprintf("%02d:%02d", int(at.Hours()), int(at.Minutes())%60)
}
