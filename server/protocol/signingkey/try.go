package signingkey

import (
	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"context"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/server/tool"
)

func try(_ context.Context, k *tool.Kit, _ *flow.Workspace, _ tool.Catalogue, c *flow.Connection) tool.Verdict {
	secret, err := k.Secret(c)
	if err != nil {
		return k.Trouble(c, err)
	}
	if c.Is.(*protocol.SigningKey).Scheme == "standard-webhooks" {
		if _, err := webhooks.NewWebhook(secret); err != nil {
			return tool.Unfit("Give it again as the sender shows it: base64, usually behind whsec_.",
				"A key is kept, and it cannot be one of Standard Webhooks.")
		}
	}
	return tool.Works("A key is kept. Whether the sender has the same shows with its first delivery.")
}
