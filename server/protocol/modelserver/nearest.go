package modelserver

import (
	"cmp"
	"context"
	"math"
	"net/http"
	"slices"

	"woolsignal/core/flow"
	"woolsignal/server/model"
	"woolsignal/server/tool"
)

// operations offers what can be done with a model that makes embeddings; nothing
// where the server has none.
func operations(k *tool.Kit, _ *flow.Workspace, c *flow.Connection, client *http.Client) ([]*tool.Operation, error) {
	for _, m := range c.Models() {
		if m.Is.Can(flow.Embeds) {
			n := &nearest{&model.Server{Connection: c, Client: client, Files: k}, m.Is}
			return []*tool.Operation{n.operation(c)}, nil
		}
	}
	return nil, nil
}

// nearest finds texts that mean the like of another.
type nearest struct {
	server *model.Server
	model  flow.Model
}

func (n *nearest) operation(c *flow.Connection) *tool.Operation {
	found := tool.Result(map[string]any{"text": tool.Prop("string", ""),
		"likeness": tool.Prop("number", "How alike it is: 1 is the same")})
	return tool.NewOperation(c.ID, c.Title, "nearest", "Orders texts by how much they mean the like of another.",
		tool.Object([]any{"to", "among"}, map[string]any{"to": tool.Prop("string", "What they are held against",
			"minLength", 1.0), "among": tool.ListOf(tool.Prop("string", ""), "The texts, at most 500"),
			"most": tool.Prop("integer", "How many at most; all where it is missing", "minimum", 1.0)}),
		tool.Result(map[string]any{"results": tool.ListOf(found, "The nearest first")}), tool.Reads, n.find)
}

func (n *nearest) find(ctx context.Context, args map[string]any, sending tool.Sending) (any, error) {
	to, _ := args["to"].(string)
	list, _ := args["among"].([]any)
	if len(list) == 0 || len(list) >= model.MostTexts {
		return nil, &tool.RefusedError{Message: "among: give 1 to 500 texts"}
	}
	texts := []string{to}
	for _, v := range list {
		text, _ := v.(string)
		texts = append(texts, text)
	}
	vectors, cost, err := n.server.Embed(ctx, n.model, texts)
	if err != nil {
		return nil, err
	}
	sending.Costs(cost)
	type one struct {
		text string
		like float64
	}
	var all []one
	for i, v := range vectors[1:] {
		all = append(all, one{texts[i+1], likeness(vectors[0], v)})
	}
	slices.SortStableFunc(all, func(a, b one) int { return cmp.Compare(b.like, a.like) })
	if most, asked := args["most"].(int64); asked && int(most) < len(all) {
		all = all[:most]
	}
	results := []any{}
	for _, o := range all {
		results = append(results, map[string]any{"text": o.text, "likeness": math.Round(o.like*1000) / 1000})
	}
	return map[string]any{"results": results}, nil
}

// likeness is the cosine of the angle between two vectors; 0 where one is nothing.
func likeness(a, b []float32) float64 {
	var dot, one, other float64
	for i := range a {
		x, y := float64(a[i]), float64(b[i])
		dot, one, other = dot+x*y, one+x*x, other+y*y
	}
	if one == 0 || other == 0 {
		return 0
	}
	return dot / math.Sqrt(one*other)
}
