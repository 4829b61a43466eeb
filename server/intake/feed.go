package intake

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"

	"woolsignal/server/feed"
	"woolsignal/server/protocol/web"

	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/core/run"
	"woolsignal/core/trigger"
	"woolsignal/server/egress"
	"woolsignal/server/tool"
)

// feedSource is an RSS or Atom feed. Its cursor is the ids of the items that
// stood there; what left the feed long ago may come back as new.
type feedSource struct {
	kit     *tool.Kit
	c       *flow.Connection
	address string
}

// mostItems bounds how many ids are kept of a feed.
const mostItems = 2000

// feeds looks at a feed.
func (w *Watches) feeds(t flow.Trigger) *looking {
	of := t.Is.(*trigger.Feed)
	c := w.connection(t)
	if c == nil {
		return nil
	}
	return &looking{"feed " + c.ID + " " + of.Address, "items of " + of.Address, of.Every,
		&feedSource{w.Kit, c, of.Address}}
}

func (s *feedSource) look(ctx context.Context, cursor json.RawMessage) ([]any, any, bool, error) {
	var before []string
	if cursor != nil {
		if err := json.Unmarshal(cursor, &before); err != nil {
			return nil, nil, false, err
		}
	}
	body, _, _, err := web.Fetch(ctx, egress.Reader(s.c.ID, s.c.Is.(*protocol.Web).Hosts, s.c.Networks), s.c.Title,
		s.address)
	if err != nil {
		return nil, nil, false, err
	}
	read, err := feed.Read(ctx, s.kit.Confined, body)
	if err != nil {
		return nil, nil, false, web.NoFeed(s.address, err)
	}
	now, found := before, []any{}
	for _, i := range slices.Backward(read.Items) { // oldest first
		id := short(i.ID)
		if slices.Contains(now, id) {
			continue
		}
		now = append(now, id)
		if cursor != nil {
			found = append(found, i.Value())
		}
	}
	if len(now) > mostItems {
		now = now[len(now)-mostItems:]
	}
	if now == nil {
		now = []string{}
	}
	return found, now, false, nil
}

// short names a long text by its hash.
func short(s string) string {
	sum := sha256.Sum256([]byte(s))
	return hex.EncodeToString(sum[:12])
}

func (s *feedSource) signal(_ flow.Trigger, found any) (*run.Signal, error) {
	item := found.(map[string]any)
	title, _ := item["title"].(string)
	summary, _ := item["summary"].(string)
	return &run.Signal{ID: short(item["id"].(string)), Type: "feed.item", Subject: title, Text: summary,
		Body: item}, nil
}
