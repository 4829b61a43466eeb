package flow

import (
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"woolsignal/core/expr"
	"woolsignal/core/shape"
)

// Trigger is one thing that starts a run.
type Trigger struct {
	ID   string
	At   Pos
	Kind string // the key that names what it is
	Is   Starting
}

// Starting is what a trigger of one kind is, as files say it: a value that is
// read from its fields. Kinds implement it, and register themselves with
// [RegisterTrigger].
type Starting interface {
	Fielded
	// Check checks what the fields mean. That what they name exists was
	// checked before.
	Check(c *Checker, t *Trigger)
	// Tell says in words when a run is started.
	Tell(p *Sentence, t *Trigger)
	// Shape describes its signals; see [SignalShape].
	Shape(w *Workspace, tools Catalogue) shape.Shape
	// Source is where its signals come from, as their source attribute says
	// it. Triggers of one source are served by one look at it.
	Source() string
	// HeardBy tells by what a run that waits finds its signals.
	HeardBy() HeardBy
}

// Claiming is a kind that has the place it names as its source for itself
// alone: who would answer otherwise?
type Claiming interface {
	Claims() string // the place in words
}

// Talking is a kind where somebody can be answered where the signal came from.
type Talking interface{ Talks() }

// Hearable is a kind whose signals a step can wait for.
type Hearable interface {
	// TellHeard says what is waited for, up to what it is about.
	TellHeard(p *Sentence)
}

// HeardBy is by what a run that waits finds a signal.
type HeardBy int

// How signals are found.
const (
	BySubject      HeardBy = iota // what it is about
	ByConversation                // the conversation it belongs to
	ByAnswered                    // the mail it answers
)

// TriggerKind is a kind of trigger that is registered.
type TriggerKind struct {
	Name   string  `json:"name"`
	Help   string  `json:"help"`
	Heard  bool    `json:"heard"` // a step can wait for its signals
	Fields []Field `json:"fields"`
	by     HeardBy
	new    func() Starting
}

var triggerKinds []TriggerKind

// RegisterTrigger makes a kind of trigger known by the key that names it; see
// [RegisterStep].
func RegisterTrigger(name, help string, new func() Starting) {
	if slices.ContainsFunc(triggerKinds, func(k TriggerKind) bool { return k.Name == name }) {
		panic("flow: the kind of trigger " + name + " is registered twice")
	}
	one := new()
	_, heard := one.(Hearable)
	triggerKinds = append(triggerKinds, TriggerKind{name, help, heard, Described(one.Fields()), one.HeardBy(), new})
}

// TriggerKinds lists the kinds of trigger, in the order they were registered.
func TriggerKinds() []TriggerKind { return slices.Clone(triggerKinds) }

// HeardByOf tells by what a run that waits finds the signals of a kind.
func HeardByOf(kind string) HeardBy {
	for _, k := range triggerKinds {
		if k.Name == kind {
			return k.by
		}
	}
	return BySubject
}

// triggerNames lists the kinds, or those a step can wait for.
func triggerNames(onlyHeard bool) []string {
	var out []string
	for _, k := range triggerKinds {
		if k.Heard || !onlyHeard {
			out = append(out, k.Name)
		}
	}
	return out
}

func (r *reader) trigger(n *yaml.Node) (Trigger, bool) {
	t := Trigger{At: posOf(n)}
	kinds := triggerNames(false)
	f, ok := r.mapping(n, "a trigger", append([]string{"id"}, kinds...)...)
	if !ok {
		return t, false
	}
	ok = r.source(f, "this trigger", kinds, &t)
	t.ID = r.required(f, "id", "a name such as scale")
	return t, ok
}

// source reads the one key of a map that says where signals come from.
func (r *reader) source(f fields, what string, kinds []string, t *Trigger) bool {
	t.At = f.at
	if t.Kind = r.kind(f, what, kinds); t.Kind == "" {
		return false
	}
	for _, k := range triggerKinds {
		if k.Name == t.Kind {
			t.Is = k.new()
		}
	}
	r.part(f.nodes[t.Kind], t.Kind, t.Is)
	return true
}

// Source is where signals of this trigger come from.
func (t Trigger) Source() string { return t.Is.Source() }

// Talks tells whether somebody can be answered where the signal came from.
func (t Trigger) Talks() bool {
	_, talks := t.Is.(Talking)
	return talks
}

// Place is what a trigger claims for itself alone, and how it is called. Both
// are "" where triggers may share.
func (t Trigger) Place() (place, words string) {
	c, claims := t.Is.(Claiming)
	if !claims {
		return "", ""
	}
	return strings.ToLower(t.Source()), c.Claims() // servers do not tell rooms apart by capitals
}

// Connection is the id of the connection a trigger watches or is verified
// by; "" where it needs none.
func (t Trigger) Connection() string {
	id := ""
	eachField(t.Is, func(f Field) {
		for _, name := range f.named() {
			switch {
			case id != "":
			case f.Holds == HoldsConnection:
				id = name
			case f.Holds == HoldsTool:
				id, _ = toolName(name)
			}
		}
	})
	return id
}

// Uses gives what the trigger names of a kind of thing; see [Step.Uses].
func (t Trigger) Uses(what Holds) []string { return used(t.Is, what) }

// schemas visits the schemas the trigger names.
func (t Trigger) schemas(visit func(*Schema)) { eachSchema(t.Is, visit) }

// Hear is a signal a run waits for.
type Hear struct {
	Trigger          // its kind and where it comes from
	Answering  Value // what the signal must be about: its thread in a chat, else its subject
	Match      *Expression
	FromAnyone bool // who sends it need not be who was written to
	AlsoStarts bool // it starts a run of its own trigger as well
}

// Fields are what hear may say beside where the signal comes from.
func (h *Hear) Fields() []Field {
	return []Field{
		{Name: "answering", Into: &h.Answering, Missing: "nothing says which signal is meant",
			Example: "${sent.message_id}",
			Help:    "What the signal must be about: the thread of a chat, the mail it answers, else its subject."},
		{Name: "match", Into: &h.Match, Help: "Only a signal this holds for; it sees heard.",
			Example: "heard.body.kg > 0"},
		{Name: "from_anyone", Into: &h.FromAnyone,
			Help: "Anybody may answer a mail, not only those it was written to.", Example: "true"},
		{Name: "also_starts", Into: &h.AlsoStarts, Help: "The signal starts a run of its own trigger as well.",
			Example: "true"},
	}
}

// kinds are the keys that say where signals come from.
func (*Hear) kinds() []Field {
	var out []Field
	for _, k := range triggerKinds {
		if k.Heard {
			out = append(out, Field{Name: k.Name, Holds: HoldsFields, Help: k.Help, Fields: k.Fields})
		}
	}
	return out
}

// readFrom reads the fields, and the one key that says where signals come
// from.
func (h *Hear) readFrom(r *reader, n *yaml.Node) {
	table, kinds := Described(h.Fields()), triggerNames(true)
	f, ok := r.mapping(n, "hear", append(names(table), kinds...)...)
	if !ok {
		return
	}
	r.table(Reading{r, f, "hear"}, table)
	r.source(f, "hear", kinds, &h.Trigger)
}

// Hear checks the signal a step waits for, and gives its shape.
func (c *Checker) Hear(h *Hear, names expr.Names) shape.Shape {
	c.Value(h.Answering, names)
	if h.Is == nil {
		return nil
	}
	of := h.Is.Shape(c.Workspace, c.Tool)
	if h.Match != nil {
		c.Condition(h.Match, names.With("heard", expr.Type{Shape: of}))
	}
	if h.FromAnyone && h.Is.HeardBy() != ByAnswered {
		c.Wrong(h.At, "remove from_anyone", "only who answers a mail is held against whom it was written to")
	}
	c.source(&h.Trigger)
	for _, w := range c.Workspace.Workflows {
		for _, t := range w.Triggers {
			if _, claims := t.Is.(Claiming); claims && t.Source() == h.Source() && t.Connection() != h.Connection() {
				c.Wrong(h.At, "verify: "+t.Connection(), "%s of %s is verified with another key",
					t.Is.(Claiming).Claims(), w.ID)
			}
		}
	}
	return of
}

// Hear says which signal a step waits for, behind "wait for".
func (s *Sentence) Hear(h *Hear) *Sentence {
	outer := s.place
	defer func() { s.place = outer }()
	if t, hearable := h.Is.(Hearable); hearable {
		s.place = outer + "/hear/" + h.Kind
		t.TellHeard(s.Field(""))
	}
	s.place = outer + "/hear"
	s.Field("answering").Text(h.Answering)
	if h.FromAnyone {
		s.Say(", from ").Field("from_anyone").Word("anyone")
	}
	if h.Match != nil {
		s.Say(" where ").Field("match").Expression(h.Match)
	}
	return s
}
