package flow

import "strings"

// Connection says how an outside service is reached. Its secret is never in
// the file; the service keeps it sealed under the connection's id.
type Connection struct {
	ID, Title string
	Address   string // base URL; every call stays on its host
	Auth      Auth
	Acts      string   // who acts: service, builder, or person, whoever the run serves
	Drafts    string   // the connection drafts use in its place; "" is this one
	Networks  []string // non-public networks it may reach: loopback, private, or a CIDR

	Limits ConnectionLimits
	Tools  map[string]ToolNote // what the builder knows better than the service, by operation

	ModelServer *ModelServer
	CalDAV      *CalDAV
	OpenAPI     *OpenAPI
	SigningKey  *SigningKey
	Mailbox     *Mailbox
	WebDAV      *WebDAV
	MCP         *MCP
	SQL         *SQL
	Web         *Web
	Search      *Search
	ChatServer  *ChatServer
	HTTP        *HTTP

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
	Kind  string // none, bearer, basic, header, query or oauth
	Name  string // the header's or the parameter's name, for header and query
	User  string // for basic
	OAuth *OAuth // for oauth
}

// OAuth says how tokens are got (RFC 6749). The client's secret is the
// connection's sealed secret; tokens are sealed beside it.
type OAuth struct {
	Grant     string // authorization_code, with PKCE (RFC 7636), or client_credentials
	Authorize string // where a person says yes
	Token     string
	Client    string // the client's id
	Scopes    []Scope
}

// Scope is one permission, and what it is for in plain words.
type Scope struct {
	Name  string `json:"name"`
	Words string `json:"words"`
}

// ToolNote corrects what a service says of one of its operations.
type ToolNote struct {
	ReadOnly, Destructive, OpenWorld *bool
	Resend                           Resend // "" leaves what is known
	Off                              bool   // not offered
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

// SigningKey verifies what arrives with the sealed secret.
type SigningKey struct {
	Scheme   string // standard-webhooks, hmac-sha256 or bearer
	Header   string // for hmac-sha256: where the signature stands
	Prefix   string // … what stands before it there, such as sha256=
	Encoding string // … hex or base64
	At       string // … the header with the time of sending in seconds, signed as "time.body"; "" is none
	ID       string // the header that names a delivery, for telling repeats; "" takes the body's hash
}

// Mailbox reads mail over IMAP (RFC 9051) and sends it over SMTP (RFC 5321).
type Mailbox struct {
	Email string // what it sends as
	Name  string // the sender's name people see
	SMTP  string // smtp://host:port or smtps://
	Sent  string // the folder a copy of what is sent is put in; "" keeps none
}

// WebDAV reaches files (RFC 4918).
type WebDAV struct{}

// MCP reaches a server of the Model Context Protocol: at the connection's
// address, or as a process of an owner's allow-list.
type MCP struct {
	Command    string   // the name of an allowed command; "" is the address
	Operations []string // tools offered; empty offers all
}

// SQL reaches a database: postgres://host/name, or sqlite:file.
type SQL struct {
	Write bool // statements that change something are allowed
}

// Web reads public pages and feeds of some hosts.
type Web struct {
	Hosts []string // names, or * for every public one
}

// Search asks a search page that an OpenSearch 1.1 description document
// describes.
type Search struct {
	Description string // its path below the address
}

// ChatServer is a team's chat: rooms, threads and private messages.
type ChatServer struct {
	Events string // the signing_key connection that verifies its events
}

// HTTP sends any request to one host.
type HTTP struct{}

var connectionKinds = []string{"model_server", "caldav", "openapi", "signing_key", "mailbox", "webdav", "mcp", "sql", "web", "search", "chat_server", "http"}

// Kind names the connection's kind as files do.
func (c *Connection) Kind() string {
	switch {
	case c.ModelServer != nil:
		return "model_server"
	case c.CalDAV != nil:
		return "caldav"
	case c.OpenAPI != nil:
		return "openapi"
	case c.Mailbox != nil:
		return "mailbox"
	case c.WebDAV != nil:
		return "webdav"
	case c.MCP != nil:
		return "mcp"
	case c.SQL != nil:
		return "sql"
	case c.Web != nil:
		return "web"
	case c.Search != nil:
		return "search"
	case c.ChatServer != nil:
		return "chat_server"
	case c.HTTP != nil:
		return "http"
	}
	return "signing_key"
}

// NeedsSecret tells whether nothing works before somebody gave a secret.
func (c *Connection) NeedsSecret() bool { return c.SigningKey != nil || c.Auth.Kind != "none" }

// connectionOf is the connection a tool's name begins with.
func connectionOf(tool string) string {
	id, _, _ := strings.Cut(tool, "/")
	return id
}
