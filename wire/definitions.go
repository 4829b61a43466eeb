package wire

import "woolsignal/core/flow"

// Definition is a file that acts as soon as it is written: a connection's, a
// table's, or the workspace's own.
type Definition struct {
	Path     string         `json:"path"`
	Text     string         `json:"text"`
	Problems []flow.Problem `json:"problems"` // its own, and those it makes elsewhere
	Used     []string       `json:"used_by"`  // workflows, agents and connections it counts for at once
	Kind     string         `json:"kind,omitempty"`
	Needs    bool           `json:"needs_secret,omitempty"` // of a connection
	Has      bool           `json:"has_secret,omitempty"`
	Moved    string         `json:"moved,omitempty"` // that the secrets it has were given for other places
	Tools    []string       `json:"tools"`           // of a connection: the titles of those it offers
}

// Redefine is another text of such a file.
type Redefine struct {
	Text string `json:"text"`
	// Another file it names and comes with, such as a description of an HTTP API.
	Beside map[string]string `json:"beside,omitempty"`
	From   string            `json:"from,omitempty"`   // the text it was made from; "" where there was none
	Secret string            `json:"secret,omitempty"` // of a connection: it is sealed and never given back
}

// Defined is what came of it.
type Defined struct {
	Problems []flow.Problem `json:"problems"`
	Verdict  *Verdict       `json:"verdict,omitempty"` // of a connection
}

// Describing asks for a description of an HTTP API (OpenAPI 3): the one at an
// address, or a text.
type Describing struct {
	Address  string   `json:"address,omitempty"`
	Networks []string `json:"networks,omitempty"` // that are not public and may be reached for it
	Text     string   `json:"text,omitempty"`
}

// Description is what a description of an HTTP API says.
type Description struct {
	Text       string   `json:"text"`
	Title      string   `json:"title"`
	Address    string   `json:"address,omitempty"` // of the server, where it names one
	Operations []string `json:"operations"`
	// How it wants its secret: bearer, basic, header or query; "" where it needs none.
	Auth string `json:"auth,omitempty"`
	Name string `json:"name,omitempty"` // … the header's or the parameter's name
}

// NewKey is a secret that was made just now. It is shown once.
type NewKey struct {
	Secret string `json:"secret"`
}

// Deliver asks for a signed delivery to a webhook of a workflow's draft.
type Deliver struct {
	Trigger string `json:"trigger"`
	Body    any    `json:"body"`
	Live    bool   `json:"live,omitempty"` // to the address of what is live; the draft's otherwise
}

// Delivery is a request that is signed and was not sent.
type Delivery struct {
	Address string            `json:"address"`
	Headers map[string]string `json:"headers"`
	Body    string            `json:"body"`
	Curl    string            `json:"curl"` // the same as a line for a shell
	// Whether it is good for five minutes only, as its time is signed.
	// Whether it is good for five minutes only, as its time is signed.
	Timed bool `json:"timed,omitempty"`
	// What its sender must put in: a key that travels openly is not shown.
	Lacks string `json:"lacks,omitempty"`
}
