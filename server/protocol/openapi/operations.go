package openapi

import (
	"fmt"
	"net/http"
	"regexp"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/server/tool"
)

// operations makes tools of an OpenAPI 3 description.
func operations(k *tool.Kit, w *flow.Workspace, c *flow.Connection, client *http.Client) ([]*tool.Operation, error) {
	is := c.Is.(*protocol.OpenAPI)
	d, err := read(k, w.Files[is.Description])
	if err != nil {
		return nil, fmt.Errorf("the description %s cannot be read: %w", is.Description, err)
	}
	var out []*tool.Operation
	var refused error
	taken := map[string]bool{}
	for _, path := range d.doc.Paths.InMatchingOrder() {
		item := d.doc.Paths.Value(path)
		for method, op := range item.Operations() {
			id := operationName(op.OperationID, method, path)
			if len(is.Offer) > 0 && !slices.Contains(is.Offer, id) {
				continue
			}
			if taken[id] {
				return nil, fmt.Errorf("the description %s has two operations called %s", is.Description, id)
			}
			taken[id] = true
			o := &operation{kit: k, client: client, base: c.Address, method: method, path: path, title: c.Title}
			made, err := o.tool(op, parameters(item.Parameters, op.Parameters), d.schemas)
			if err != nil {
				return nil, fmt.Errorf("%s %s: %w", method, path, err)
			}
			if o.needs != "" && len(is.Offer) > 0 {
				refused = fmt.Errorf("%s of %s cannot be offered: it needs %s", id, is.Description, o.needs)
			}
			if o.needs != "" {
				continue
			}
			made.Name = c.ID + "/" + id
			made.Title = c.Title + ": " + strings.ReplaceAll(id, "_", " ")
			out = append(out, made)
		}
	}
	return out, offered(is, c, out, refused)
}

// offered tells what of a description is not there to be offered.
func offered(is *protocol.OpenAPI, c *flow.Connection, found []*tool.Operation, refused error) error {
	if refused != nil {
		return refused
	}
	for _, wanted := range is.Offer {
		if !slices.ContainsFunc(found, func(o *tool.Operation) bool { return o.Name == c.ID+"/"+wanted }) {
			return fmt.Errorf("the description %s has no operation %s", is.Description, wanted)
		}
	}
	if len(found) == 0 {
		return fmt.Errorf("the description %s names no operation", is.Description)
	}
	return nil
}

// parameters are those of a path and of one of its operations, which takes the
// place of one of the same name and place.
func parameters(path, own openapi3.Parameters) openapi3.Parameters {
	all := slices.DeleteFunc(slices.Clone(path), func(p *openapi3.ParameterRef) bool {
		return p.Value == nil || own.GetByInAndName(p.Value.In, p.Value.Name) != nil
	})
	return append(all, own...)
}

var notInNames = regexp.MustCompile(`[^A-Za-z0-9_.-]+`)

// operationName is what the description calls an operation; many name none,
// and are called by method and path, as in get_growers_name.
func operationName(id, method, path string) string {
	if id == "" {
		id = strings.ToLower(method) + path
	}
	return strings.Trim(notInNames.ReplaceAllString(id, "_"), "_")
}
