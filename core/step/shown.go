package step

import (
	"cmp"
	"errors"
	"fmt"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/shape"
)

// mostFiles is how many files a model is shown at once.
const mostFiles = 20

// filesField is the field of what a model is shown.
func filesField(into **flow.Value) flow.Field {
	return flow.Field{Name: "files", Into: into, Example: "${signal.files}",
		Help: "What it is shown: a picture, a PDF or another file, or a list of them."}
}

// checkFiles insists that what a model is shown can be files.
// It tells where the model that is shown them looks at no pictures.
func checkFiles(c *flow.Checker, at flow.Pos, v *flow.Value, names expr.Names, model string) {
	if v == nil {
		return
	}
	model = cmp.Or(model, c.Workflow.Model, c.Workspace.Model)
	if _, m, known := c.Workspace.FindModel(model); known && !m.Can(flow.ReadsPictures) {
		c.Report(at, flow.Problem{Severity: flow.Remark, What: "the model " + model + " looks at no pictures",
			Why:    "a picture among the files fails the step",
			Remedy: "choose one whose abilities have pictures, or leave pictures out"})
	}
	switch got := c.Value(*v, names); got.Kind() {
	case "string", "number", "integer", "boolean":
		c.Report(at, flow.Problem{What: "files: is " + shape.Words(got.Kind()) + ", and no file",
			Remedy: "give it signal.files, or what a tool gave, such as ${paper.file}"})
	}
}

// filesOf are the files a value holds: one, a list of them, or none.
func filesOf(v *flow.Value, scope expr.Scope) ([]agent.File, error) {
	if v == nil {
		return nil, nil
	}
	got, err := v.Eval(scope)
	if err != nil {
		return nil, fmt.Errorf("files: %w", err)
	}
	list, is := got.([]any)
	if !is && got != nil {
		list = []any{got}
	}
	if len(list) > mostFiles {
		return nil, fmt.Errorf("files: there are %d, and a model is shown %d at most", len(list), mostFiles)
	}
	out := make([]agent.File, len(list))
	for i, item := range list {
		if out[i], err = fileOf(item); err != nil {
			return nil, fmt.Errorf("files, %d: %w", i+1, err)
		}
	}
	return out, nil
}

// fileOf reads a file as values carry it.
func fileOf(v any) (agent.File, error) {
	m, _ := v.(map[string]any)
	text := func(key string) string { s, _ := m[key].(string); return s }
	f := agent.File{Name: text("name"), Type: text("type"), Blob: text("blob")}
	if f.Name == "" || f.Blob == "" {
		return f, errors.New("this is not a file: a file is what a signal or a tool gave, with its name and blob")
	}
	f.Size = int64(asFloat(m["size"]))
	return f, nil
}

func asFloat(v any) float64 {
	switch n := v.(type) {
	case int64:
		return float64(n)
	case float64:
		return n
	}
	return 0
}
