package openapi

import (
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"
)

// Summary is what a description says of an API as a whole.
type Summary struct {
	Title, Address string
	Operations     []string // their names, sorted
	Auth, Name     string   // how it wants its secret, as flow.Auth has it; "" where it says nothing of one
}

// Summarise reads a description, in JSON or YAML, for whoever is about to
// connect to the API.
func Summarise(text string) (Summary, error) {
	d, err := parse(text)
	if err != nil {
		return Summary{}, err
	}
	out := Summary{Operations: []string{}}
	if d.doc.Info != nil {
		out.Title = d.doc.Info.Title
	}
	if len(d.doc.Servers) > 0 && strings.Contains(d.doc.Servers[0].URL, "://") {
		out.Address = d.doc.Servers[0].URL
	}
	for _, path := range d.doc.Paths.InMatchingOrder() {
		for method, op := range d.doc.Paths.Value(path).Operations() {
			out.Operations = append(out.Operations, operationName(op.OperationID, method, path))
		}
	}
	slices.Sort(out.Operations)
	out.Auth, out.Name = wantedAuth(d.doc)
	return out, nil
}

// wantedAuth is the first way of showing a secret that a description names and
// a connection can.
func wantedAuth(doc *openapi3.T) (kind, name string) {
	if doc.Components == nil {
		return "", ""
	}
	var names []string
	for n := range doc.Components.SecuritySchemes {
		names = append(names, n)
	}
	slices.Sort(names)
	for _, n := range names {
		s := doc.Components.SecuritySchemes[n].Value
		switch {
		case s == nil:
		case s.Type == "http" && (s.Scheme == "bearer" || s.Scheme == "basic"):
			return s.Scheme, ""
		case s.Type == "apiKey" && (s.In == "header" || s.In == "query"):
			return s.In, s.Name
		}
	}
	return "", ""
}
