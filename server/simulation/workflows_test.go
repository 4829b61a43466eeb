package simulation

import (
	"fmt"
	"math/rand/v2"
	"strings"
)

// writer makes up a workflow as text. Every effect it asks for has a token
// that no other effect has, so that whoever reads the peers' book sees what
// was done twice.
type writer struct {
	random *rand.Rand
	text   strings.Builder
	name   string // of the workflow
	token  string // an expression of a text that tells runs of it apart
	n      int    // of expression of the number it was started with
	number string
	steps  int
	calls  []string // workflows it may call
	doors  []string // workflows that deliveries start
	chat   bool
	stingy bool
}

func (w *writer) one(in int) bool { return w.random.IntN(in) == 0 }

func (w *writer) line(indent int, format string, args ...any) {
	w.text.WriteString(strings.Repeat("  ", indent))
	fmt.Fprintf(&w.text, format, args...)
	w.text.WriteByte('\n')
}

// place is where a step stands, and what that allows.
type place struct {
	indent int
	depth  int
	loop   string // an expression of the round it is in; "" outside of loops
	again  bool   // inside of something that is tried again: nothing with an effect but at its end
}

func (p place) in() place {
	p.indent += 2
	p.depth++
	return p
}

// block writes some steps under do:.
func (w *writer) block(p place, most int) {
	w.line(p.indent, "do:")
	p.indent++
	for range 1 + w.random.IntN(most) {
		w.step(p)
	}
}

// step writes one step of a kind made up.
func (w *writer) step(p place) {
	if w.steps++; w.steps > 24 {
		w.plain(p)
		return
	}
	kinds := []func(place){w.plain, w.tool, w.tool, w.wait, w.wait, w.label, w.model, w.script, w.look}
	if !p.again {
		kinds = append(kinds, w.review, w.hear, w.remember, w.agent)
		if len(w.calls) > 0 {
			kinds = append(kinds, w.call, w.call)
		}
		if w.chat && p.loop == "" {
			kinds = append(kinds, w.say, w.question)
		}
	}
	if p.depth < 3 {
		kinds = append(kinds, w.decide, w.grouped, w.together)
		if p.loop == "" {
			kinds = append(kinds, w.each, w.repeat)
		}
	}
	kinds[w.random.IntN(len(kinds))](p)
}

// id begins a step with an id of its own.
func (w *writer) id(p place) string {
	w.n++
	id := fmt.Sprintf("%s%d", strings.ReplaceAll(w.name, "-", "_"), w.n)
	w.line(p.indent, "- id: %s", id)
	return id
}

// extras writes what any step may have: a condition, a limit, tries, and what
// to do instead.
func (w *writer) extras(p place, tries bool) {
	if w.one(8) {
		w.line(p.indent, "  when: %s %% 3 != 1", w.number)
	}
	if w.one(5) {
		w.line(p.indent, "  within: %ds", 1+w.random.IntN(90))
	}
	if tries && w.one(2) {
		w.line(p.indent, "  retry: {tries: %d, first: %ds}", 2+w.random.IntN(3), 1+w.random.IntN(20))
	}
	if w.one(3) {
		w.line(p.indent, "  if_fails: carry_on")
	}
}

func (w *writer) plain(p place) {
	w.id(p)
	w.line(p.indent, "  compute: {v: '%s * %d'}", w.number, 1+w.random.IntN(5))
}

// key is the expression of a token for a step.
func (w *writer) key(p place, id string) string {
	parts := w.token + ` + "/` + id + `"`
	if p.loop != "" {
		parts += ` + "/" + ` + p.loop
	}
	return "${" + parts + "}"
}

func (w *writer) tool(p place) {
	if p.again { // what is tried again as a whole may only read
		w.look(p)
		return
	}
	id := w.id(p)
	w.extras(p, true)
	if w.one(5) { // one that may take long
		w.line(p.indent, "  tool: elsewhere/book")
		w.line(p.indent, "  args: {message: '%s'}", w.key(p, id))
		return
	}
	tools := []string{"never", "keyed", "put"}
	if w.stingy {
		tools[2] = "never"
	}
	w.line(p.indent, "  tool: mill/%s", tools[w.random.IntN(3)])
	if w.one(4) {
		w.line(p.indent, "  fill: {note: 'a word about it'}")
	}
	w.line(p.indent, "  args: {token: '%s'}", w.key(p, id))
}

func (w *writer) look(p place) {
	w.id(p)
	w.extras(p, true)
	w.line(p.indent, "  tool: mill/look")
	w.line(p.indent, "  args: {token: x}")
}

func (w *writer) wait(p place) {
	w.id(p)
	w.extras(p, false)
	w.line(p.indent, "  wait: {for: %ds}", 1+w.random.IntN(600))
}

func (w *writer) hear(p place) {
	w.id(p)
	w.extras(p, false)
	w.line(p.indent, "  wait:")
	w.line(p.indent, "    hear:")
	at := "answers-" + w.name
	if len(w.doors) > 0 && w.one(3) { // where something starts as well
		at = w.doors[w.random.IntN(len(w.doors))]
		w.line(p.indent, "      also_starts: %t", w.one(2))
	}
	w.line(p.indent, "      webhook: {path: %s, verify: key, subject: '${string(signal.body.n)}'}", at)
	w.line(p.indent, "      answering: ${string(%s)}", w.number)
	if w.one(3) {
		w.line(p.indent, "      match: heard.body.n >= 0")
	}
	w.line(p.indent, "    give_up_after: %dm", 1+w.random.IntN(30))
}

func (w *writer) label(p place) {
	w.id(p)
	w.line(p.indent, "  label: {as: ['seen ${string(%s)}']}", w.number)
}

func (w *writer) remember(p place) {
	w.id(p)
	w.line(p.indent, "  remember: {about: wool, fact: 'lot ${string(%s)}'}", w.number)
}

func (w *writer) model(p place) {
	w.id(p)
	w.extras(p, true)
	w.line(p.indent, "  model: small")
	w.line(p.indent, "  prompt: Say something.")
	if w.one(2) {
		w.line(p.indent, "  answer: {type: object, required: [word], properties: {word: {type: string}}}")
	}
}

func (w *writer) script(p place) {
	w.id(p)
	w.extras(p, true)
	w.line(p.indent, "  javascript: {inputs: {n: '${%s}'}, code: 'return {n: n}'}", w.number)
}

func (w *writer) review(p place) {
	w.id(p)
	w.extras(p, false)
	w.line(p.indent, "  review: {ask: owner, show: 'lot ${string(%s)}'}", w.number)
}

func (w *writer) agent(p place) {
	w.id(p)
	w.extras(p, true)
	if w.one(3) { // one whose inputs and answer are typed
		w.line(p.indent, "  agent: teller")
		w.line(p.indent, "  inputs: {n: '${%s}'}", w.number)
	} else if len(w.calls) > 0 && w.one(2) { // those it may start must not ask it in turn
		w.line(p.indent, "  agent: desk")
	} else {
		w.line(p.indent, "  agent: clerk")
	}
	w.line(p.indent, "  task: Do what is needed.")
	w.line(p.indent, "  thread: '%s'", "${"+w.token+"}")
}

func (w *writer) call(p place) {
	id := w.id(p)
	w.extras(p, false)
	w.line(p.indent, "  call: %s", w.calls[w.random.IntN(len(w.calls))])
	w.line(p.indent, "  inputs: {n: '${%s}', t: '%s'}", w.number, w.key(p, id))
	if w.one(3) {
		w.line(p.indent, "  await: false")
	}
}

func (w *writer) say(p place) {
	w.id(p)
	w.line(p.indent, "  say: {text: 'Lot ${string(%s)}.'}", w.number)
}

func (w *writer) question(p place) {
	w.id(p)
	w.line(p.indent, "  if_fails: carry_on")
	w.line(p.indent, "  question: {text: 'How many?', valid: {type: number}, within: %dm}", 1+w.random.IntN(20))
}

func (w *writer) decide(p place) {
	w.id(p)
	w.extras(p, false)
	w.line(p.indent, "  decide:")
	w.line(p.indent, "    cases:")
	w.line(p.indent, "      - when: %s %% 2 == 0", w.number)
	w.line(p.indent, "        gives: {way: even}")
	w.branch(p)
	if w.one(2) {
		w.line(p.indent, "      - judge: It is damp.")
		w.line(p.indent, "        gives: {way: damp}")
		w.branch(p)
		w.line(p.indent, "    unsure: {gives: {way: unsure}}")
	}
	w.line(p.indent, "    otherwise: {gives: {way: odd}}")
}

func (w *writer) branch(p place) {
	p = p.in()
	p.indent += 2
	w.block(p, 2)
}

// grouped is a block, sometimes one that is tried again as a whole.
func (w *writer) grouped(p place) {
	w.id(p)
	inner := p.in()
	if !p.again && w.one(2) {
		w.line(p.indent, "  retry: {tries: 3, first: 3s}")
		inner.again = true
	}
	w.extras(p, false)
	w.line(p.indent, "  section:")
	w.block(inner, 3)
}

func (w *writer) together(p place) {
	w.id(p)
	w.extras(p, false)
	w.line(p.indent, "  together:")
	if w.one(2) {
		w.line(p.indent, "    finish: first")
		w.line(p.indent, "    enough: size(value) >= 0")
	}
	w.line(p.indent, "    branches:")
	for i := range 2 + w.random.IntN(2) {
		w.line(p.indent, "      - id: way_%d", i)
		w.branch(p)
	}
}

func (w *writer) each(p place) {
	w.id(p)
	w.extras(p, false)
	w.line(p.indent, "  each:")
	w.line(p.indent, "    of: lists.range(%d)", 1+w.random.IntN(5))
	w.line(p.indent, "    at_once: %d", 1+w.random.IntN(3))
	inner := p.in()
	inner.loop = "string(index)"
	w.block(inner, 3)
}

func (w *writer) repeat(p place) {
	w.id(p)
	w.extras(p, false)
	w.line(p.indent, "  repeat:")
	inner := p.in()
	inner.loop = "string(index)"
	w.block(inner, 2)
	w.line(p.indent, "    till: index >= %d", w.random.IntN(3))
	w.line(p.indent, "    rounds_at_most: 4")
}

// made is a made-up workspace.
type made struct {
	files     map[string]string
	workflows []string // those signals start
	chats     []string // of these, those that are talked to
	children  []string
	budgets   map[string]int64 // of a day, in millionths; of all workflows under ""
	stingy    bool             // much has a price, nothing may cost much, and answers get lost
}

// makeUp makes up a workspace.
func makeUp(random *rand.Rand) made {
	m := made{budgets: map[string]int64{}, files: map[string]string{
		"woolsignal.yaml":      "name: Larkrigg\nzone: Europe/London\nmodel: small\n",
		"connections/key.yaml": "connection: key\ntitle: Key\nsigning_key: {scheme: standard-webhooks}\n",
		"connections/mill.yaml": "connection: mill\ntitle: Mill\naddress: http://mill.example\n" +
			"openapi: {description: schemas/mill.json}\n" + fmt.Sprintf("tools:\n  never: {price: %f}\n",
			float64(price)/1e6) + millLimits(random),
		"connections/models.yaml": "connection: models\ntitle: Models\naddress: http://models.example/v1\n" +
			"model_server:\n  protocol: chat-completions\n  models:\n" +
			"    small: {name: small, input_price: 1, output_price: 2}\n",
		"schemas/mill.json": mill,
		"tables/lanes.yaml": "table: lanes\ntitle: Lanes\ncolumns: [{name: name, type: text}]\n",
		"tables/lanes.csv":  "name\nclean\nsplit\n",
		"agents/teller.yaml": "agent: teller\ntitle: Teller\npurpose: Says which lane.\nmodel: small\n" +
			"instructions: Help.\ntools:\n  - mill/look\n  - {tool: mill/never, approval: none}\n" +
			"inputs: {type: object, required: [n], properties: {n: {type: number}}}\n" +
			"answer: {type: object, required: [lane], properties: {lane: {type: string, " +
			"choices: {table: lanes, column: name}}}}\n" +
			"limits: {turns: 6, tool_calls: 6, time: 10m, output_tokens: 9}\n",
		"connections/elsewhere.yaml": "connection: elsewhere\ntitle: Elsewhere\naddress: http://elsewhere.example\n" +
			"a2a: {offer: [book], within: 10m}\n",
		"agents/desk.yaml": "agent: desk\ntitle: Desk\npurpose: Has company.\nmodel: small\n" +
			"instructions: Help.\ntools:\n  - {workflow: child-0, approval: none}\n" +
			"  - {tool: elsewhere/book, approval: none}\n" +
			"  - {tool: mill/never, approval: {always: true, ask: speaker, within: 5m}}\n" +
			"  - {tool: mill/keyed, approval: {judge: It is damp., ask: owner}}\n" +
			"  - self/follow_up\n  - self/label\n  - {tool: self/call_person, args: {who: owner}}\n" +
			"helpers: [teller, clerk]\nhand_offs: [{to: clerk, judge: It is plain.}]\n" +
			"limits: {turns: 6, tool_calls: 6, time: 10m}\n",
		"agents/clerk.yaml": "agent: clerk\ntitle: Clerk\npurpose: Does what is needed.\nmodel: small\n" +
			"instructions: Help.\ntools:\n  - mill/look\n  - {tool: mill/never, approval: none}\n" +
			"  - {tool: mill/keyed, approval: {always: true, ask: owner}}\n" +
			"limits: {turns: 5, tool_calls: 6, time: 10m}\n",
	}}
	m.stingy = random.IntN(4) == 0
	if random.IntN(4) == 0 {
		m.budgets[""] = int64(50 + random.IntN(400))
		m.files["woolsignal.yaml"] += fmt.Sprintf("budget: {day: %f}\n", float64(m.budgets[""])/1e6)
	}
	for i := range 1 + random.IntN(2) {
		w := &writer{random: random, name: fmt.Sprint("child-", i), token: "inputs.t", number: "inputs.n",
			stingy: m.stingy}
		w.line(0, "workflow: %s\ntitle: %s", w.name, w.name)
		w.line(0, "inputs: {type: object, required: [n, t], properties: {n: {type: number}, t: {type: string}}}")
		w.line(0, "steps:")
		for range 1 + random.IntN(3) {
			w.step(place{indent: 1})
		}
		m.children = append(m.children, w.name)
		m.files["workflows/"+w.name+".yaml"] = w.text.String()
	}
	chats := []bool{}
	var doors []string
	for i := range 1 + random.IntN(3) {
		if chats = append(chats, random.IntN(3) == 0); !chats[i] {
			doors = append(doors, fmt.Sprint("main-", i))
		}
	}
	for i, chat := range chats {
		w := &writer{random: random, name: fmt.Sprint("main-", i), token: "signal.id", number: "signal.body.n",
			calls: m.children, doors: doors, chat: chat, stingy: m.stingy}
		if w.chat {
			w.number = "size(signal.text)" // a message has no body
		}
		w.line(0, "workflow: %s\ntitle: %s\ntriggers:", w.name, w.name)
		if w.chat {
			w.line(0, "  - id: in\n    chat: {page: %s}", w.name)
			m.chats = append(m.chats, w.name)
		} else {
			w.line(0, "  - id: in\n    webhook: {path: %s, verify: key, subject: '${string(signal.body.n)}'}", w.name)
		}
		if limit := random.IntN(6); limit < 4 {
			same := "{same: {by: '${string(" + w.number + " % 3)}', "
			w.line(0, "limits: %s", []string{"{at_once: 2}", same + "at_once: 1}}", "{per_minute: 10}",
				same + "at_once: 1, quiet_for: 50s}}"}[limit])
		}
		if m.stingy || random.IntN(4) == 0 {
			m.budgets[w.name] = int64(20 + random.IntN(120))
			w.line(0, "budget: {day: %f}", float64(m.budgets[w.name])/1e6)
		}
		w.line(0, "steps:")
		for range 2 + random.IntN(5) {
			w.step(place{indent: 1})
		}
		m.workflows = append(m.workflows, w.name)
		m.files["workflows/"+w.name+".yaml"] = w.text.String()
	}
	return m
}

func millLimits(random *rand.Rand) string {
	if random.IntN(3) > 0 {
		return ""
	}
	return "limits: {at_once: 2}\n"
}

// mill describes the peer whose book is read in the end.
const mill = `{"openapi": "3.1.0", "info": {"title": "Mill", "version": "1"}, "paths": {
 "/look": {"get": {"operationId": "look", "parameters": [{"name": "token", "in": "query",
 "schema": {"type": "string"}}], "responses": {"200": {"description": "x",
 "content": {"application/json": {"schema": {"type": "object"}}}}}}},
 "/put": {"put": {"operationId": "put",
 "requestBody": {"content": {"application/json": {"schema": {"$ref": "#/components/schemas/Thing"}}}},
 "responses": {"200": {"description": "x", "content": {"application/json": {"schema": {"type": "object"}}}}}}},
 "/never": {"post": {"operationId": "never",
 "requestBody": {"content": {"application/json": {"schema": {"$ref": "#/components/schemas/Thing"}}}},
 "responses": {"200": {"description": "x", "content": {"application/json": {"schema": {"type": "object"}}}}}}},
 "/keyed": {"post": {"operationId": "keyed", "parameters": [{"name": "Idempotency-Key", "in": "header",
 "schema": {"type": "string"}}],
 "requestBody": {"content": {"application/json": {"schema": {"$ref": "#/components/schemas/Thing"}}}},
 "responses": {"200": {"description": "x", "content": {"application/json": {"schema": {"type": "object"}}}}}}}},
 "components": {"schemas": {"Thing": {"type": "object", "required": ["token"],
 "properties": {"token": {"type": "string"}, "note": {"type": "string"}}}}}}`
