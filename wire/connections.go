package wire

import (
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/shape"
)

// Connection is one connection; never its secret.
type Connection struct {
	ID      string   `json:"id"`
	Title   string   `json:"title"`
	Kind    string   `json:"kind"`
	Address string   `json:"address,omitempty"`
	Acts    string   `json:"acts_as" jsonschema:"enum=workspace,enum=builder,enum=person"`
	Auth    string   `json:"auth"` // none, bearer, basic, header, query or oauth
	Needs   bool     `json:"needs_secret"`
	Has     bool     `json:"has_secret"`
	For     string   `json:"secret_for,omitempty"` // where its secret is sent, and nowhere else
	Moved   string   `json:"moved,omitempty"`      // … that the secrets it has were given for other places
	Ready   bool     `json:"ready"`                // nothing is missing
	Used    []string `json:"used_by"`              // workflows and agents
	Tools   int      `json:"tools"`

	Tested  *time.Time `json:"tested,omitempty"`
	Verdict *Verdict   `json:"verdict,omitempty"` // of the last test
	Worked  *time.Time `json:"worked,omitempty"`  // when it last answered
	Failed  *time.Time `json:"failed,omitempty"`
	Problem string     `json:"problem,omitempty"` // of the last call that failed, where none worked since

	SignIn  *SignInState `json:"sign_in,omitempty"` // for OAuth by people
	Watched []Look       `json:"watched,omitempty"` // what triggers look at
}

// Look is how the last look at something a trigger watches went.
type Look struct {
	What    string    `json:"what"`
	Looked  time.Time `json:"looked"`
	Problem string    `json:"problem,omitempty"`
}

// SignInState is how far signing in at another service is.
type SignInState struct {
	Redirect string       `json:"redirect"` // to be written down at the service, to the letter
	Scopes   []flow.Scope `json:"scopes"`
	Grant    string       `json:"grant"`
	Signed   bool         `json:"signed_in"`
	Expires  *time.Time   `json:"expires,omitempty"` // of the token; renewed by itself
	Problem  string       `json:"problem,omitempty"` // why it has to be done again
}

// ConnectionDetail is a connection with its tools and file.
type ConnectionDetail struct {
	Connection
	Operations []ToolInfo `json:"operations"`
	File       string     `json:"file"`
	Text       string     `json:"text"`
}

// Verdict is what a test of a connection found.
type Verdict struct {
	Fine   bool   `json:"fine"`
	Words  string `json:"words"`
	Remedy string `json:"remedy,omitempty"`
}

// Address is where to go.
type Address struct {
	Address string `json:"address"`
}

// Rotated says how many secrets were sealed anew.
type Rotated struct {
	Secrets int `json:"secrets"`
}

// ToolInfo is a tool of the catalogue.
type ToolInfo struct {
	flow.Tool
	Listed []string `json:"listed,omitempty"` // arguments whose values can be listed live
	// Takes and Gives are its arguments and its result in parts, where one connection
	// is read; Gives is nothing where the tool does not say what it gives.
	Takes []shape.Content `json:"takes,omitempty"`
	Gives []shape.Content `json:"gives,omitempty"`
}

// Tools is what was found in the catalogue.
type Tools struct {
	Tools []ToolInfo `json:"tools"`
	All   int        `json:"all"` // how many there are
}

// Choice is one value an argument can be fixed to.
type Choice struct {
	Value string `json:"value"`
	Words string `json:"words"`
}

// Table is one of the workspace's own tables.
type Table struct {
	ID      string   `json:"id"`
	Title   string   `json:"title"`
	Purpose string   `json:"purpose,omitempty"`
	Unique  string   `json:"unique,omitempty"`
	Columns []Column `json:"columns"`
	Rows    int      `json:"rows"`
	Used    []string `json:"used_by"`
}

// Column is one column of a table.
type Column struct {
	Name     string   `json:"name"`
	Title    string   `json:"title"`
	Type     string   `json:"type" jsonschema:"enum=text,enum=number,enum=date,enum=choice,enum=yes_no"`
	Required bool     `json:"required,omitempty"`
	Choices  []string `json:"choices,omitempty"`
}

// RowQuery says which rows are wanted.
type RowQuery struct {
	Words  string
	Before int64
	Limit  int
}

// Rows are rows of a table, newest first.
type Rows struct {
	Rows []Row `json:"rows"`
	More bool  `json:"more"`
}

// Row is one row.
type Row struct {
	Row     int64          `json:"row"`
	Values  map[string]any `json:"values"`
	Added   time.Time      `json:"added"`
	Changed time.Time      `json:"changed"`
}

// RowValues are values for a row; null takes one out.
type RowValues struct {
	Values map[string]any `json:"values"`
}

// CSV is a table as text (RFC 4180).
type CSV struct {
	Text string `json:"text"`
}

// Imported says what became of the rows of a CSV text.
type Imported struct {
	Added   int `json:"added"`
	Changed int `json:"changed"`
}
