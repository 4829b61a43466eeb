package flow

import (
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"
)

// Connection says how an outside service is reached. Its secret is never in
// the file; the service keeps it sealed under the connection's id.
type Connection struct {
	ID, Title string
	Address   string // base URL; every call stays on its host
	Auth      Auth
	Acts      string   // who acts: service, builder, or person, whoever the run serves
	Drafts    string   // the connection drafts use in its place; "" is this one
	Networks  []string // non-public networks it may reach: loopback, private, or a CIDR
	Open      bool     // its secret may cross a network that others may read
	Limits    ConnectionLimits
	Tools     map[string]ToolNote // what the builder knows better than the service, by operation
	Kind      string              // the key that names its protocol
	Is        Reaching

	At    Pos
	file  string
	notes []Named[ToolNote]
}

// Reaching is how services of one protocol are reached, as files say it: a
// value that is read from its fields. Protocols implement it, and register
// themselves with [RegisterProtocol].
type Reaching interface {
	Fielded
	// Schemes are those the connection's address may have, with an example;
	// none where it has no address.
	Schemes() (schemes []string, example string)
}

// Modelling is a protocol that offers models.
type Modelling interface{ Models() []Named[Model] }

// Secretive is a protocol that is nothing without a secret.
type Secretive interface{ NeedsSecret() }

// ProtocolKind is a protocol that is registered.
type ProtocolKind struct {
	Name    string   `json:"name"`
	Help    string   `json:"help"`
	Schemes []string `json:"schemes,omitempty"`
	Fields  []Field  `json:"fields"`
	new     func() Reaching
}

var protocolKinds []ProtocolKind

// RegisterProtocol makes a protocol known by the key that names it; see
// [RegisterStep].
func RegisterProtocol(name, help string, new func() Reaching) {
	if slices.ContainsFunc(protocolKinds, func(k ProtocolKind) bool { return k.Name == name }) {
		panic("flow: the protocol " + name + " is registered twice")
	}
	schemes, _ := new().Schemes()
	protocolKinds = append(protocolKinds, ProtocolKind{name, help, schemes, Described(new().Fields()), new})
}

// ProtocolKinds lists the protocols, in the order they were registered.
func ProtocolKinds() []ProtocolKind { return slices.Clone(protocolKinds) }

func protocolNames() []string {
	out := make([]string, len(protocolKinds))
	for i, k := range protocolKinds {
		out[i] = k.Name
	}
	return out
}

// Fields are what any connection may say, beside its protocol.
func (c *Connection) Fields() []Field {
	return []Field{
		{Name: "connection", Into: &c.ID, Required: true, Help: "Its id, the file's name.", Example: "clip-register"},
		{Name: "title", Into: &c.Title, Required: true, Help: "What people call the other side.",
			Example: "Clip Register"},
		{Name: "address", Into: &c.Address, Holds: HoldsAddress, Help: "Where it is; every call stays on its host.",
			Example: "https://register.example"},
		{Name: "auth", Into: Inside(&c.Auth), Help: "How its secret is put on the wire.",
			Example: "{bearer: kept by the service}"},
		{Name: "acts_as", Into: &c.Acts, Choices: []string{"workspace", "builder", "person"}, Default: "workspace",
			Help: "Who acts over OAuth: person is whoever a run serves.", Example: "person"},
		{Name: "drafts_use", Into: &c.Drafts, Holds: HoldsConnection,
			Help:    "The connection that drafts use in its place.",
			Example: "register-trial"},
		{Name: "networks", Into: &c.Networks,
			Help: "Networks that are not public and it may reach: loopback, private, or a CIDR.", Example: "[private]"},
		{Name: "unencrypted", Into: &c.Open, Example: "true",
			Help: "Its secret may be sent so that anybody on the way can read it."},
		{Name: "limits", Into: Inside(&c.Limits), Help: "How much is asked of it; calls beyond wait."},
		{Name: "tools", Into: MapOf(&c.notes),
			Help:    "What you know better than the other side of its tools, by name.",
			Example: "{add_delivery: {resend: never}}"},
	}
}

// ConnectionLimits bound what is asked of a service. Calls beyond them wait.
type ConnectionLimits struct {
	AtOnce    int // 0 is no limit
	PerMinute int // 0 is no limit
}

// Fields are what limits may say.
func (l *ConnectionLimits) Fields() []Field {
	return []Field{
		{Name: "at_once", Into: &l.AtOnce, Help: "Calls on their way at the same time.", Example: "4"},
		{Name: "per_minute", Into: &l.PerMinute, Help: "Calls sent in a minute.", Example: "60"},
	}
}

// Auth says how the sealed secret is put on the wire.
type Auth struct {
	Kind  string // none, bearer, basic, header, query or oauth
	Name  string // the header's or the parameter's name, for header and query
	User  string // for basic
	OAuth *OAuth // for oauth

	bearer, header, query string
}

// Fields are what auth may say, of which one is written.
func (a *Auth) Fields() []Field {
	return []Field{
		{Name: "bearer", Into: &a.bearer, Help: "As a bearer token (RFC 6750); the value says where the token is.",
			Example: "kept by the service"},
		{Name: "basic", Into: &a.User, Help: "As the password of this user (RFC 7617).",
			Example: "office@larkrigg.example"},
		{Name: "header", Into: &a.header, Help: "In the header of this name.", Example: "X-Register-Key"},
		{Name: "query", Into: &a.query, Help: "In the query parameter of this name.", Example: "key"},
		{Name: "oauth", Into: Group(&a.OAuth), Help: "By OAuth 2 (RFC 6749)."},
	}
}

// Agree insists on one way.
func (a *Auth) Agree(m Reading) {
	a.Kind = m.OneOf("bearer", "basic", "header", "query", "oauth")
	a.Name = a.header + a.query
}

// OAuth says how tokens are got (RFC 6749). The client's secret is the
// connection's sealed secret; tokens are sealed beside it.
type OAuth struct {
	Grant     string // authorization_code, with PKCE (RFC 7636), or client_credentials
	Authorize string // where a person says yes
	Token     string
	Client    string // the client's id
	Scopes    []Scope
	scopes    []WordOf
}

// Scope is one permission, and what it is for in plain words.
type Scope struct {
	Name  string `json:"name"`
	Words string `json:"words"`
}

// Fields are what oauth may say.
func (o *OAuth) Fields() []Field {
	return []Field{
		{Name: "grant", Into: &o.Grant, Choices: []string{"authorization_code", "client_credentials"},
			Default: "authorization_code", Help: "Whether a person says yes, or the workspace signs in by itself.",
			Example: "client_credentials"},
		{Name: "authorize", Into: &o.Authorize, Help: "Where a person says yes.",
			Example: "https://door.example/authorize"},
		{Name: "token", Into: &o.Token, Required: true, Help: "Where tokens are got.",
			Example: "https://door.example/token"},
		{Name: "client", Into: &o.Client, Required: true, Help: "The id the other side knows us by.",
			Example: "woolsignal"},
		{Name: "scopes", Into: &o.scopes, Help: "Permissions, each with what it is for in plain words.",
			Example: "{files.read: read the minutes}"},
	}
}

// Agree insists on addresses of the web.
func (o *OAuth) Agree(m Reading) {
	for _, s := range o.scopes {
		o.Scopes = append(o.Scopes, Scope{s.Key, s.Word})
	}
	for key, address := range map[string]string{"token": o.Token, "authorize": o.Authorize} {
		if address != "" && !webAddress(address) {
			m.Wrong(key, "start it with https://", "%q is not a web address", address)
		}
	}
	if o.Grant == "authorization_code" && o.Authorize == "" {
		m.Wrong("", "add authorize: https://…/authorize", "nothing says where a person says yes")
	}
}

func webAddress(s string) bool {
	scheme, rest, _ := strings.Cut(s, "://")
	return (scheme == "http" || scheme == "https") && strings.Trim(rest, "/") != ""
}

// ToolNote corrects what a service says of one of its operations.
type ToolNote struct {
	ReadOnly, Destructive, OpenWorld *bool
	Resend                           Resend // "" leaves what is known
	Off                              bool   // not offered
	Price, ResultPrice               float64
	Shows                            *Showing // how it is found out what a call is about
	resend                           string
}

// Fields are what a note may say.
func (n *ToolNote) Fields() []Field {
	resends := []string{string(ResendSafe), string(ResendKey), string(ResendOwnID), string(ResendNever)}
	return []Field{
		{Name: "read_only", Into: &n.ReadOnly, Help: "It changes nothing.", Example: "true"},
		{Name: "destructive", Into: &n.Destructive, Help: "It removes or overwrites.", Example: "true"},
		{Name: "open_world", Into: &n.OpenWorld, Help: "It reaches strangers.", Example: "true"},
		{Name: "resend", Into: &n.resend, Choices: resends, Help: "How a call may be sent again that may have arrived.",
			Example: "never"},
		{Name: "off", Into: &n.Off, Help: "It is not offered.", Example: "true"},
		{Name: "price", Into: &n.Price, Help: "What a call costs, in the workspace's currency.", Example: "0.002"},
		{Name: "result_price", Into: &n.ResultPrice, Example: "0.0005",
			Help: "What each result of a call costs beside that: each item of the list it gives."},
		{Name: "shows", Into: Group(&n.Shows), Example: "{tool: get_event, args: {id: '${args.id}'}}",
			Help: "Which operation reads what a call is about, for who is asked whether it may be made."},
	}
}

// Showing is the operation of a connection that reads what a call of another is about.
type Showing struct {
	Operation string
	Args      []Entry // they see args, the call's own
}

// Fields are what it may say.
func (s *Showing) Fields() []Field {
	return []Field{
		{Name: "tool", Into: &s.Operation, Required: true, Help: "The operation, of the same connection.",
			Example: "get_event"},
		{Name: "args", Into: &s.Args, Help: "Its arguments; they see args, those of the call.",
			Example: "{id: '${args.id}'}"},
	}
}

// Words are the names of operations.
func (*Showing) Words() []string { return nil }

// Word names the operation alone.
func (s *Showing) Word(name string) { s.Operation = name }

// Agree keeps the word for sending again.
func (n *ToolNote) Agree(Reading) { n.Resend = Resend(n.resend) }

// DecodeConnection reads one connection file.
func DecodeConnection(file, text string) (*Connection, []Problem) {
	r := &reader{file: file}
	c := &Connection{file: file, Auth: Auth{Kind: "none"}, Acts: "workspace"}
	root := r.document(text)
	if root == nil {
		return c, r.problems
	}
	table := Described(c.Fields())
	f, _ := r.mapping(root, "a connection", append(names(table), protocolNames()...)...)
	m := Reading{r, f, "connection"}
	c.At = f.at
	r.table(m, table)
	r.checkID(m, "connection", c.ID)
	if c.Acts != "workspace" && c.Auth.Kind != "oauth" {
		m.Wrong("acts_as", "add auth: with oauth:, or acts_as: workspace",
			"only an OAuth connection can act as a person: everything else has one secret for all")
	}
	c.Tools = map[string]ToolNote{}
	for _, note := range c.notes {
		c.Tools[note.Key] = note.Is
	}
	if c.Kind = r.kind(f, "this connection", protocolNames()); c.Kind != "" {
		c.Is = r.protocol(f.nodes[c.Kind], c.Kind)
		c.address(m)
		c.encrypted(m)
	}
	return c, r.problems
}

// protocol reads what belongs to the connection's protocol.
func (r *reader) protocol(n *yaml.Node, name string) Reaching {
	i := slices.IndexFunc(protocolKinds, func(k ProtocolKind) bool { return k.Name == name })
	is := protocolKinds[i].new()
	r.part(n, name, is)
	return is
}

// address insists on an address the protocol can be spoken at, without any
// secret in it.
func (c *Connection) address(m Reading) {
	schemes, example := c.Is.Schemes()
	c.Address = strings.TrimSuffix(c.Address, "/")
	switch {
	case len(schemes) == 0:
		return
	case c.Address == "":
		m.Wrong("", "add address: "+example, "the key address is missing")
		return
	}
	scheme, rest, _ := strings.Cut(c.Address, ":")
	if !slices.Contains(schemes, scheme) || strings.Trim(rest, "/") == "" {
		m.Wrong("address", "write it as "+example, "%q is not an address of such a service", c.Address)
		return
	}
	if host, _, _ := strings.Cut(strings.TrimPrefix(rest, "//"), "/"); strings.Contains(host, "@") {
		m.Report("address", Problem{What: "the address holds a user, and maybe a password",
			Why:    "files are read, copied and exported; a secret in one is a secret no more",
			Remedy: "write the address alone; the user belongs to auth: basic:, the password to woolsignal connect"})
	}
}

// NeedsSecret tells whether nothing works before somebody gave a secret.
func (c *Connection) NeedsSecret() bool {
	_, secretive := c.Is.(Secretive)
	return secretive || c.Auth.Kind != "none"
}

// Models are those the connection offers.
func (c *Connection) Models() []Named[Model] {
	if m, offers := c.Is.(Modelling); offers {
		return m.Models()
	}
	return nil
}

// Uses gives what the connection names of a kind of thing; see [Step.Uses].
func (c *Connection) Uses(what Holds) []string {
	if c.Is == nil {
		return nil
	}
	return used(c.Is, what)
}

// toolName takes a tool's name apart: the connection or table, and its
// operation.
func toolName(tool string) (of, operation string) {
	of, operation, _ = strings.Cut(tool, "/")
	return of, operation
}
