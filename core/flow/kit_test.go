package flow_test

import (
	"strings"
	"testing"

	"woolsignal/core/flow"
)

// yard describes tools by name: what they take, and what is said of them.
func yard(name string) (flow.Tool, bool) {
	take := func(names ...string) map[string]any {
		properties := map[string]any{}
		for _, n := range names {
			properties[n] = map[string]any{"type": "string"}
		}
		return map[string]any{"type": "object", "properties": properties}
	}
	all := map[string]flow.Tool{
		"yard/add_slot":     {Input: take("day", "place"), Description: "Adds a slot."},
		"yard/move_slot":    {Input: take("id", "day"), Description: "Moves a slot."},
		"yard/remove_slot":  {Input: take("id"), Description: "Removes a slot."},
		"yard/find_slots":   {ReadOnly: true, Description: "Looks for slots on a day."},
		"yard/search_slots": {ReadOnly: true, Description: "Looks for slots on a day!"},
		"other/move_slot":   {Input: take("id"), Description: "Moves a slot of another yard."},
	}
	t, ok := all[name]
	t.Name = name
	return t, ok
}

// TestTheKitIsReadTogether gives an agent tools and instructions, and reads what the
// checker says of them together.
func TestTheKitIsReadTogether(t *testing.T) {
	for name, c := range map[string]struct{ tools, told, says string }{
		"a hole": {"yard/add_slot yard/remove_slot", "Help.",
			"it can add and remove a slot, and not change one; give it yard/move_slot too"},
		"a hole in another yard": {"yard/add_slot yard/remove_slot other/move_slot", "Help.", "and not change one"},
		"an argument less": {"yard/add_slot yard/remove_slot yard/move_slot", "Help.",
			"it can add a slot with place, and yard/move_slot leaves it as it is"},
		"nothing to remove": {"yard/add_slot", "Help.", ""},
		"nothing to add":    {"yard/remove_slot", "Help.", ""},
		"alike": {"yard/find_slots yard/search_slots", "Help.",
			"yard/find_slots and yard/search_slots are described alike"},
		"a tool it lacks": {"yard/find_slots", "Use yard/move_slot when asked.",
			"speak of yard/move_slot, which the agent does not have"},
		"by its operation": {"yard/find_slots", "Use move_slot when asked.", "speak of move_slot"},
		"a tool it has":    {"yard/find_slots", "Use find_slots when asked.", ""},
		"no tool at all":   {"yard/find_slots", "Read the data_sheet and either/or.", ""},
		"a contradiction": {"yard/remove_slot", "Never cancel a slot.",
			`the instructions say "Never cancel a slot", and it has yard/remove_slot`},
		"no contradiction":    {"yard/remove_slot", "Never invent a slot. Do not remove a comma.", ""},
		"a contradiction not": {"yard/find_slots", "Never find slots.", ""},
		"switched off": {"yard/off_slot", "Help.",
			"the tool yard/off_slot is switched off in connections/yard.yaml"},
	} {
		all := map[string]string{"woolsignal.yaml": "name: Larkrigg\nzone: Europe/London\n",
			"connections/yard.yaml": "connection: yard\ntitle: Yard\naddress: https://yard.example\nwebdav: {}\n" +
				"tools: {off_slot: {off: true}}\n",
			"connections/models.yaml": "connection: models\ntitle: M\naddress: https://m.example\nmodel_server:\n" +
				"  models: {medium: {name: m}}\n",
			"agents/desk.yaml": "agent: desk\ntitle: Desk\nmodel: medium\ninstructions: " + c.told + "\ntools:\n"}
		for _, tool := range strings.Fields(c.tools) {
			all["agents/desk.yaml"] += "  - {tool: " + tool + ", approval: none}\n"
		}
		w, found := flow.Decode(all)
		found = append(found, w.Check(yard, "yard/add_slot", "yard/move_slot", "yard/remove_slot", "yard/find_slots",
			"yard/search_slots", "other/move_slot")...)
		var said []string
		for _, p := range found {
			if p.File == "agents/desk.yaml" && !strings.Contains(p.What, "without asking anybody") {
				said = append(said, p.What+"; "+p.Remedy)
			}
		}
		text := strings.Join(said, "\n")
		if c.says == "" && text != "" || !strings.Contains(text, c.says) || c.says != "" && len(said) != 1 {
			t.Errorf("%s: %s, want %q", name, text, c.says)
		}
	}
}

// TestAModelMustBeAbleTo gives agents models that cannot do what they are given.
func TestAModelMustBeAbleTo(t *testing.T) {
	for model, says := range map[string]string{
		"{name: m, abilities: [embeddings]}":        "makes embeddings and answers nothing",
		"{name: m, abilities: [schemas]}":           "calls no tools, and the agent has 1",
		"{name: m, window: 20}":                     "fill more than half of what medium reads",
		"{name: m, window: 32000}":                  "",
		"{name: m, window: 10, longest_answer: 10}": "an answer of 10 tokens leaves nothing to read",
		"{name: m, abilities: [embeddings, tools]}": "a model that embeds does nothing else"} {
		all := map[string]string{"woolsignal.yaml": "name: Larkrigg\nzone: Europe/London\n",
			"connections/models.yaml": "connection: models\ntitle: M\naddress: https://m.example\nmodel_server:\n" +
				"  models: {medium: " + model + "}\n",
			"connections/yard.yaml": "connection: yard\ntitle: Yard\naddress: https://yard.example\nwebdav: {}\n",
			"agents/desk.yaml": "agent: desk\ntitle: Desk\nmodel: medium\ninstructions: Help.\ntools:\n" +
				"  - {tool: yard/add_slot, approval: none}\n"}
		w, found := flow.Decode(all)
		text := ""
		for _, p := range append(found, w.Check(yard)...) {
			text += p.What + "\n"
		}
		if !strings.Contains(text, says) || says == "" && strings.Contains(text, "medium") {
			t.Errorf("%s: %s, want %q", model, text, says)
		}
	}
}
