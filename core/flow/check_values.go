package flow

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/schema"
	"woolsignal/core/shape"
)

// infer types an expression and reports what it finds.
func (c *Checker) Infer(e *Expression, names expr.Names) expr.Type {
	c.read(e.References, names)
	c.meets(e.At, e.Program, e.Source)
	t, findings := e.Infer(names)
	c.findings(e.At, e.Source, findings)
	return t
}

func (c *Checker) findings(at Pos, source string, findings []expr.Finding) {
	for _, f := range findings {
		p := Problem{What: f.What, Why: f.Why, Remedy: f.Remedy}
		where := at.after(source, f.Offset)
		if f.Remark {
			p.Severity = Remark
		}
		if f.Instead != "" && strings.HasPrefix(source[min(f.Offset, len(source)):], f.Was) {
			p.Fix = replace(where, f.Was, f.Instead)
		}
		if f.Got != "" {
			if best := nearest(f.Got, f.Among); best != "" {
				if i := strings.Index(source[min(f.Offset, len(source)):], f.Got); i >= 0 {
					p.Fix = replace(at.after(source, f.Offset+i), f.Got, best)
				}
				if p.Remedy == "" {
					p.Remedy = "did you mean " + best + "?"
				}
			} else if p.Remedy == "" {
				p.Remedy = DidYouMean(f.Got, f.Among)
			}
		}
		c.Report(where, p)
	}
}

// condition insists on an expression that gives a yes or no.
func (c *Checker) Condition(e *Expression, names expr.Names) {
	t := c.Infer(e, names)
	if k := t.Shape.Kind(); k != "" && k != "bool" || t.Optional {
		c.Wrong(e.At, "compare it with something, as in x > 0", "%s is %s, and a yes or no is needed here", e.Source,
			orMissing(k, t.Optional))
	}
	if a, b, never := e.Contradiction(); never {
		c.Report(e.At, Problem{What: fmt.Sprintf("this never holds: %s and %s cannot both be", a, b),
			Why: "what stands under it is never done", Remedy: "write || between them, or remove one"})
	}
}

// value types what a text field holds and reports what it finds.
func (c *Checker) Value(v Value, names expr.Names) shape.Shape {
	switch {
	case v.Text != nil:
		c.read(v.Text.References(), names)
		c.meets(v.At, v.Text, v.Text.Source)
		t, findings := v.Text.Infer(names)
		c.findings(v.At, v.Text.Source, findings)
		if word, literal := v.literalText(); literal {
			return shape.Choice(word)
		}
		if t.Optional && t.Shape != nil {
			return shape.Union(t.Shape, shape.Null())
		}
		return t.Shape
	case v.isMap:
		return shape.Map(c.Entries(v.Map, names))
	case v.isList:
		items := make([]shape.Shape, len(v.List))
		for i, item := range v.List {
			items[i] = c.Value(item, names)
		}
		return shape.List(shape.Union(items...))
	case v.Literal != nil:
		if _, ok := v.Literal.(bool); ok {
			return shape.Bool()
		}
		return shape.Number()
	}
	return nil
}

// refusedThen is why values are held against schemas before anything runs.
const refusedThen = "it would be refused when the step runs, after everything before it was done"

// fields holds values somebody wrote against the schema of what takes them.
func (c *Checker) Arguments(name string, entries []Entry, given map[string]shape.Shape, wanted shape.Shape, at Pos,
	complete bool) {
	for _, e := range entries {
		inner, presence := wanted.Field(e.Key)
		if presence == shape.Absent {
			p := Problem{What: fmt.Sprintf("%s takes no %s", name, e.Key), Why: refusedThen, Remedy: wanted.Has(name)}
			if best := nearest(e.Key, wanted.Names()); best != "" && e.At != (Pos{}) {
				p.Remedy, p.Fix = "did you mean "+best+"?", replace(e.At, e.Key, best)
			}
			c.Report(e.Value.At, p)
			continue
		}
		if got := given[e.Key]; !got.Fits(inner) {
			p := Problem{What: fmt.Sprintf("%s takes %s as %s, and this gives %s", name, shape.Words(inner.Kind()),
				e.Key, shape.Words(got.Kind())), Why: refusedThen}
			if inner.Kind() == "text" && got.Kind() == "number" {
				p.Remedy = "write ${string(…)} around it"
			}
			c.Report(e.Value.At, p)
		}
		if given[e.Key] != nil { // what a model fills in is words for it, and not what is sent
			c.literal(e, inner)
		}
	}
	if !complete {
		return
	}
	required, _ := wanted["required"].([]any)
	for _, name2 := range required {
		n, _ := name2.(string)
		if _, ok := given[n]; !ok {
			c.Report(at, Problem{What: fmt.Sprintf("%s needs %s", name, n), Why: refusedThen, Remedy: "add " + n + ":"})
		}
	}
}

// literal holds what stands in a file as it will be sent against what a tool
// takes: lengths, forms, dates and numbers.
func (c *Checker) literal(e Entry, wanted shape.Shape) {
	value, text := e.Value.Literal, ""
	if word, ok := e.Value.literalText(); ok {
		value, text = word, word
		if choices, _ := wanted["enum"].([]any); len(choices) > 0 {
			c.oneOf(e, word, choices)
			return
		}
	}
	if value == nil || wanted == nil || !c.Value(e.Value, expr.Names{}).Fits(wanted) {
		return // of another kind, which was told already
	}
	compiled, err := schema.Compile(wanted)
	if err != nil {
		return // it refers to the rest of its tool's schema
	}
	var unfit *schema.Error
	if err := compiled.Validate(value); errors.As(err, &unfit) {
		words := expr.Text(value)
		if text != "" {
			words = strconv.Quote(text)
		}
		c.Report(e.Value.At, Problem{What: e.Key + " cannot be " + words,
			Why: refusedThen, Remedy: "write " + wanted.Told(), Fix: dayFix(e.Value.At, text, wanted)})
	}
}

// dayFix writes a day as schemas have it where it was written as people do.
func dayFix(at Pos, text string, wanted shape.Shape) *Fix {
	if wanted["format"] != "date" {
		return nil
	}
	for _, form := range []string{"2.1.2006", "2/1/2006", "2 January 2006", "January 2, 2006", "2006/01/02"} {
		if day, err := time.Parse(form, text); err == nil {
			return replace(at, text, day.Format(time.DateOnly))
		}
	}
	return nil
}

// oneOf holds a literal text against the choices a schema names.
func (c *Checker) oneOf(e Entry, text string, choices []any) {
	if slices.Contains(choices, any(text)) {
		return
	}
	words := make([]string, len(choices))
	for i, w := range choices {
		words[i] = fmt.Sprint(w)
	}
	c.Report(e.Value.At, Problem{What: fmt.Sprintf("%s cannot be %q", e.Key, text), Why: refusedThen,
		Remedy: DidYouMean(text, words), Fix: nearestFix(e.Value.At, text, words)})
}

// literalText gives a text without any expression in it.
func (v Value) literalText() (string, bool) {
	if v.Text == nil {
		return "", false
	}
	parts := v.Text.Parts()
	if len(parts) != 1 || parts[0].Program != nil {
		return "", false
	}
	return parts[0].Text, true
}

// Reads tells whether an expression in a value reads a dotted name.
func (v Value) Reads(name string) bool {
	if v.Text != nil {
		for _, ref := range v.Text.References() {
			if strings.HasPrefix(strings.Join(ref.Path, ".")+".", name+".") {
				return true
			}
		}
	}
	return slices.ContainsFunc(v.List, func(item Value) bool { return item.Reads(name) }) ||
		slices.ContainsFunc(v.Map, func(e Entry) bool { return e.Value.Reads(name) })
}
