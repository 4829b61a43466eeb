package trigger

import (
	"regexp"
	"strings"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/shape"
)

// File starts a run with each file that appears in a folder.
type File struct {
	Connection string
	Folder     string
	Name       string // a pattern such as *.txt; "" takes all
	Every      time.Duration
}

// Fields are what it may say.
func (f *File) Fields() []flow.Field {
	return []flow.Field{
		{Name: "connection", Into: &f.Connection, Holds: flow.HoldsConnection, Kind: "webdav", Required: true,
			Help: "The server of files.", Example: "shed-files"},
		{Name: "folder", Into: &f.Folder, Required: true, Help: "The folder there.", Example: "incoming"},
		{Name: "name", Into: &f.Name, Help: "A pattern of names.", Example: `"*.txt"`},
		everyField(&f.Every),
	}
}

// namePattern is the grammar of path.Match, by which names are matched later.
var namePattern = func() *regexp.Regexp {
	const one, first = `(?:[^\\\]-]|\\.)`, `(?:[^\\\]^-]|\\.)` // of a class; a ^ that comes first negates it
	const ranges = `(?:` + one + `(?:-` + one + `)?)`
	return regexp.MustCompile(`(?s)^(?:[^\\\[]|\\.|\[(?:\^` + ranges + `+|` + first + `(?:-` + one + `)?` + ranges +
		`*)\])*$`)
}()

// Agree reads the pattern.
func (f *File) Agree(m flow.Reading) {
	notTooOften(m, &f.Every)
	f.Folder = strings.Trim(f.Folder, "/")
	if !namePattern.MatchString(f.Name) {
		m.Wrong("name", `name: "*.txt"`, "%q is no pattern of names", f.Name)
	}
}

// Check has nothing more to check.
func (*File) Check(*flow.Checker, *flow.Trigger) {}

// Tell says where which file appears.
func (f *File) Tell(p *flow.Sentence, _ *flow.Trigger) {
	p.Say("When a file")
	if f.Name != "" {
		p.Say(" called ").Field("name").Word(f.Name)
	}
	p.Say(" appears in ").Field("folder").Word(f.Folder).Say(" on ").Field("connection").Connection(f.Connection)
}

// Shape is that of its signals.
func (*File) Shape(*flow.Workspace, flow.Catalogue) shape.Shape {
	return flow.SignalShape(shape.Map(nil), flow.Texts("path", "name", "type", "etag"))
}

// Source is the folder.
func (f *File) Source() string { return "/files/" + f.Connection + "/" + f.Folder }

// HeardBy is the subject.
func (*File) HeardBy() flow.HeardBy { return flow.BySubject }
