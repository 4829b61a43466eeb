package caldav

import (
	"context"
	"errors"
	"net/http"

	"woolsignal/server/tool"
)

// showMove tells which event a move is about, and where it goes.
func (c *calendars) showMove(ctx context.Context, args map[string]any, _ tool.Sending) (tool.Shown, error) {
	start, err := c.moment(tool.Text(args, "start"))
	if err != nil {
		return tool.Shown{}, err
	}
	e, err := c.meant(ctx, args)
	if err != nil {
		return tool.Shown{}, err
	}
	before := c.value(e)
	e.start, e.end = start, start.Add(e.end.Sub(e.start))
	return tool.Shown{Before: before, After: c.value(e)}, nil
}

// showDescribe tells which event is described, and how.
func (c *calendars) showDescribe(ctx context.Context, args map[string]any, _ tool.Sending) (tool.Shown, error) {
	e, err := c.meant(ctx, args)
	if err != nil {
		return tool.Shown{}, err
	}
	before := c.value(e)
	e.description = tool.Text(args, "description")
	return tool.Shown{Before: before, After: c.value(e)}, nil
}

// describe writes an event's description.
func (c *calendars) describe(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	c.writing.Lock()
	defer c.writing.Unlock()
	e, err := c.meant(ctx, args)
	if err != nil {
		return nil, err
	}
	e.description = tool.Text(args, "description")
	status, err := c.save(ctx, e, "If-Match", quoted(e.etag))
	if err != nil {
		return nil, err
	}
	if status == http.StatusPreconditionFailed {
		return nil, errChanged
	}
	return c.value(e), nil
}

// showRemove tells which event is to be removed.
func (c *calendars) showRemove(ctx context.Context, args map[string]any, _ tool.Sending) (tool.Shown, error) {
	e, err := c.meant(ctx, args)
	if err != nil {
		return tool.Shown{}, err
	}
	return tool.Shown{Before: c.value(e)}, nil
}

// meant is the event that arguments name.
func (c *calendars) meant(ctx context.Context, args map[string]any) (event, error) {
	e, err := c.find(ctx, tool.Text(args, "id"))
	if errors.Is(err, errNoEvent) {
		return e, &tool.RefusedError{Message: "there is no event " + tool.Text(args, "id")}
	}
	return e, err
}
