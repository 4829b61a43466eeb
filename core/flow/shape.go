package flow

import (
	"maps"
	"slices"

	"woolsignal/core/expr"
	"woolsignal/core/shape"
)

// failureShape describes what if_fails sees.
func failureShape() shape.Shape {
	return shape.Map(map[string]shape.Shape{"message": shape.Text(), "step": shape.Text(), "kind": shape.Text(), "tries": shape.Number()})
}

// entriesShape describes a map of values.
func (c *checker) entriesShape(entries []Entry, names expr.Names) map[string]shape.Shape {
	out := map[string]shape.Shape{}
	for _, e := range entries {
		out[e.Key] = c.value(e.Value, names)
	}
	return out
}

// outputShape describes what a step gives to the steps after it. inner holds
// what each of its blocks gives, by block name, which the check of the step
// found out.
func (c *checker) outputShape(s *Step, names expr.Names, inner map[string]map[string]shape.Shape) shape.Shape {
	text := shape.Text()
	switch s.Kind {
	case "compute":
		return shape.Map(inner["compute"])
	case "decide":
		return decideShape(s.Decide, inner)
	case "each":
		item := shape.Shape(shape.Map(inner["i"]))
		maybe := shape.Union(item, shape.Null())
		out := map[string]shape.Shape{"results": shape.List(item), "failures": shape.List(shape.Map(map[string]shape.Shape{"index": shape.Number(), "item": nil, "message": text}))}
		if s.Each.First {
			out["results"], out["first"] = shape.List(maybe), maybe
		}
		return shape.Map(out)
	case "together":
		out := map[string]shape.Shape{}
		var optional []string
		for _, b := range s.Together.Branches {
			out[b.ID] = shape.Map(inner[b.ID])
			if s.Together.First {
				optional = append(optional, b.ID)
			}
		}
		if s.Together.First {
			out["first"] = shape.Union(text, shape.Null())
		}
		return shape.Map(out, optional...)
	case "repeat":
		out := maps.Clone(inner["r"])
		out["times"] = shape.Number()
		return shape.Map(out)
	case "block":
		return shape.Map(inner["k"])
	case "wait":
		if s.Wait.Hear == nil {
			return shape.Map(map[string]shape.Shape{"at": shape.Time()})
		}
		return shape.Map(map[string]shape.Shape{"came": shape.Bool(), "signal": c.w.triggerShape(s.Wait.Hear.Trigger, c.tool)}, "signal")
	case "model":
		if doc := s.Model.Answer.doc(); doc != nil {
			return doc
		}
		return shape.Map(map[string]shape.Shape{"text": text})
	case "call":
		if !s.Call.Await {
			return shape.Map(map[string]shape.Shape{"run": text})
		}
		if called := c.w.Workflows[s.Call.Workflow]; called != nil {
			if doc := called.Result.doc(); doc != nil {
				return doc
			}
			out := map[string]shape.Shape{}
			for _, e := range called.Gives {
				out[e.Key] = nil
			}
			return shape.Map(out)
		}
		return nil
	case "javascript":
		return s.JavaScript.Result.doc()
	case "tool":
		if t, ok := c.tool(s.Tool.Tool); ok {
			return t.Output
		}
		return nil
	case "agent":
		return shape.Map(map[string]shape.Shape{"text": text})
	case "say":
		return shape.Map(map[string]shape.Shape{"message_id": text})
	case "question":
		var found shape.Shape
		if s.Question.Find != nil {
			if t, ok := c.tool(s.Question.Find.Tool); ok {
				found = t.Output
			}
		} else {
			found = shape.Null()
		}
		return shape.Map(map[string]shape.Shape{"value": s.Question.answer(), "found": found, "tries": shape.Number()})
	case "respond":
		return shape.Map(map[string]shape.Shape{"status": shape.Number(), "body": nil})
	case "review":
		return shape.Map(map[string]shape.Shape{"choice": text, "edited": shape.Map(c.entriesShape(s.Review.Edit, names)), "by": text, "at": shape.Time(), "note": text})
	case "label":
		return shape.Map(map[string]shape.Shape{"labels": shape.List(text)})
	}
	return shape.Map(nil)
}

// decideShape joins what the cases give; a value some case omits is optional.
func decideShape(d *DecideStep, inner map[string]map[string]shape.Shape) shape.Shape {
	fields := map[string]shape.Shape{"case": shape.Union(shape.Number(), shape.Text()), "reason": shape.Text(), "confidence": shape.Number()}
	found := map[string][]shape.Shape{}
	ways := 0
	for _, name := range slices.Sorted(maps.Keys(inner)) {
		if name == "f" {
			continue
		}
		ways++
		for key, s := range inner[name] {
			found[key] = append(found[key], s)
		}
	}
	if d.Else == nil {
		ways++ // where none holds, nothing is given
	}
	var optional []string
	for key, shapes := range found {
		fields[key] = shape.Union(shapes...)
		if len(shapes) < ways {
			optional = append(optional, key)
		}
	}
	return shape.Map(fields, optional...)
}
