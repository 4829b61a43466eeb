package expr

import (
	"slices"

	"cel.dev/cel-go/common/ast"
)

// Renamed gives the source of the expression with another name wherever it reads
// a value of a root name. A name that a list's items have within it is another's.
func (p *Program) Renamed(from, to string) string {
	parsed := p.plain()
	if parsed == nil {
		return p.Source
	}
	r := renamer{from: from, info: parsed.SourceInfo()}
	r.walk(parsed.Expr())
	slices.Sort(r.at)
	source := []rune(p.Source)
	for _, at := range slices.Backward(slices.Compact(r.at)) {
		source = slices.Replace(source, at, at+len([]rune(from)), []rune(to)...)
	}
	return string(source)
}

type renamer struct {
	from string
	info *ast.SourceInfo
	at   []int // where the name stands, in characters
}

func (r *renamer) walk(e ast.Expr) {
	switch e.Kind() {
	case ast.IdentKind:
		if place, known := r.info.GetOffsetRange(e.ID()); known && e.AsIdent() == r.from {
			r.at = append(r.at, int(place.Start))
		}
	case ast.SelectKind:
		r.walk(e.AsSelect().Operand())
	case ast.ListKind:
		for _, item := range e.AsList().Elements() {
			r.walk(item)
		}
	case ast.MapKind:
		for _, entry := range e.AsMap().Entries() {
			r.walk(entry.AsMapEntry().Key())
			r.walk(entry.AsMapEntry().Value())
		}
	case ast.CallKind:
		r.call(e.AsCall())
	}
}

func (r *renamer) call(call ast.CallExpr) {
	args := call.Args()
	if call.IsMemberFunction() {
		r.walk(call.Target())
		if isLambda(call) {
			if args[0].AsIdent() == r.from {
				return // within it the name is an item's
			}
			args = args[1:]
		}
	}
	for _, arg := range args {
		r.walk(arg)
	}
}

// Renamed gives the source of the text with another name wherever an expression
// in it reads a value of a root name.
func (t *Template) Renamed(from, to string) string {
	out := t.Source
	for _, p := range slices.Backward(t.parts) {
		if p.program == nil {
			continue
		}
		end := p.offset + len(p.program.Source)
		out = out[:p.offset] + p.program.Renamed(from, to) + out[end:]
	}
	return out
}
