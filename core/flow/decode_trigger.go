package flow

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"
)

// triggerKinds are the keys that name what starts a run.
var triggerKinds = []string{"chat", "webhook", "schedule", "form", "mail", "row", "calendar", "file", "feed", "phone", "failure"}

// hearKinds are the kinds of signal a run can wait for.
var hearKinds = []string{"chat", "webhook", "mail"}

// usualLook is how often what cannot call us is looked at where nothing else
// is written; soonest is how often at most.
const (
	usualLook = 2 * time.Minute
	soonest   = time.Second
)

func (r *reader) trigger(n *yaml.Node) (Trigger, bool) {
	f, ok := r.mapping(n, "a trigger", append([]string{"id"}, triggerKinds...)...)
	if !ok {
		return Trigger{At: posOf(n)}, false
	}
	t, ok := r.source(f, "this trigger", triggerKinds)
	t.ID = r.required(f, "id", "a name such as scale")
	return t, ok
}

// source reads the one key of a map that says where signals come from.
func (r *reader) source(f fields, what string, kinds []string) (Trigger, bool) {
	t := Trigger{At: f.at}
	kind := r.kind(f, what, kinds)
	if kind == "" {
		return t, false
	}
	body := f.nodes[kind]
	switch kind {
	case "chat":
		t.Chat = r.chat(body)
	case "webhook":
		g, _ := r.mapping(body, "webhook", "path", "verify", "accepts", "answer", "answer_within", "subject")
		t.Webhook = &Webhook{
			Path: r.pathName(g, "path", "weighbridge"), Verify: r.required(g, "verify", "the id of a connection that holds the signing key"),
			Accepts: r.text(g, "accepts"), Computed: r.choice(g, "answer", "receipt", "receipt", "computed") == "computed",
			AnswerWithin: r.duration(g, "answer_within", 10*time.Second), Subject: r.valueAt(g, "subject"),
		}
	case "schedule":
		t.Schedule = r.schedule(body)
	case "form":
		t.Form = r.form(body)
	case "mail":
		g, _ := r.mapping(body, "mail", "connection", "folder", "on", "flag", "from", "has", "lacks", "every")
		t.Mail = &Mail{Connection: r.required(g, "connection", "the id of a mailbox"), Folder: r.otherwise(g, "folder", "INBOX"),
			On: r.choice(g, "on", "arrived", "arrived", "flagged", "moved"), Flag: r.otherwise(g, "flag", `\Flagged`),
			From: r.texts(g, "from"), Has: r.texts(g, "has"), Lacks: r.texts(g, "lacks"), Every: r.look(g)}
		if g.has("flag") && t.Mail.On != "flagged" {
			r.wrong(g.pos("flag"), "add on: flagged, or remove it", "flag belongs to mails that are given one")
		}
	case "row":
		t.Row = r.row(body)
	case "calendar":
		g, _ := r.mapping(body, "calendar", "connection", "calendar", "before", "changed", "match", "every")
		t.Calendar = &CalendarWatch{Connection: r.required(g, "connection", "the id of a caldav connection"), Calendar: r.text(g, "calendar"),
			Before: r.span(g, "before"), Changed: r.flag(g, "changed", false), Match: r.text(g, "match"), Every: r.look(g)}
		if g.has("before") == t.Calendar.Changed {
			r.wrong(g.at, "add before: 1d, or changed: true", "a calendar starts a run before its events, or when one changes: say which")
		}
	case "file":
		g, _ := r.mapping(body, "file", "connection", "folder", "name", "every")
		t.File = &FileWatch{Connection: r.required(g, "connection", "the id of a webdav connection"), Folder: strings.Trim(r.required(g, "folder", "incoming"), "/"),
			Name: r.text(g, "name"), Every: r.look(g)}
		if !namePattern.MatchString(t.File.Name) {
			r.wrong(g.pos("name"), `name: "*.txt"`, "%q is no pattern of names", t.File.Name)
		}
	case "feed":
		g, _ := r.mapping(body, "feed", "connection", "address", "every")
		t.Feed = &Feed{Connection: r.required(g, "connection", "the id of a web connection"), Address: r.required(g, "address", "https://…/feed.xml"), Every: r.look(g)}
	case "phone":
		g, _ := r.mapping(body, "phone", "path", "verify", "voice", "speed", "within")
		t.Phone = &Phone{Path: r.pathName(g, "path", "hill-line"), Verify: r.required(g, "verify", "the id of a connection that holds the gateway's key"),
			Voice: r.text(g, "voice"), Speed: r.text(g, "speed"), Within: r.duration(g, "within", 2*time.Second)}
	case "failure":
		g, _ := r.mapping(body, "failure", "of")
		t.Failure = &Failure{Of: r.texts(g, "of")}
	}
	return t, true
}

// otherwise reads a literal text, or gives another where it is missing.
func (r *reader) otherwise(f fields, key, other string) string {
	if !f.has(key) {
		return other
	}
	return r.text(f, key)
}

// pathName reads the last part of a public address.
func (r *reader) pathName(f fields, key, example string) string {
	name := r.required(f, key, example)
	if name != "" && !kebab.MatchString(name) {
		r.wrong(f.pos(key), "use small letters, digits and hyphens", "%q cannot be part of an address", name)
	}
	return name
}

// look reads how often something is looked at.
func (r *reader) look(f fields) time.Duration {
	every := r.duration(f, "every", usualLook)
	if every < soonest {
		r.wrong(f.pos("every"), "every: 2m", "nothing is looked at more often than once a second")
		return usualLook
	}
	return every
}

func (r *reader) chat(n *yaml.Node) *Chat {
	g, _ := r.mapping(n, "chat", "page", "open", "connection", "room", "direct", "acknowledge")
	c := &Chat{Page: r.text(g, "page"), Open: r.flag(g, "open", false), Connection: r.text(g, "connection"), Room: r.text(g, "room"), Direct: r.flag(g, "direct", false),
		Acknowledge: r.otherwise(g, "acknowledge", "eyes")}
	switch {
	case g.has("page") == g.has("connection"):
		r.wrong(g.at, "add page: a name such as depot, or connection: a chat_server", "a conversation is on a page, or on a chat server: say which")
	case c.Page != "" && !kebab.MatchString(c.Page):
		r.wrong(g.pos("page"), "use small letters, digits and hyphens", "%q cannot be part of an address", c.Page)
	case c.Connection != "" && g.has("room") == c.Direct:
		r.wrong(g.at, "add room: its name, or direct: true", "on a chat server a conversation is in a room, or private: say which")
	case c.Connection != "" && g.has("open"):
		r.wrong(g.pos("open"), "remove it", "open belongs to a page; who may write on a chat server is decided there")
	}
	return c
}

// row reads which rows are watched.
func (r *reader) row(n *yaml.Node) *Row {
	g, _ := r.mapping(n, "row", "table", "tool", "args", "of", "key", "on", "columns", "every")
	w := &Row{Table: r.text(g, "table"), Tool: r.text(g, "tool"), Args: r.entriesAt(g, "args"), Of: r.expression(g, "of"), Key: r.text(g, "key"),
		On: r.choice(g, "on", "added", "added", "changed", "either"), Columns: r.texts(g, "columns"), Every: r.look(g)}
	if g.has("table") == g.has("tool") {
		r.wrong(g.at, "add table: its id, or tool: connection/operation", "rows are of a table, or of a list a tool gives: say which")
	}
	for _, key := range []string{"args", "of", "key", "every"} {
		if g.has("table") && g.has(key) {
			r.wrong(g.pos(key), "remove it", "%s belongs to rows that a tool gives", key)
		}
	}
	if g.has("tool") {
		for key, example := range map[string]string{"of": "result.deliveries", "key": "id"} {
			if !g.has(key) {
				r.wrong(g.at, "add "+key+": "+example, "the key %s is missing", key)
			}
		}
	}
	return w
}

// fieldTypes are what a form can ask for.
var fieldTypes = []string{"text", "long_text", "number", "date", "choice", "email", "phone", "file"}

func (r *reader) form(n *yaml.Node) *Form {
	g, _ := r.mapping(n, "form", "page", "title", "intro", "fields", "thanks")
	f := &Form{Page: r.pathName(g, "page", "offer-fleece"), Title: r.text(g, "title"), Intro: r.text(g, "intro"),
		Thanks: r.otherwise(g, "thanks", "Thank you. We have it.")}
	for _, n := range r.list(g, "fields") {
		h, ok := r.mapping(n, "a field", "name", "label", "hint", "type", "required", "choices", "most")
		if !ok {
			continue
		}
		one := FormField{Name: r.required(h, "name", "kilograms"), Label: r.text(h, "label"), Hint: r.text(h, "hint"),
			Type: r.choice(h, "type", "text", fieldTypes...), Optional: !r.flag(h, "required", true), Choices: r.texts(h, "choices"), Most: r.whole(h, "most", 0)}
		switch {
		case one.Name != "" && !snake.MatchString(one.Name):
			r.wrong(h.pos("name"), "use small letters, digits and _", "%q cannot be a field's name", one.Name)
		case slices.ContainsFunc(f.Fields, func(o FormField) bool { return o.Name == one.Name }):
			r.wrong(h.pos("name"), "choose another name", "there are two fields called %s", one.Name)
		case (one.Type == "choice") != (len(one.Choices) > 0):
			r.wrong(h.at, "write type: choice with choices: [greasy, washed]", "choices belong to a field of type choice, and it needs some")
		}
		f.Fields = append(f.Fields, one)
	}
	if len(f.Fields) == 0 {
		r.wrong(g.at, "add fields: with at least one name:", "the form asks for nothing")
	}
	return f
}

// phoneForm is a number as E.164 writes it: a plus and at most 15 digits.
const phoneForm = `^\+[1-9][0-9]{6,14}$`

var phoneNumber = regexp.MustCompile(phoneForm)

// ValidPhone tells whether a number is written as E.164 says.
func ValidPhone(number string) bool { return phoneNumber.MatchString(number) }

// namePattern is the grammar of path.Match, by which names are matched later.
var namePattern = func() *regexp.Regexp {
	const one, first = `(?:[^\\\]-]|\\.)`, `(?:[^\\\]^-]|\\.)` // of a class; a ^ that comes first negates it
	const ranges = `(?:` + one + `(?:-` + one + `)?)`
	return regexp.MustCompile(`(?s)^(?:[^\\\[]|\\.|\[(?:\^` + ranges + `+|` + first + `(?:-` + one + `)?` + ranges + `*)\])*$`)
}()

// typedSchema is the JSON Schema of one value a form asks for or a column
// holds, without how long it may be.
func typedSchema(kind string, choices []string) map[string]any {
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

// Schema is the JSON Schema of what the form's sender fills in. Files are not
// in it: they are the signal's files.
func (f *Form) Schema() map[string]any {
	properties, required := map[string]any{}, []any{}
	for _, one := range f.Fields {
		if one.Type == "file" {
			continue
		}
		s := typedSchema(one.Type, one.Choices)
		if one.Label != "" {
			s["title"] = one.Label
		}
		if s["type"] == "string" && one.Type != "choice" {
			s["maxLength"] = float64(one.Longest())
		}
		properties[one.Name] = s
		if !one.Optional {
			required = append(required, one.Name)
		}
	}
	return map[string]any{"type": "object", "properties": properties, "required": required, "additionalProperties": false}
}

// Longest is how many characters a text may have, or bytes a file.
func (f FormField) Longest() int {
	switch {
	case f.Most > 0:
		return f.Most
	case f.Type == "file":
		return 10 << 20
	case f.Type == "long_text":
		return 20_000
	}
	return 500
}

// Words is the field's label, made of its name where none is written.
func (f FormField) Words() string {
	if f.Label != "" {
		return f.Label
	}
	return strings.ToUpper(f.Name[:min(1, len(f.Name))]) + Plain(f.Name[min(1, len(f.Name)):])
}

// schedule reads when runs are started: every so often, by cron, on a day of
// the month, or before the events of a calendar.
func (r *reader) schedule(n *yaml.Node) *Schedule {
	g, _ := r.mapping(n, "schedule", "every", "cron", "day_of_month", "before_event", "at", "zone", "missed")
	s := &Schedule{Missed: r.choice(g, "missed", "skip", "skip", "once", "all")}
	switch r.kind(g, "this schedule", []string{"every", "cron", "day_of_month", "before_event"}) {
	case "every":
		s.Every = r.duration(g, "every", time.Hour)
	case "cron":
		s.Cron = r.text(g, "cron")
	case "day_of_month":
		day, err := strconv.Atoi(r.text(g, "day_of_month"))
		if err != nil || day == 0 {
			r.wrong(g.pos("day_of_month"), "write 1 for the first day, -1 for the last, -3 for the third-last", "day_of_month cannot be %q", r.text(g, "day_of_month"))
		}
		s.Day = day
	case "before_event":
		h, _ := r.mapping(g.nodes["before_event"], "before_event", "connection", "calendar", "match", "lead")
		s.Before = &BeforeEvent{Connection: r.required(h, "connection", "the id of a caldav connection"), Calendar: r.text(h, "calendar"), Match: r.text(h, "match"), Lead: r.span(h, "lead")}
		if !h.has("lead") {
			r.wrong(h.at, "add lead: 2wd", "nothing says how long before the event")
		}
	}
	if g.has("at") {
		at, err := time.Parse("15:04", r.text(g, "at"))
		if err != nil {
			r.wrong(g.pos("at"), `at: "08:00"`, "%q is not a time of day", r.text(g, "at"))
		}
		s.At, s.AtSaid = time.Duration(at.Hour())*time.Hour+time.Duration(at.Minute())*time.Minute, true
		if !g.has("day_of_month") && !g.has("before_event") {
			r.wrong(g.pos("at"), "remove it, or write day_of_month or before_event", "at belongs to day_of_month and before_event")
		}
	}
	if g.has("zone") {
		zone, err := time.LoadLocation(r.text(g, "zone"))
		if err != nil || r.text(g, "zone") == "Local" {
			r.wrong(g.pos("zone"), "use a name of the IANA time zone database, such as Europe/London", "%q is not a time zone", r.text(g, "zone"))
		} else {
			s.Zone = zone
		}
	}
	if err := s.Ready(); err != nil {
		r.wrong(g.at, `cron: "0 8 * * 1-5" is every weekday at eight`, "%v", err)
	}
	if !g.has("zone") {
		s.Zone = nil // the workspace's, once it is known
	}
	return s
}
