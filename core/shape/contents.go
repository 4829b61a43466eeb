package shape

import (
	"cmp"
	"strings"
)

// Content is one value inside another, as people read of it.
type Content struct {
	Path    string   `json:"path"`              // dotted; behind a list's name, [] stands for each item
	Kind    string   `json:"kind,omitempty"`    // text, number, bool, list, map, time; "" where it is not known
	Sure    bool     `json:"sure"`              // it is always there
	Choices []string `json:"choices,omitempty"` // the texts it may be
	What    string   `json:"what,omitempty"`    // in the words of who made it
}

// How much of a shape is told: values in all, and how deep they stand.
const (
	mostContents = 100
	deepest      = 4
)

// Contents lists what a value of the shape consists of: itself where it is no map,
// else its fields with theirs. Of a large shape the first are given.
func (s Shape) Contents() []Content {
	out := []Content{}
	s.contents("", true, 0, &out)
	return out
}

func (s Shape) contents(path string, sure bool, deep int, out *[]Content) {
	if len(*out) >= mostContents {
		return
	}
	if path != "" || s.Kind() != "map" {
		*out = append(*out, s.content(path, sure))
	}
	if deep == deepest {
		return
	}
	inside := s
	if s.Kind() == "list" {
		if inside = s.Items(); inside.Kind() != "map" {
			return
		}
		path += "[]"
	}
	for _, name := range inside.Names() {
		field, presence := inside.Field(name)
		field.contents(strings.TrimPrefix(path+"."+name, "."), presence == Certain, deep+1, out)
	}
}

func (s Shape) content(path string, sure bool) Content {
	p := Content{Path: path, Kind: s.Kind(), Sure: sure}
	if format, _ := s["format"].(string); format == "date-time" || format == "date" {
		p.Kind = "time"
	}
	if choices, is := s["enum"].([]any); is {
		for _, one := range choices {
			if text, is := one.(string); is {
				p.Choices = append(p.Choices, text)
			}
		}
	}
	said, _ := s["description"].(string)
	title, _ := s["title"].(string)
	p.What = strings.TrimSpace(cmp.Or(said, title))
	return p
}
