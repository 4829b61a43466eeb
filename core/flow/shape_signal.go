package flow

import (
	"woolsignal/core/expr"
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
		shapes = append(shapes, w.triggerShape(t, tool))
	}
	if called || len(shapes) == 0 {
		var body shape.Shape
		if flow.Inputs != nil {
			body = flow.Inputs.Document()
		}
		shapes = append(shapes, signalWith(personShape(), body))
	}
	from, bodies := make([]shape.Shape, len(shapes)), make([]shape.Shape, len(shapes))
	for i, s := range shapes {
		from[i], _ = s.Field("from")
		bodies[i], _ = s.Field("body")
	}
	return signalWith(shape.Union(from...), shape.Union(bodies...))
}

// triggerShape describes the signals of one trigger.
func (w *Workspace) triggerShape(t Trigger, tool Catalogue) shape.Shape {
	nobody := shape.Map(nil)
	switch {
	case t.Chat != nil && t.Chat.Connection != "":
		return signalWith(texts("name", "email", "handle"), texts("room", "message"))
	case t.Chat != nil:
		return signalWith(personShape(), shape.Map(nil))
	case t.Webhook != nil:
		return signalWith(nobody, w.Schemas[t.Webhook.Accepts])
	case t.Schedule != nil && t.Schedule.Before != nil:
		return signalWith(nobody, eventShape())
	case t.Form != nil:
		return signalWith(nobody, t.Form.Schema())
	case t.Mail != nil:
		return signalWith(texts("name", "email"), mailShape())
	case t.Row != nil:
		return signalWith(nobody, w.rowShape(t.Row, tool))
	case t.Calendar != nil:
		return signalWith(nobody, eventShape())
	case t.File != nil:
		return signalWith(nobody, texts("path", "name", "type", "etag"))
	case t.Feed != nil:
		return signalWith(nobody, texts("id", "title", "link", "summary", "content", "author", "published"))
	case t.Phone != nil:
		return signalWith(texts("phone"), texts("call", "said"))
	case t.Failure != nil:
		return signalWith(nobody, texts("run", "workflow", "title", "because", "about", "address"))
	}
	return signalWith(nobody, shape.Map(nil))
}

// texts is a map of texts that are all there.
func texts(names ...string) shape.Shape {
	fields := map[string]shape.Shape{}
	for _, n := range names {
		fields[n] = shape.Text()
	}
	return shape.Map(fields)
}

func personShape() shape.Shape { return texts("name", "email", "role") }

// FileShape describes a file that came with a signal, or that a tool gives.
func FileShape() shape.Shape {
	return shape.Map(map[string]shape.Shape{"name": shape.Text(), "type": shape.Text(), "size": shape.Number(), "blob": shape.Text(), "field": shape.Text()}, "field")
}

// eventShape describes an event of a calendar.
func eventShape() shape.Shape {
	text := shape.Text()
	return shape.Map(map[string]shape.Shape{"id": text, "calendar": text, "title": text, "description": text, "place": text, "start": shape.Time(), "end": shape.Time(),
		"change": text, "guests": shape.List(texts("name", "email", "answer"))})
}

func mailShape() shape.Shape {
	text, list := shape.Text(), shape.List(shape.Text())
	return shape.Map(map[string]shape.Shape{"message_id": text, "in_reply_to": text, "subject": text, "to": list, "cc": list,
		"html": text, "folder": text, "uid": shape.Number(), "flags": list, "date": shape.Time()})
}

// rowShape describes a row that travels on.
func (w *Workspace) rowShape(r *Row, tool Catalogue) shape.Shape {
	var all shape.Shape
	if t := w.Tables[r.Table]; t != nil {
		all = t.RowShape()
	} else if spec, ok := tool(r.Tool); ok && r.Of != nil {
		found, _ := r.Of.Infer(expr.Names{"result": {Shape: spec.Output}})
		all = found.Shape.Items()
	}
	if all == nil || len(r.Columns) == 0 {
		return all
	}
	fields := map[string]shape.Shape{}
	var optional []string
	for _, c := range r.Columns {
		field, presence := all.Field(c)
		fields[c] = field
		if presence != shape.Certain {
			optional = append(optional, c)
		}
	}
	return shape.Map(fields, optional...)
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

func signalWith(from, body shape.Shape) shape.Shape {
	text := shape.Text()
	return shape.Map(map[string]shape.Shape{
		"id": text, "source": text, "type": text, "time": shape.Time(), "subject": text, "kind": text, "trigger": text, "thread": text, "text": text,
		"from": from, "body": body, "files": shape.List(FileShape()),
	})
}
