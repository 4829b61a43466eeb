package trigger

import (
	"slices"

	"woolsignal/core/flow"
	"woolsignal/core/shape"
)

// Form starts a run with each form somebody sends from /slip/<Page>.
type Form struct {
	Page, Title, Intro string
	Asks               []FormField
	Thanks             string
}

// FormField is one thing a form asks for.
type FormField struct {
	Name, Title, Hint string
	Type              string // text, long_text, number, date, choice, email, phone or file
	Required          bool
	Choices           []string
	Most              int // characters of a text, bytes of a file; 0 is the usual
	at                flow.Pos
}

// Fields are what it may say.
func (f *Form) Fields() []flow.Field {
	return []flow.Field{
		{Name: "page", Into: &f.Page, Holds: flow.HoldsSlug, Required: true, Help: "The form is at /slip/PAGE.",
			Example: "offer-fleece"},
		{Name: "title", Into: &f.Title, Help: "The words above it; the workflow's title where it is missing.",
			Example: "Offer fleece"},
		{Name: "intro", Into: &f.Intro, Help: "What is said before the fields.", Example: "We answer within two days."},
		{Name: "fields", Into: flow.ListOf(&f.Asks), Missing: "the form asks for nothing", Help: "What it asks for.",
			Example: "[{name: kilograms, type: number}]"},
		{Name: "thanks", Into: &f.Thanks, Default: "Thank you. We have it.", Help: "What is said once it is sent.",
			Example: "Thank you. We call you."},
	}
}

// fieldTypes are what a form can ask for.
var fieldTypes = []string{"text", "long_text", "number", "date", "choice", "email", "phone", "file"}

// Fields are what a form's field may say.
func (f *FormField) Fields() []flow.Field {
	return []flow.Field{
		{Name: "name", Into: &f.Name, Holds: flow.HoldsName, Required: true, Help: "Its name in signal.body.",
			Example: "kilograms"},
		{Name: "title", Into: &f.Title, Help: "The words beside it; its name where it is missing.",
			Example: "How many kilograms?"},
		{Name: "hint", Into: &f.Hint, Help: "Smaller words below.", Example: "About is good enough."},
		{Name: "type", Into: &f.Type, Choices: fieldTypes, Default: "text",
			Help: "What is asked for; phone is written as E.164 says.", Example: "number"},
		{Name: "required", Into: &f.Required, Default: "true", Help: "Whether it must be filled in.", Example: "false"},
		{Name: "choices", Into: &f.Choices, Help: "What a choice is among.", Example: "[greasy, washed]"},
		{Name: "most", Into: &f.Most, Help: "How many characters a text may have, or bytes a file.", Example: "200"},
	}
}

// PlacedAt keeps where the field stands.
func (f *FormField) PlacedAt(at flow.Pos) { f.at = at }

// Agree insists on fields, of different names.
func (f *Form) Agree(m flow.Reading) {
	if m.Has("fields") && len(f.Asks) == 0 {
		m.Wrong("", "add fields: with at least one name:", "the form asks for nothing")
	}
	for i, one := range f.Asks {
		if slices.ContainsFunc(f.Asks[:i], func(o FormField) bool { return o.Name == one.Name }) {
			m.WrongAt(one.at, "choose another name", "there are two fields called %s", one.Name)
		}
	}
}

// Agree insists that choices belong to a choice.
func (f *FormField) Agree(m flow.Reading) {
	if (f.Type == "choice") != (len(f.Choices) > 0) {
		m.Wrong("", "write type: choice with choices: [greasy, washed]",
			"choices belong to a field of type choice, and it needs some")
	}
}

// Check has nothing more to check.
func (*Form) Check(*flow.Checker, *flow.Trigger) {}

// Tell says which form is sent.
func (f *Form) Tell(p *flow.Sentence, _ *flow.Trigger) {
	p.Say("When somebody sends the form ").Field("page").Word(f.Source())
}

// Shape is that of its signals.
func (f *Form) Shape(*flow.Workspace, flow.Catalogue) shape.Shape {
	return flow.SignalShape(shape.Map(nil), f.Schema())
}

// Source is its address.
func (f *Form) Source() string { return "/slip/" + f.Page }

// Claims names the address.
func (f *Form) Claims() string { return "the form's page " + f.Page }

// HeardBy is the subject.
func (*Form) HeardBy() flow.HeardBy { return flow.BySubject }

// Schema is the JSON Schema of what the form's sender fills in. Files are not
// in it: they are the signal's files.
func (f *Form) Schema() map[string]any {
	properties, required := map[string]any{}, []any{}
	for _, one := range f.Asks {
		if one.Type == "file" {
			continue
		}
		s := flow.TypedSchema(one.Type, one.Choices)
		if one.Title != "" {
			s["title"] = one.Title
		}
		if s["type"] == "string" && one.Type != "choice" {
			s["maxLength"] = float64(one.Longest())
		}
		properties[one.Name] = s
		if one.Required {
			required = append(required, one.Name)
		}
	}
	return map[string]any{"type": "object", "properties": properties, "required": required,
		"additionalProperties": false}
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
	if f.Title != "" {
		return f.Title
	}
	return flow.Label(f.Name)
}
