package flow

import (
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"
)

// pointerToken writes a key as a JSON Pointer has it (RFC 6901, section 3).
func pointerToken(key string) string { return pointerEscapes.Replace(key) }

var pointerEscapes = strings.NewReplacer("~", "~0", "/", "~1")

// placesOf gives the JSON Pointer of every map of a document, by where it
// begins.
func placesOf(root *yaml.Node) map[Pos]string {
	out := map[Pos]string{}
	var walk func(n *yaml.Node, place string)
	walk = func(n *yaml.Node, place string) {
		switch n.Kind {
		case yaml.MappingNode:
			out[posOf(n)] = place
			for i := 0; i+1 < len(n.Content); i += 2 {
				walk(n.Content[i+1], place+"/"+pointerToken(n.Content[i].Value))
			}
		case yaml.SequenceNode:
			for i, item := range n.Content {
				walk(item, place+"/"+strconv.Itoa(i))
			}
		}
	}
	walk(root, "")
	return out
}

// placeOf is the JSON Pointer of the map that begins at a position.
func (w *Workflow) placeOf(at Pos) string { return w.places[at] }
