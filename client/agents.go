package client

import (
	"context"
	"net/http"
	"net/url"

	"woolsignal/wire"
)

func agentPath(id, rest string) string { return "/agents/" + url.PathEscape(id) + rest }

// Agents lists the agents.
func (c *Client) Agents(ctx context.Context) (all []wire.Agent, err error) {
	return all, c.Do(ctx, http.MethodGet, "/agents", nil, &all)
}

// Agent reads one in full.
func (c *Client) Agent(ctx context.Context, id string) (a wire.AgentInFull, err error) {
	return a, c.Do(ctx, http.MethodGet, agentPath(id, ""), nil, &a)
}

// StartTask gives an agent a task and tells the run it became.
func (c *Client) StartTask(ctx context.Context, agent string, t wire.Task) (string, error) {
	out, err := send[wire.Started](ctx, c, http.MethodPost, agentPath(agent, "/tasks"), t)
	return out.Run, err
}

// Spending lists what the budgets there are have spent.
func (c *Client) Spending(ctx context.Context) (all []wire.Spending, err error) {
	return all, c.Do(ctx, http.MethodGet, "/budget", nil, &all)
}

// AgentThread reads a conversation of the caller's with an agent.
func (c *Client) AgentThread(ctx context.Context, agent, thread string) (t wire.Thread, err error) {
	return t, c.Do(ctx, http.MethodGet, agentPath(agent, "/chat/"+url.PathEscape(thread)), nil, &t)
}
