package sensors

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/modelcontextprotocol/go-sdk/mcp"
)

// asked is what read_store is given.
type asked struct {
	Store string `json:"store" jsonschema:"north or south"`
}

// aired is what open_vents is given.
type aired struct {
	Store   string `json:"store" jsonschema:"north or south"`
	Minutes int    `json:"minutes" jsonschema:"for how long"`
}

// vented is what open_vents gives.
type vented struct {
	Store string `json:"store"`
	Until string `json:"until"`
}

// MCP makes the gauges a server of the Model Context Protocol.
func (g *Gauges) MCP() *mcp.Server {
	s := mcp.NewServer(&mcp.Implementation{Name: "barn-sensors", Version: "1"}, nil)
	no := false
	mcp.AddTool(s, &mcp.Tool{Name: "read_store", Description: "Reads the humidity and temperature of a wool store.",
		Annotations: &mcp.ToolAnnotations{ReadOnlyHint: true, OpenWorldHint: &no}},
		func(_ context.Context, _ *mcp.CallToolRequest, in asked) (*mcp.CallToolResult, Reading, error) {
			r, ok := g.read(in.Store)
			if !ok {
				return nil, Reading{}, fmt.Errorf("there is no store %s; there are north and south", in.Store)
			}
			return nil, r, nil
		})
	mcp.AddTool(s, &mcp.Tool{Name: "open_vents", Description: "Opens the vents of a wool store for a while.",
		Annotations: &mcp.ToolAnnotations{DestructiveHint: &no, IdempotentHint: true, OpenWorldHint: &no}},
		func(_ context.Context, _ *mcp.CallToolRequest, in aired) (*mcp.CallToolResult, vented, error) {
			r, ok := g.read(in.Store)
			if !ok || in.Minutes < 1 || in.Minutes > 240 {
				return nil, vented{}, fmt.Errorf("vents open for 1 to 240 minutes, in north or south")
			}
			r.Humidity -= float64(in.Minutes) / 10
			g.set(r)
			return nil, vented{in.Store,
				time.Now().Add(time.Duration(in.Minutes) * time.Minute).Format(time.RFC3339)}, nil
		})
	return s
}

// handler serves MCP over streamable HTTP.
func (g *Gauges) handler() http.Handler {
	s := g.MCP()
	return mcp.NewStreamableHTTPHandler(func(*http.Request) *mcp.Server { return s }, nil)
}
