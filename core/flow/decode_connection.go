package flow

import (
	"slices"
	"strings"
)

// DecodeConnection reads one connection file.
func DecodeConnection(file, text string) (*Connection, []Problem) {
	r := &reader{file: file}
	c := &Connection{file: file, Auth: Auth{Kind: "none"}, Acts: "service"}
	root := r.document(text)
	if root == nil {
		return c, r.problems
	}
	f, _ := r.mapping(root, "a connection", append([]string{"connection", "title", "address", "auth", "acts_as", "drafts", "networks", "limits", "tools"}, connectionKinds...)...)
	c.At = f.at
	c.ID = r.fileID(f, "connection", file)
	c.Title = r.required(f, "title", "the service's name")
	c.Networks, c.Drafts = r.texts(f, "networks"), r.text(f, "drafts")
	c.Acts = r.choice(f, "acts_as", "service", "service", "builder", "person")
	if n, ok := f.nodes["auth"]; ok {
		g, _ := r.mapping(n, "auth", "bearer", "basic", "header", "query", "oauth")
		c.Auth = r.auth(g)
	}
	if c.Acts != "service" && c.Auth.Kind != "oauth" {
		r.wrong(f.pos("acts_as"), "add auth: with oauth:, or acts_as: service", "only an OAuth connection can act as a person: everything else has one secret for all")
	}
	if n, ok := f.nodes["limits"]; ok {
		g, _ := r.mapping(n, "limits", "at_once", "per_minute")
		c.Limits = ConnectionLimits{AtOnce: r.whole(g, "at_once", 0), PerMinute: r.whole(g, "per_minute", 0)}
	}
	if n, ok := f.nodes["tools"]; ok {
		g, _ := r.mapping(n, "tools")
		c.Tools = map[string]ToolNote{}
		for _, name := range g.order {
			c.Tools[name] = r.toolNote(g, name)
		}
	}
	if kind := r.kind(f, "this connection", connectionKinds); kind != "" {
		r.connectionKind(c, f, kind)
	}
	return c, r.problems
}

func (r *reader) toolNote(g fields, name string) ToolNote {
	h, _ := r.mapping(g.nodes[name], name, "read_only", "destructive", "open_world", "resend", "off")
	note := ToolNote{Off: r.flag(h, "off", false),
		Resend: Resend(r.choice(h, "resend", "", string(ResendSafe), string(ResendKey), string(ResendOwnID), string(ResendNever)))}
	for key, field := range map[string]**bool{"read_only": &note.ReadOnly, "destructive": &note.Destructive, "open_world": &note.OpenWorld} {
		if h.has(key) {
			yes := r.flag(h, key, false)
			*field = &yes
		}
	}
	return note
}

func (r *reader) auth(g fields) Auth {
	switch r.kind(g, "auth", []string{"bearer", "basic", "header", "query", "oauth"}) {
	case "bearer":
		return Auth{Kind: "bearer"}
	case "basic":
		return Auth{Kind: "basic", User: r.text(g, "basic")}
	case "header":
		return Auth{Kind: "header", Name: r.text(g, "header")}
	case "query":
		return Auth{Kind: "query", Name: r.text(g, "query")}
	case "oauth":
		return Auth{Kind: "oauth", OAuth: r.oauth(g)}
	}
	return Auth{Kind: "none"}
}

func (r *reader) oauth(f fields) *OAuth {
	g, _ := r.mapping(f.nodes["oauth"], "oauth", "grant", "authorize", "token", "client", "scopes")
	o := &OAuth{Grant: r.choice(g, "grant", "authorization_code", "authorization_code", "client_credentials"), Client: r.required(g, "client", "the id the service knows us by"),
		Token: r.required(g, "token", "https://…/token"), Authorize: r.text(g, "authorize")}
	for _, key := range []string{"token", "authorize"} {
		if v := r.text(g, key); v != "" && !webAddress(v) {
			r.wrong(g.pos(key), "start it with https://", "%q is not a web address", v)
		}
	}
	if o.Grant == "authorization_code" && o.Authorize == "" {
		r.wrong(g.at, "add authorize: https://…/authorize", "nothing says where a person says yes")
	}
	if g.has("scopes") {
		h, _ := r.mapping(g.nodes["scopes"], "scopes")
		for _, name := range h.order {
			o.Scopes = append(o.Scopes, Scope{name, r.text(h, name)})
		}
	}
	return o
}

func webAddress(s string) bool {
	scheme, rest, _ := strings.Cut(s, "://")
	return (scheme == "http" || scheme == "https") && strings.Trim(rest, "/") != ""
}

// address reads the connection's address and insists on one of some schemes.
func (r *reader) address(c *Connection, f fields, example string, schemes ...string) {
	c.Address = strings.TrimSuffix(r.required(f, "address", example), "/")
	if c.Address == "" {
		return
	}
	scheme, rest, _ := strings.Cut(c.Address, ":")
	if !slices.Contains(schemes, scheme) || strings.Trim(rest, "/") == "" {
		r.wrong(f.pos("address"), "write it as "+example, "%q is not an address of such a service", c.Address)
		return
	}
	if host, _, _ := strings.Cut(strings.TrimPrefix(rest, "//"), "/"); strings.Contains(host, "@") {
		r.report(f.pos("address"), Problem{What: "the address holds a user, and maybe a password", Why: "files are read, copied and exported; a secret in one is a secret no more",
			Remedy: "write the address alone; the user belongs to auth: basic:, the password to woolsignal connect"})
	}
}

// connectionKind reads what belongs to the connection's kind.
func (r *reader) connectionKind(c *Connection, f fields, kind string) {
	switch kind {
	case "signing_key", "web":
	case "mailbox":
		r.address(c, f, "imaps://mail.example:993", "imap", "imaps")
	case "sql":
		r.address(c, f, "postgres://db.example/wool", "postgres", "postgresql", "sqlite")
	case "mcp":
		if !hasKey(f.nodes[kind], "command") {
			r.address(c, f, "https://sensors.example/mcp", "http", "https")
		}
	default:
		r.address(c, f, "https://…", "http", "https")
	}
	body := f.nodes[kind]
	switch kind {
	case "model_server":
		c.ModelServer = r.modelServer(f)
	case "caldav":
		g, _ := r.mapping(body, kind, "calendars")
		c.CalDAV = &CalDAV{Calendars: r.texts(g, "calendars")}
		if len(c.CalDAV.Calendars) == 0 {
			r.wrong(g.at, "calendars: [/calendars/dock-1/]", "no calendar is named")
		}
	case "openapi":
		g, _ := r.mapping(body, kind, "description", "operations")
		c.OpenAPI = &OpenAPI{Description: r.required(g, "description", "schemas/….json"), Operations: r.texts(g, "operations")}
	case "signing_key":
		g, _ := r.mapping(body, kind, "scheme", "header", "prefix", "encoding", "time_header", "id_header")
		c.SigningKey = &SigningKey{Scheme: r.choice(g, "scheme", "standard-webhooks", "standard-webhooks", "hmac-sha256", "bearer"), Header: r.otherwise(g, "header", "X-Signature"),
			Prefix: r.text(g, "prefix"), Encoding: r.choice(g, "encoding", "hex", "hex", "base64"), At: r.text(g, "time_header"), ID: r.text(g, "id_header")}
		for _, key := range []string{"header", "prefix", "encoding", "time_header"} {
			if g.has(key) && c.SigningKey.Scheme != "hmac-sha256" {
				r.wrong(g.pos(key), "remove it, or write scheme: hmac-sha256", "%s belongs to the scheme hmac-sha256", key)
			}
		}
	case "mailbox":
		g, _ := r.mapping(body, kind, "email", "name", "smtp", "sent")
		c.Mailbox = &Mailbox{Email: r.required(g, "email", "office@larkrigg.example"), Name: r.text(g, "name"), SMTP: r.required(g, "smtp", "smtps://mail.example:465"), Sent: r.text(g, "sent")}
		if s := c.Mailbox.SMTP; s != "" && !strings.HasPrefix(s, "smtp://") && !strings.HasPrefix(s, "smtps://") {
			r.wrong(g.pos("smtp"), "write it as smtps://mail.example:465", "%q is not the address of a mail server", s)
		}
	case "webdav":
		r.empty(body, kind)
		c.WebDAV = &WebDAV{}
	case "mcp":
		g, _ := r.mapping(body, kind, "command", "operations")
		c.MCP = &MCP{Command: r.text(g, "command"), Operations: r.texts(g, "operations")}
	case "sql":
		g, _ := r.mapping(body, kind, "write")
		c.SQL = &SQL{Write: r.flag(g, "write", false)}
	case "web":
		g, _ := r.mapping(body, kind, "hosts")
		c.Web = &Web{Hosts: r.texts(g, "hosts")}
		if len(c.Web.Hosts) == 0 {
			r.wrong(g.at, `hosts: [gazette.example], or hosts: ["*"] for every public one`, "nothing says which hosts may be read")
		}
	case "search":
		g, _ := r.mapping(body, kind, "description")
		c.Search = &Search{Description: r.otherwise(g, "description", "/opensearch.xml")}
	case "chat_server":
		g, _ := r.mapping(body, kind, "events")
		c.ChatServer = &ChatServer{Events: r.text(g, "events")}
	case "http":
		r.empty(body, kind)
		c.HTTP = &HTTP{}
	}
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
