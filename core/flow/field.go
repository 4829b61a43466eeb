package flow

import (
	"fmt"
	"time"
)

// Holds is what may be written in a field.
type Holds string

// What a field can hold. Many of these, in a list or a map, are said by
// [Field.Many].
const (
	HoldsExpression Holds = "expression" // CEL
	HoldsText       Holds = "text"       // words and values; ${…} holds an expression
	HoldsProse      Holds = "prose"      // plain words for a model; may hold ${…}
	HoldsWords      Holds = "words"      // words as they stand
	HoldsName       Holds = "name"       // small letters, digits and _
	HoldsSlug       Holds = "slug"       // small letters, digits and hyphens: a part of an address
	HoldsCode       Holds = "code"
	HoldsDuration   Holds = "duration" // 90s, 15m, 2h, 3d
	HoldsSpan       Holds = "span"     // a duration, or working days: 2wd
	HoldsChoice     Holds = "choice"   // one of [Field.Choices]
	HoldsWhole      Holds = "whole"    // a whole number
	HoldsNumber     Holds = "number"
	HoldsFlag       Holds = "flag"   // true or false
	HoldsSchema     Holds = "schema" // a JSON Schema, or the path of one
	HoldsSteps      Holds = "steps"
	HoldsTriggers   Holds = "triggers"
	HoldsFields     Holds = "fields" // a map of [Field.Fields]
	HoldsTool       Holds = "tool"   // connection/operation
	HoldsAgent      Holds = "agent"
	HoldsModel      Holds = "model"
	HoldsWorkflow   Holds = "workflow"
	HoldsTable      Holds = "table"
	HoldsConnection Holds = "connection"
	HoldsPeople     Holds = "people" // a person's e-mail, a role or a team
	HoldsFile       Holds = "file"   // the path of a file of the workspace
	HoldsDay        Holds = "day"    // 2026-12-25
	HoldsZone       Holds = "zone"   // a name of the IANA time zone database
	HoldsAddress    Holds = "address"
)

// Of one field there may be many.
const (
	List = "list"
	Map  = "map"
)

// Field is one key that a part of a file may have. A kind declares each of its
// fields once, bound to the variable it is read into as in package flag; what
// reads, checks, describes and draws files goes by that.
type Field struct {
	Name     string   `json:"name"`
	Holds    Holds    `json:"holds"`          // "" is what Into tells
	Many     string   `json:"many,omitempty"` // [List] or [Map] of these; "" is one
	Required bool     `json:"required,omitempty"`
	Default  string   `json:"default,omitempty"` // what holds where it is not written, as it would be written
	Choices  []string `json:"choices,omitempty"`
	Worded   bool     `json:"worded,omitempty"` // a word may stand in place of a map of fields
	Words    []string `json:"words,omitempty"`  // … the words possible; none is any
	Least    int      `json:"least,omitempty"`  // of a number
	Most     int      `json:"most,omitempty"`   // … 0 is no bound
	Any      bool     `json:"any,omitempty"`    // of a text: a list or a map of values may be written as well
	Kind     string   `json:"kind,omitempty"`   // of the connection that is needed
	Help     string   `json:"help"`             // one sentence
	Example  string   `json:"example,omitempty"`
	Fields   []Field  `json:"fields,omitempty"`

	Missing string `json:"-"` // what is wrong without it; makes it required
	Into    any    `json:"-"` // a pointer to the variable; see [Described]
}

// Fielded is a part of a file that is a map of fields. A Fields method is
// called on a value that is being read and on one that was.
type Fielded interface{ Fields() []Field }

// Agreeing is a part of a file whose fields must agree with each other.
type Agreeing interface{ Agree(Reading) }

// Shorthand is a part of a file that may also be written as one word.
type Shorthand interface {
	Words() []string // nil where any word will do
	Word(string)
}

// Placed is a part of a file that keeps where it stands.
type Placed interface{ PlacedAt(Pos) }

// extended is a part of a file that also says, by one of several keys, of what
// kind something is.
type extended interface{ kinds() []Field }

// nested is what Into holds for a map of fields, or for many of them.
type nested interface {
	many() string
	example() Fielded       // an empty one
	each(func(Fielded))     // visits what was read
	add(key string) Fielded // one more, to be read into
}

type group[T any, P interface {
	*T
	Fielded
}] struct{ into **T }

// Group binds a field to a map of fields that is nil where it is not written.
func Group[T any, P interface {
	*T
	Fielded
}](into **T) any {
	return group[T, P]{into}
}

func (g group[T, P]) many() string     { return "" }
func (g group[T, P]) example() Fielded { return P(new(T)) }
func (g group[T, P]) each(visit func(Fielded)) {
	if *g.into != nil {
		visit(P(*g.into))
	}
}
func (g group[T, P]) add(string) Fielded {
	*g.into = new(T)
	return P(*g.into)
}

type inside[T any, P interface {
	*T
	Fielded
}] struct{ into *T }

// Inside binds a field to a map of fields whose variables hold what they hold
// where it is not written.
func Inside[T any, P interface {
	*T
	Fielded
}](into *T) any {
	return inside[T, P]{into}
}

func (g inside[T, P]) many() string             { return "" }
func (g inside[T, P]) example() Fielded         { return P(new(T)) }
func (g inside[T, P]) each(visit func(Fielded)) { visit(P(g.into)) }
func (g inside[T, P]) add(string) Fielded       { return P(g.into) }

type listOf[T any, P interface {
	*T
	Fielded
}] struct{ into *[]T }

// ListOf binds a field to a list of maps of fields.
func ListOf[T any, P interface {
	*T
	Fielded
}](into *[]T) any {
	return listOf[T, P]{into}
}

func (l listOf[T, P]) many() string     { return List }
func (l listOf[T, P]) example() Fielded { return P(new(T)) }
func (l listOf[T, P]) each(visit func(Fielded)) {
	for i := range *l.into {
		visit(P(&(*l.into)[i]))
	}
}
func (l listOf[T, P]) add(string) Fielded {
	var zero T
	*l.into = append(*l.into, zero)
	return P(&(*l.into)[len(*l.into)-1])
}

// Named is one of a map of maps of fields, with its key.
type Named[T any] struct {
	Key string
	Is  T
}

type mapOf[T any, P interface {
	*T
	Fielded
}] struct{ into *[]Named[T] }

// MapOf binds a field to a map of maps of fields, kept in file order.
func MapOf[T any, P interface {
	*T
	Fielded
}](into *[]Named[T]) any {
	return mapOf[T, P]{into}
}

func (m mapOf[T, P]) many() string     { return Map }
func (m mapOf[T, P]) example() Fielded { return P(new(T)) }
func (m mapOf[T, P]) each(visit func(Fielded)) {
	for i := range *m.into {
		visit(P(&(*m.into)[i].Is))
	}
}
func (m mapOf[T, P]) add(key string) Fielded {
	*m.into = append(*m.into, Named[T]{Key: key})
	return P(&(*m.into)[len(*m.into)-1].Is)
}

// WordOf is one key of a map of plain words, in file order.
type WordOf struct{ Key, Word string }

// Described fills in what a table of fields leaves to the variables its fields
// are bound to:
//
//	*string words · *bool flag · *int whole · *float64 number
//	*time.Duration duration · *Span span · **bool flag that may be missing
//	*[]string list of words · *map[string][]string map of lists of words
//	*[]WordOf map of words
//	**Expression expression · *[]NamedExpression map of expressions
//	*Value, **Value text · *[]Value list of texts · *[]Entry map of texts
//	**Schema schema · *[]*Step steps · *[]Trigger triggers
//	[Group], [Inside], [ListOf], [MapOf] fields of their own
func Described(table []Field) []Field {
	out := make([]Field, len(table))
	for i, f := range table {
		out[i] = f.described()
	}
	return out
}

func (f Field) described() Field {
	holds, many := f.bound()
	if f.Holds == "" {
		f.Holds = holds
	}
	f.Many = many
	f.Required = f.Required || f.Missing != ""
	if f.Choices != nil && f.Holds == HoldsWords {
		f.Holds = HoldsChoice
	}
	if n, ok := f.Into.(nested); ok {
		example := n.example()
		f.Fields = Described(example.Fields())
		if e, ok := example.(extended); ok {
			f.Fields = append(f.Fields, e.kinds()...)
		}
		if short, ok := example.(Shorthand); ok {
			f.Worded, f.Words = true, short.Words()
		}
	}
	return f
}

// bound tells what the variable of a field holds.
func (f Field) bound() (Holds, string) {
	switch into := f.Into.(type) {
	case *string:
		return HoldsWords, ""
	case *bool, **bool:
		return HoldsFlag, ""
	case *int:
		return HoldsWhole, ""
	case *float64:
		return HoldsNumber, ""
	case *time.Duration:
		return HoldsDuration, ""
	case *Span:
		return HoldsSpan, ""
	case *[]string:
		return HoldsWords, List
	case *map[string][]string, *[]WordOf:
		return HoldsWords, Map
	case **Expression:
		return HoldsExpression, ""
	case *[]NamedExpression:
		return HoldsExpression, Map
	case *Value, **Value:
		return HoldsText, ""
	case *[]Value:
		return HoldsText, List
	case *[]Entry:
		return HoldsText, Map
	case **Schema:
		return HoldsSchema, ""
	case *[]*Step:
		return HoldsSteps, ""
	case *[]Trigger:
		return HoldsTriggers, ""
	case nested:
		return HoldsFields, into.many()
	}
	panic(fmt.Sprintf("flow: the field %s is bound to a %T", f.Name, f.Into))
}

// eachField visits the fields of a part of a file that was read, and of the
// parts inside it; not those of steps in it.
func eachField(part Fielded, visit func(Field)) {
	for _, f := range part.Fields() {
		if n, ok := f.Into.(nested); ok {
			n.each(func(inner Fielded) { eachField(inner, visit) })
			continue
		}
		visit(f)
	}
}

// eachSchema visits the schemas a part of a file says.
func eachSchema(part Fielded, visit func(*Schema)) {
	eachField(part, func(f Field) {
		if into, is := f.Into.(**Schema); is && *into != nil {
			visit(*into)
		}
	})
}

// used gives what a part of a file names of a kind of thing.
func used(part Fielded, what Holds) []string {
	var out []string
	eachField(part, func(f Field) {
		if f.Holds == what {
			out = append(out, f.named()...)
		}
	})
	return out
}

// named gives what a field that names something names.
func (f Field) named() []string {
	switch into := f.Into.(type) {
	case *string:
		if *into != "" {
			return []string{*into}
		}
	case *[]string:
		return *into
	}
	return nil
}
