package flow

import "strings"

// Connection says how an outside service is reached. Its secret is never in
// the file; the service keeps it sealed under the connection's id.
type Connection struct {
	ID, Title string
	Address   string // base URL; every call stays on its host
	Auth      Auth
	Networks  []string // non-public networks it may reach: loopback, private, or a CIDR

	Limits ConnectionLimits

	ModelServer *ModelServer
	CalDAV      *CalDAV
	OpenAPI     *OpenAPI
	SigningKey  bool // Standard Webhooks: the sealed secret verifies what arrives

	At   Pos
	file string
}

// ConnectionLimits bound what is asked of a service. Calls beyond them wait.
type ConnectionLimits struct {
	AtOnce    int // 0 is no limit
	PerMinute int // 0 is no limit
}

// Auth says how the sealed secret is put on the wire.
type Auth struct {
	Kind string // none, bearer, basic or header
	Name string // the header's name, for header
	User string // for basic
}

// ModelServer offers models over an open protocol.
type ModelServer struct {
	Protocol string // chat-completions
	Models   map[string]Model
	Order    []string
}

// Model is one model of a server, under the name agents use.
type Model struct {
	Name        string  `json:"name"`         // what the server calls it
	Window      int     `json:"window"`       // tokens
	InputPrice  float64 `json:"input_price"`  // currency units per million tokens read
	OutputPrice float64 `json:"output_price"` // currency units per million tokens written
}

// CalDAV reaches calendars (RFC 4791).
type CalDAV struct {
	Calendars []string // paths below the address, in the order they are tried
}

// OpenAPI makes tools of the operations an API's description names.
type OpenAPI struct {
	Description string   // path of the description in the workspace
	Operations  []string // operation ids offered as tools; empty offers all
}

var connectionKinds = []string{"model_server", "caldav", "openapi", "signing_key"}

// Kind names the connection's kind as files do.
func (c *Connection) Kind() string {
	switch {
	case c.ModelServer != nil:
		return "model_server"
	case c.CalDAV != nil:
		return "caldav"
	case c.OpenAPI != nil:
		return "openapi"
	}
	return "signing_key"
}

// DecodeConnection reads one connection file.
func DecodeConnection(file, text string) (*Connection, []Problem) {
	r := &reader{file: file}
	c := &Connection{file: file, Auth: Auth{Kind: "none"}}
	root := r.document(text)
	if root == nil {
		return c, r.problems
	}
	f, _ := r.mapping(root, "a connection", append([]string{"connection", "title", "address", "auth", "networks", "limits"}, connectionKinds...)...)
	c.At = f.at
	c.ID = r.fileID(f, "connection", file)
	c.Title = r.required(f, "title", "the service's name")
	c.Networks = r.texts(f, "networks")
	if n, ok := f.nodes["auth"]; ok {
		g, _ := r.mapping(n, "auth", "bearer", "basic", "header")
		switch {
		case g.has("bearer"):
			c.Auth.Kind = "bearer"
		case g.has("basic"):
			c.Auth = Auth{Kind: "basic", User: r.text(g, "basic")}
		case g.has("header"):
			c.Auth = Auth{Kind: "header", Name: r.text(g, "header")}
		}
	}
	if n, ok := f.nodes["limits"]; ok {
		g, _ := r.mapping(n, "limits", "at_once", "per_minute")
		c.Limits = ConnectionLimits{AtOnce: r.whole(g, "at_once", 0), PerMinute: r.whole(g, "per_minute", 0)}
	}
	kind := r.kind(f, "this connection", connectionKinds)
	if kind != "" && kind != "signing_key" {
		c.Address = strings.TrimSuffix(r.required(f, "address", "https://…"), "/")
		if c.Address != "" && !strings.HasPrefix(c.Address, "http://") && !strings.HasPrefix(c.Address, "https://") {
			r.wrong(f.pos("address"), "start it with https://", "%q is not a web address", c.Address)
		}
	}
	switch kind {
	case "model_server":
		c.ModelServer = r.modelServer(f)
	case "caldav":
		g, _ := r.mapping(f.nodes[kind], kind, "calendars")
		c.CalDAV = &CalDAV{Calendars: r.texts(g, "calendars")}
		if len(c.CalDAV.Calendars) == 0 {
			r.wrong(g.at, "calendars: [/calendars/dock-1/]", "no calendar is named")
		}
	case "openapi":
		g, _ := r.mapping(f.nodes[kind], kind, "description", "operations")
		c.OpenAPI = &OpenAPI{Description: r.required(g, "description", "schemas/….json"), Operations: r.texts(g, "operations")}
	case "signing_key":
		c.SigningKey = true
		g, _ := r.mapping(f.nodes[kind], kind, "scheme")
		r.choice(g, "scheme", "", "standard-webhooks")
	}
	return c, r.problems
}

func (r *reader) modelServer(f fields) *ModelServer {
	g, _ := r.mapping(f.nodes["model_server"], "model_server", "protocol", "models")
	m := &ModelServer{Protocol: r.choice(g, "protocol", "chat-completions", "chat-completions"), Models: map[string]Model{}}
	if !g.has("models") {
		r.wrong(g.at, "models:\n  medium: {name: \"…\", window: 32000}", "no model is named")
		return m
	}
	h, _ := r.mapping(g.nodes["models"], "models")
	for _, name := range h.order {
		k, ok := r.mapping(h.nodes[name], "a model", "name", "window", "input_price", "output_price")
		if !ok {
			continue
		}
		m.Models[name] = Model{Name: r.required(k, "name", "what the server calls it"), Window: r.whole(k, "window", 8000),
			InputPrice: r.decimal(k, "input_price"), OutputPrice: r.decimal(k, "output_price")}
		m.Order = append(m.Order, name)
	}
	return m
}
