package openapi

import (
	"net/http"
	"os"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"

	"woolsignal/core/fuzztest"
	"woolsignal/core/schema"
)

// FuzzDescription reads descriptions that anybody may have published: each
// operation that comes of one has arguments a schema can be made of.
func FuzzDescription(fuzzed *testing.F) {
	f := fuzztest.New(fuzzed)
	barn, err := os.ReadFile("../testdata/barn.yaml")
	if err != nil {
		f.Fatal(err)
	}
	f.Add(string(barn))
	f.Add(`{"openapi":"3.0.3","paths":{"/a":{"get":{"parameters":[{"name":"","in":"query"}],"responses":null}}}}`)
	f.Add(`{"openapi":"3.1.0","paths":{"/a":null},"components":{"schemas":{"A":{"$ref":"#/components/schemas/A"}}}}`)
	f.Add("openapi: 3.0.0\npaths: &a {/a: *a}\n")
	f.Fuzz(func(t *testing.T, text string) {
		d, err := parse(text)
		if err != nil || d.doc.Paths == nil {
			return
		}
		for _, item := range d.doc.Paths.Map() {
			if item == nil {
				continue
			}
			for method, op := range item.Operations() {
				made(t, d, method, item, op)
			}
		}
	})
}

func made(t *testing.T, d *description, method string, item *openapi3.PathItem, op *openapi3.Operation) {
	t.Helper()
	o := &operation{client: http.DefaultClient, method: method, path: "/"}
	tool, err := o.tool(op, parameters(item.Parameters, op.Parameters), d.schemas)
	if err != nil {
		return
	}
	if _, err := schema.Compile(tool.Input); err != nil && !strings.Contains(err.Error(), "schema") {
		t.Errorf("the arguments of %s are no schema: %v", op.OperationID, err)
	}
}
