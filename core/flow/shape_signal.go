package flow

import (
	"woolsignal/core/shape"
)

// signalShape describes what every trigger of a workflow delivers, or one of
// them where it was tested for.
func (w *Workspace) signalShape(flow *Workflow, trigger string, tool Catalogue) shape.Shape {
	var of []Trigger
	for _, t := range flow.Triggers {
		if trigger == "" || t.ID == trigger {
			of = append(of, t)
		}
	}
	called := flow.Callable() && (trigger == "" || trigger == "called")
	shapes := make([]shape.Shape, 0, len(of)+1)
	for _, t := range of {
		shapes = append(shapes, t.Is.Shape(w, tool))
	}
	if called || len(shapes) == 0 {
		var body shape.Shape
		if flow.Inputs != nil {
			body = flow.Inputs.Document()
		}
		shapes = append(shapes, SignalShape(PersonShape(), body))
	}
	from, bodies := make([]shape.Shape, len(shapes)), make([]shape.Shape, len(shapes))
	for i, s := range shapes {
		from[i], _ = s.Field("from")
		bodies[i], _ = s.Field("body")
	}
	return SignalShape(shape.Union(from...), shape.Union(bodies...))
}

// Texts is a map of texts that are all there.
func Texts(names ...string) shape.Shape {
	fields := map[string]shape.Shape{}
	for _, n := range names {
		fields[n] = shape.Text()
	}
	return shape.Map(fields)
}

// PersonShape describes somebody who signed in.
func PersonShape() shape.Shape { return Texts("name", "email", "role") }

// FileShape describes a file that came with a signal, or that a tool gives.
func FileShape() shape.Shape {
	return shape.Map(map[string]shape.Shape{"name": shape.Text(), "type": shape.Text(), "size": shape.Number(),
		"blob": shape.Text(), "field": shape.Text()}, "field")
}

// RowShape describes a row of a table as expressions see it.
func (t *Table) RowShape() shape.Shape {
	fields := map[string]shape.Shape{"row": shape.Number(), "added": shape.Time(), "changed": shape.Time()}
	all := shape.Shape(t.Schema())
	for _, c := range t.Columns {
		inner, presence := all.Field(c.Name)
		if presence != shape.Certain {
			inner = shape.Union(inner, shape.Null())
		}
		fields[c.Name] = inner
	}
	return shape.Map(fields)
}

// SignalShape describes signals from somebody, with a body.
func SignalShape(from, body shape.Shape) shape.Shape {
	text := shape.Text()
	return shape.Map(map[string]shape.Shape{
		"id": text, "source": text, "type": text, "time": shape.Time(), "subject": text, "kind": text, "trigger": text,
		"thread": text, "text": text,
		"from": from, "body": body, "files": shape.List(FileShape()),
	})
}
