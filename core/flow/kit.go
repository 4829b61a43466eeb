package flow

import (
	"encoding/json"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
)

// kit reads the tools of an agent together: holes between them, tools that cannot be
// told apart, and instructions that do not go with them. All of it is worth knowing,
// and none is wrong.
func (c *Checker) kit(a *Agent) {
	k := &kit{a: a}
	for _, t := range a.Kit() {
		if spec, ok := c.Tool(t.Tool); ok {
			spec.Description = a.DescribedFor(spec)
			k.tools = append(k.tools, kitTool{AgentTool: t, spec: spec})
		}
	}
	for _, t := range k.tools {
		c.hole(k, t)
	}
	c.alike(k)
	c.named(k)
	c.forbidden(k)
}

type kit struct {
	a     *Agent
	tools []kitTool
}

type kitTool struct {
	AgentTool
	spec Tool
}

// words are those of the tool's operation: add and event of depot-calendar/add_event.
func (t kitTool) words() []string {
	_, operation := toolName(t.Tool)
	return strings.FieldsFunc(operation, func(r rune) bool { return r == '_' || r == '-' })
}

func (t kitTool) connection() string {
	name, _ := toolName(t.Tool)
	return name
}

// does tells whether it does what one of some verbs says, to a thing.
func (t kitTool) does(verbs []string) (thing string, is bool) {
	words := t.words()
	if len(words) == 0 || !slices.Contains(verbs, words[0]) {
		return "", false
	}
	return strings.Join(words[1:], " "), true
}

// What operations are called that make, change and remove a thing.
var (
	makes   = []string{"add", "create", "make", "new", "book", "insert", "post"}
	changes = []string{"update", "change", "edit", "set", "move", "patch", "modify", "rename", "put"}
	removes = []string{"remove", "delete", "cancel", "drop"}
)

// find is the agent's tool of the same connection that does one of some verbs to a
// thing.
func (k *kit) find(connection, thing string, verbs []string) (kitTool, bool) {
	for _, t := range k.tools {
		if of, is := t.does(verbs); is && of == thing && t.connection() == connection {
			return t, true
		}
	}
	return kitTool{}, false
}

// hole tells that things can be made and removed but not changed, or not all of them:
// asked to change one, an agent removes it and makes another.
func (c *Checker) hole(k *kit, t kitTool) {
	thing, is := t.does(makes)
	if !is {
		return
	}
	if _, removed := k.find(t.connection(), thing, removes); !removed {
		return
	}
	update, has := k.find(t.connection(), thing, changes)
	if !has {
		remedy := "let it only add, or only remove"
		for _, name := range c.offered {
			other := kitTool{AgentTool: AgentTool{Tool: name}}
			if of, is := other.does(changes); is && of == thing && other.connection() == t.connection() {
				remedy = "give it " + name + " too"
			}
		}
		c.Report(t.At, Problem{Severity: Remark, What: fmt.Sprintf("it can add and remove %s, and not change one",
			orThing(thing)), Why: "asked to change one, it removes it and adds another", Remedy: remedy})
		return
	}
	spokenOf := func(name string) bool { return strings.Contains(k.instructions(), name) }
	if left := leftOut(t, update); len(left) > 0 && !slices.ContainsFunc(left, spokenOf) {
		c.Report(update.At, Problem{Severity: Remark,
			What: fmt.Sprintf("it can add %s with %s, and %s leaves %s as it is",
				orThing(thing), strings.Join(left, ", "), update.Tool, them(left)),
			Why:    "asked to change that, it removes the thing and adds another",
			Remedy: "say in its instructions what it does then"})
	}
}

func orThing(thing string) string {
	if thing == "" {
		return "a thing"
	}
	if strings.ContainsRune("aeiou", rune(thing[0])) {
		return "an " + thing
	}
	return "a " + thing
}

func them(names []string) string {
	if len(names) == 1 {
		return "it"
	}
	return "them"
}

// leftOut are the arguments of what makes a thing that what changes it does not take.
func leftOut(add, update kitTool) []string {
	taken, _ := update.spec.Input["properties"].(map[string]any)
	offered, _ := add.spec.Input["properties"].(map[string]any)
	var out []string
	for _, name := range slices.Sorted(maps.Keys(offered)) {
		fixed := slices.ContainsFunc(add.Args, func(e Entry) bool { return e.Key == name })
		if _, is := taken[name]; !is && !fixed && name != "id" {
			out = append(out, name)
		}
	}
	return out
}

// alike tells of two tools whose descriptions say the same: a model takes either.
func (c *Checker) alike(k *kit) {
	for i, t := range k.tools {
		for _, other := range k.tools[:i] {
			if likeness(t.spec.Description, other.spec.Description) < 0.9 {
				continue
			}
			c.Report(t.At, Problem{Severity: Remark, What: fmt.Sprintf("%s and %s are described alike: %q",
				other.Tool, t.Tool,
				t.spec.Description), Why: "the model cannot tell which of them is meant",
				Remedy: "say in the instructions when to use which, or grant one of them"})
		}
	}
}

var anyWord = regexp.MustCompile(`[\pL\pN_]+`)

// likeness is the share of their words two texts have in common, 0 to 1.
func likeness(a, b string) float64 {
	of := func(text string) map[string]bool {
		out := map[string]bool{}
		for _, w := range anyWord.FindAllString(strings.ToLower(text), -1) {
			out[w] = true
		}
		return out
	}
	one, other := of(a), of(b)
	common := 0
	for w := range one {
		if other[w] {
			common++
		}
	}
	all := len(one) + len(other) - common
	if all == 0 {
		return 0
	}
	return float64(common) / float64(all)
}

// instructions are what the agent is told, as it is written.
func (k *kit) instructions() string {
	if t := k.a.Instructions.Text; t != nil {
		return t.Source
	}
	return ""
}

var spoken = regexp.MustCompile(`[a-z][a-z0-9-]*/[a-z][a-z0-9_]*|\b[a-z]+(?:_[a-z]+)+\b`)

// named tells that the instructions speak of a tool the agent lacks.
func (c *Checker) named(k *kit) {
	for _, name := range spoken.FindAllString(k.instructions(), -1) {
		has := func(tool string) bool { return tool == name || strings.HasSuffix(tool, "/"+name) }
		if slices.ContainsFunc(k.tools, func(t kitTool) bool { return has(t.Tool) }) {
			continue
		}
		if i := slices.IndexFunc(c.offered, has); i >= 0 {
			c.Report(k.a.Instructions.At, Problem{Severity: Remark, What: "the instructions speak of " + name +
				", which the agent does not have", Why: "it will say that it did what it cannot do",
				Remedy: "give it " + c.offered[i] + ", or take that out of the instructions"})
		}
	}
}

var forbids = regexp.MustCompile(`(?i)\b(?:never|do not|don't|must not|may not|cannot)\s+` +
	`([a-z]+)(?:\s+(?:a|an|the|any))?\s+([a-z]+)`)

// forbidden tells that the instructions forbid what a tool the agent has is for.
func (c *Checker) forbidden(k *kit) {
	for _, found := range forbids.FindAllStringSubmatch(k.instructions(), -1) {
		verb, thing := strings.ToLower(found[1]), strings.ToLower(found[2])
		for _, t := range k.tools {
			words := t.words()
			if t.spec.ReadOnly || len(words) == 0 || !sameDeed(words[0], verb) ||
				len(words) > 1 && !strings.HasPrefix(thing, strings.TrimSuffix(words[len(words)-1], "s")) {
				continue
			}
			c.Report(t.At, Problem{Severity: Remark, What: fmt.Sprintf("the instructions say %q, and it has %s",
				found[0],
				t.Tool), Why: "words alone do not keep a model from using a tool",
				Remedy: "take the tool out, or have somebody asked before it is used"})
		}
	}
}

// sameDeed tells whether two verbs say the same of a thing.
func sameDeed(a, b string) bool {
	for _, verbs := range [][]string{makes, changes, removes} {
		if slices.Contains(verbs, a) && slices.Contains(verbs, b) {
			return true
		}
	}
	return a == b
}

// switchedOff tells whether a tool that is not found is there, and switched off.
func (c *Checker) switchedOff(tool string) bool {
	connection, operation := toolName(tool)
	of := c.Workspace.Connections[connection]
	return of != nil && of.Tools[operation].Off
}

// abilities tells whether the model an agent thinks with can do what it is given.
func (c *Checker) abilities(a *Agent) {
	_, m, ok := c.Workspace.FindModel(a.Model)
	switch {
	case !ok:
	case m.Can(Embeds):
		c.Wrong(Pos{1, 1}, "choose one that answers", "the model %s makes embeddings and answers nothing", a.Model)
	case len(a.Kit()) > 0 && !m.Can(CallsTools):
		c.Wrong(Pos{1, 1}, "choose one whose abilities have tools, or take its tools away",
			"the model %s calls no tools, and the agent has %d", a.Model, len(a.Kit()))
	case m.Window > 0 && c.kitSize(a) > m.Window/2:
		c.add(Remark, Pos{1, 1}, "give it fewer tools, or a model with a larger window",
			"the descriptions of its tools fill more than half of what %s reads", a.Model)
	}
}

// kitSize estimates how many tokens the descriptions of an agent's tools take.
func (c *Checker) kitSize(a *Agent) int {
	n := 0
	for _, t := range a.Kit() {
		if spec, ok := c.Tool(t.Tool); ok {
			schema, _ := json.Marshal(spec.Input) // read from JSON
			n += (len(spec.Description) + len(schema)) / 4
		}
	}
	return n
}
