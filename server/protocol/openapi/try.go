package openapi

import (
	"context"
	"slices"
	"strings"

	"woolsignal/core/flow"
	"woolsignal/server/tool"
)

// try uses the first operation that reads and needs nothing: that shows
// whether the key is right as well.
func try(ctx context.Context, k *tool.Kit, _ *flow.Workspace, tools tool.Catalogue, c *flow.Connection) tool.Verdict {
	var names []string
	for name, op := range tools {
		required, _ := op.Input["required"].([]any)
		if op.Connection == c.ID && op.ReadOnly && len(required) == 0 {
			names = append(names, name)
		}
	}
	if len(names) == 0 {
		return k.TryAddress(ctx, c)
	}
	slices.Sort(names)
	operation := strings.TrimPrefix(names[0], c.ID+"/")
	return k.TryTool(ctx, c, tools, operation, map[string]any{}, "The key is accepted; "+operation+" answers.")
}
