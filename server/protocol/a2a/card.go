package a2a

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"time"

	"woolsignal/core/flow"
	"woolsignal/server/tool"
)

// card is what an agent says of itself (AgentCard).
type card struct {
	Name         string `json:"name"`
	Description  string `json:"description"`
	Interfaces   []face `json:"supportedInterfaces"`
	Capabilities struct {
		Streaming bool `json:"streaming"`
	} `json:"capabilities"`
	Skills []skill `json:"skills"`
}

// face is a way to speak with it (AgentInterface).
type face struct {
	URL     string `json:"url"`
	Binding string `json:"protocolBinding"`
	Tenant  string `json:"tenant,omitempty"`
	Version string `json:"protocolVersion"`
}

// skill is something it can do (AgentSkill).
type skill struct {
	ID          string   `json:"id"`
	Name        string   `json:"name"`
	Description string   `json:"description"`
	Tags        []string `json:"tags,omitempty"`
	Examples    []string `json:"examples,omitempty"`
}

// bounds of what a card may say: models read it.
const (
	largestCard        = 1 << 20
	mostSkills         = 200
	longestDescription = 2000
)

// cardPath is where a card stands (section 8.2).
const cardPath = "/.well-known/agent-card.json"

// readCard asks an agent for its card.
func readCard(ctx context.Context, client *http.Client, c *flow.Connection) (*card, error) {
	ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, strings.TrimSuffix(c.Address, "/")+cardPath, nil)
	if err != nil {
		return nil, &tool.RefusedError{Message: err.Error()}
	}
	request.Header.Set(versionHeader, version)
	response, err := client.Do(request)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", c.Title, err)
	}
	defer response.Body.Close()
	response.Body = io.NopCloser(io.LimitReader(response.Body, largestCard+1))
	data, err := tool.Answered(c.Title, response)
	if err != nil {
		return nil, err
	}
	if len(data) > largestCard {
		return nil, &tool.RefusedError{Message: c.Title + ": its card is larger than 1 MiB"}
	}
	out := &card{}
	if err := json.Unmarshal(data, out); err != nil {
		return nil, &tool.RefusedError{Message: fmt.Sprintf("%s: what stands at %s is no agent card: %v", c.Title,
			cardPath, err)}
	}
	out.bound()
	if _, err := out.face(c); err != nil {
		return nil, err
	}
	return out, nil
}

var (
	unnameable = regexp.MustCompile(`[^a-z0-9_]+`)
	nameable   = regexp.MustCompile(`^[a-z][a-z0-9_]*$`)
)

// bound keeps of a card what can be used: skills with names files can say, each once.
func (c *card) bound() {
	var kept []skill
	taken := map[string]bool{}
	for _, s := range c.Skills {
		name := s.operation()
		if len(kept) == mostSkills || taken[name] || !nameable.MatchString(name) {
			continue
		}
		taken[name] = true
		if letters := []rune(s.Description); len(letters) > longestDescription {
			s.Description = string(letters[:longestDescription]) + "…"
		}
		kept = append(kept, s)
	}
	c.Skills = kept
}

// operation is what a tool of the skill is called.
func (s skill) operation() string {
	return strings.Trim(unnameable.ReplaceAllString(strings.ToLower(s.ID), "_"), "_")
}

// face finds how the agent is spoken with: by JSON-RPC in a version 1, at the connection's
// own host.
func (c *card) face(conn *flow.Connection) (face, error) {
	var others []string
	for _, f := range c.Interfaces {
		if f.Binding == "JSONRPC" && strings.HasPrefix(f.Version, "1.") {
			at, err := url.Parse(f.URL)
			base, _ := url.Parse(conn.Address)
			if err != nil || base == nil || at.Host != base.Host {
				return face{},
					&tool.RefusedError{Message: fmt.Sprintf("%s: its card leads to %s, which is not the host "+
						"this connection names", conn.Title, f.URL)}
			}
			return f, nil
		}
		others = append(others, f.Binding+" "+f.Version)
	}
	if len(others) == 0 {
		others = []string{"nothing a version 1 card names"}
	}
	return face{}, &tool.RefusedError{Message: fmt.Sprintf("%s speaks %s; JSONRPC 1.0 is needed", conn.Title,
		strings.Join(others, ", "))}
}
