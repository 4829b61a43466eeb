package flow

import (
	"go.yaml.in/yaml/v3"
)

// What a file says is bounded, far above honest work, so that reading one that means no good
// takes no more than one that is merely long.
const (
	mostSteps    = 4000    // of a workflow, with those inside others
	deepestBlock = 32      // blocks inside each other
	deepestNode  = 200     // maps and lists inside each other
	mostNodes    = 150_000 // keys, values and items
	mostFound    = 500     // problems of a file that are told, and remarks
	mostSeen     = 200_000 // parts of the shapes that are told of what a workflow's steps see
)

// within tells whether a file's maps and lists keep to what is read.
func (r *reader) within(root *yaml.Node) bool {
	nodes := 0
	var walk func(n *yaml.Node, deep int) bool
	walk = func(n *yaml.Node, deep int) bool {
		if nodes++; nodes > mostNodes {
			r.wrong(posOf(n), "make two files of it", "a file has at most %d keys, values and items", mostNodes)
			return false
		}
		if deep > deepestNode {
			r.wrong(posOf(n), "say it flatter", "maps and lists stand at most %d levels inside each other", deepestNode)
			return false
		}
		for _, c := range n.Content {
			if !walk(c, deep+1) {
				return false
			}
		}
		return true
	}
	return walk(root, 0)
}

// room tells whether a step more is read, in blocks inside each other as now.
func (r *reader) room(n *yaml.Node) bool {
	switch r.steps++; {
	case r.steps == mostSteps+1:
		r.wrong(posOf(n), "move some into a workflow of their own, and call it", "a workflow has at most %d steps",
			mostSteps)
	case r.deep > deepestBlock && r.steps <= mostSteps:
		r.wrong(posOf(n), "move the inner ones into a workflow of their own, and call it",
			"blocks of steps stand at most %d levels inside each other", deepestBlock)
	}
	return r.steps <= mostSteps && r.deep <= deepestBlock
}

// found counts problems: those beyond a number that no one reads are not told. There are as
// many before them, so that nothing is right for that.
type found struct{ wrong, remarks int }

// more tells whether one more is told.
func (f *found) more(of Severity) bool {
	n := &f.wrong
	if of == Remark {
		n = &f.remarks
	}
	*n++
	return *n <= mostFound
}

// told is a shape as it is told of a place, while there is room for whole ones.
func (s *scope) told(t Sight) Sight {
	if s.seen += t.Shape.Size(); s.seen > mostSeen {
		t.Shape = t.Shape.Cut(1)
	}
	return t
}
