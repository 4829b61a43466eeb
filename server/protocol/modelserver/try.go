package modelserver

import (
	"context"
	"net/http"
	"strings"

	"woolsignal/core/flow"
	"woolsignal/server/tool"
)

func try(ctx context.Context, k *tool.Kit, _ *flow.Workspace, _ tool.Catalogue, c *flow.Connection) tool.Verdict {
	status, err := k.Ask(ctx, c, c.Address+"/models")
	switch {
	case err != nil:
		return k.Trouble(c, err)
	case status == http.StatusUnauthorized, status == http.StatusForbidden:
		return tool.Unfit("Replace the secret with the one the service shows now.",
			"It answers, but does not accept the key (%d).", status)
	case status >= 500:
		return tool.Unfit("Ask whoever runs it.", "It answers, but something is wrong inside (%d).", status)
	}
	var names []string
	for _, m := range c.Models() {
		names = append(names, m.Key)
	}
	return tool.Works("It answers; the file names %d models of it: %s.", len(names), strings.Join(names, ", "))
}
