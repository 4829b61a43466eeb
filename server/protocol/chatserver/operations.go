package chatserver

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/trigger"
	"woolsignal/server/safepath"
	"woolsignal/server/tool"
)

// chatServer speaks to a team's chat server (docs/chat-server.md).
type chatServer struct {
	kit    *tool.Kit
	client *http.Client
	c      *flow.Connection
}

func operations(k *tool.Kit, _ *flow.Workspace, c *flow.Connection, client *http.Client) ([]*tool.Operation, error) {
	s := &chatServer{k, client, c}
	room := tool.Prop("string", "The room's name")
	id := tool.Result(map[string]any{"id": tool.Prop("string", ""), "thread": tool.Prop("string", "")})
	words := map[string]any{"text": tool.Prop("string", "What to say", "maxLength", 8000.0),
		"picture": map[string]any{"description": "A file, or the address of a picture"},
		"file":    tool.FileSchema("A file to attach"),
		"buttons": tool.ListOf(tool.Prop("string", ""), "Short answers to choose from"),
		"layout":  tool.ListOf(map[string]any{"type": "object"}, "Blocks of heading, text, facts"),
		"as": tool.Object([]any{"name"}, map[string]any{
			"name":    tool.Prop("string", "Under which name, in place of the bot's"),
			"picture": tool.Prop("string", "A sign beside it, or two letters")}),
		"thread": tool.Prop("string", "The conversation it belongs to; a new one where it is missing")}
	with := func(name string, p map[string]any) map[string]any {
		all := map[string]any{name: p}
		for k, v := range words {
			all[k] = v
		}
		return all
	}
	post := tool.NewOperation(c.ID, c.Title, "write_in", "Writes in a room, as the bot.",
		tool.Object([]any{"room", "text"}, with("room", room)), id, tool.Keyed, s.post)
	post.Choices = map[string]func(context.Context) ([]tool.Choice, error){"room": s.rooms}
	direct := tool.NewOperation(c.ID, c.Title, "write_to", "Writes to one person in private, as the bot.",
		tool.Object([]any{"handle", "text"}, with("handle", tool.Prop("string", "Whom, by their name there"))), id,
		tool.Keyed,
		s.direct)
	list := tool.NewOperation(c.ID, c.Title, "list_rooms", "Lists the rooms, and whether the bot is in them.",
		tool.Object(nil, map[string]any{}),
		tool.Result(map[string]any{"rooms": tool.ListOf(tool.Result(map[string]any{"name": tool.Prop("string", ""),
			"title": tool.Prop("string", ""), "member": tool.Prop("boolean", "")}), "")}), tool.Reads, s.list)
	read := tool.NewOperation(c.ID, c.Title, "read_thread", "Reads what was said in a thread, oldest first.",
		tool.Object([]any{"room", "thread"}, map[string]any{"room": room, "thread": tool.Prop("string", "")}),
		tool.Result(map[string]any{"messages": tool.ListOf(tool.Result(map[string]any{"id": tool.Prop("string", ""),
			"from": tool.Prop("string", ""), "text": tool.Prop("string", ""), "at": tool.Prop("string", "")}), "")}),
		tool.Reads, s.read)
	read.OpenWorld = true
	return []*tool.Operation{post, direct, list, read}, nil
}

// ask makes a request and reads its JSON answer into an expression's value.
func (s *chatServer) ask(ctx context.Context, method, path, key, kind string, body []byte) (any, error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, method, s.c.Address+path, bytes.NewReader(body))
	if err != nil {
		return nil, &tool.RefusedError{Message: err.Error()}
	}
	if kind != "" {
		request.Header.Set("Content-Type", kind)
	}
	if key != "" {
		request.Header.Set(tool.IdempotencyHeader, key)
	}
	response, err := s.client.Do(request)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", s.c.Title, err)
	}
	defer response.Body.Close()
	data, err := tool.Answered(s.c.Title, response)
	if err != nil {
		return nil, err
	}
	if len(bytes.TrimSpace(data)) == 0 {
		return map[string]any{}, nil
	}
	v, err := expr.DecodeJSON(data)
	if err != nil {
		return nil, &tool.HappenedError{Message: fmt.Sprintf("%s answered %d, with something that is not JSON: %v",
			s.c.Title, response.StatusCode, err)}
	}
	return v, nil
}

// upload brings a file to the server and gives its id there. A file that is
// named by its address stays one.
func (s *chatServer) upload(ctx context.Context, v any) (any, error) {
	if _, isAddress := v.(string); isAddress {
		return v, nil
	}
	c, err := s.kit.Load(ctx, v)
	if err != nil {
		return nil, err
	}
	got, err := s.ask(ctx, http.MethodPost, "/api/files?name="+url.QueryEscape(c.Name), "", c.Kind, c.Data)
	if err != nil {
		return nil, err
	}
	return got, nil
}

// write posts a message to a path.
func (s *chatServer) write(ctx context.Context, path string, args map[string]any, key string) (any, error) {
	message := map[string]any{"text": args["text"]}
	for _, name := range []string{"thread", "buttons", "layout", "as"} {
		if v, ok := args[name]; ok {
			message[name] = v
		}
	}
	for _, name := range []string{"picture", "file"} {
		v, ok := args[name]
		if !ok {
			continue
		}
		uploaded, err := s.upload(ctx, v)
		if err != nil {
			return nil, err
		}
		message[name] = uploaded
	}
	data, err := json.Marshal(message)
	if err != nil {
		return nil, &tool.RefusedError{Message: err.Error()}
	}
	return s.ask(ctx, http.MethodPost, path, key, "application/json", data)
}

// address joins what stands in an address as it is, at even places, with values
// from outside.
func address(parts ...string) (string, error) {
	var b strings.Builder
	for i, part := range parts {
		if i%2 == 1 {
			escaped, err := safepath.Escape(part)
			if err != nil {
				return "", &tool.RefusedError{Message: err.Error()}
			}
			part = escaped
		}
		b.WriteString(part)
	}
	return b.String(), nil
}

func (s *chatServer) post(ctx context.Context, args map[string]any, c tool.Sending) (any, error) {
	at, err := address("/api/rooms/", tool.Text(args, "room"), "/messages")
	if err != nil {
		return nil, err
	}
	return s.write(ctx, at, args, c.Key)
}

func (s *chatServer) direct(ctx context.Context, args map[string]any, c tool.Sending) (any, error) {
	at, err := address("/api/people/", tool.Text(args, "handle"), "/messages")
	if err != nil {
		return nil, err
	}
	return s.write(ctx, at, args, c.Key)
}

func (s *chatServer) list(ctx context.Context, _ map[string]any, _ tool.Sending) (any, error) {
	return s.ask(ctx, http.MethodGet, "/api/rooms", "", "", nil)
}

func (s *chatServer) read(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	at, err := address("/api/rooms/", tool.Text(args, "room"), "/threads/", tool.Text(args, "thread"))
	if err != nil {
		return nil, err
	}
	return s.ask(ctx, http.MethodGet, at, "", "", nil)
}

func (s *chatServer) rooms(ctx context.Context) ([]tool.Choice, error) {
	got, err := s.list(ctx, nil, tool.Sending{})
	if err != nil {
		return nil, err
	}
	var out []tool.Choice
	all, _ := got.(map[string]any)["rooms"].([]any)
	for _, r := range all {
		room, _ := r.(map[string]any)
		words := tool.Text(room, "title")
		if member, _ := room["member"].(bool); !member {
			words += " (the bot is not in it)"
		}
		out = append(out, tool.Choice{Value: tool.Text(room, "name"), Words: words})
	}
	return out, nil
}

// Nod marks a message with an emoji at once, so that whoever wrote it sees that it was
// taken in.
func Nod(ctx context.Context, k *tool.Kit, c *flow.Connection, message, emoji string) error {
	client, err := k.Client(c)
	if err != nil {
		return err
	}
	data, err := json.Marshal(map[string]string{"emoji": emoji})
	if err != nil {
		return err
	}
	at, err := address("/api/messages/", message, "/reactions")
	if err != nil {
		return err
	}
	_, err = (&chatServer{k, client, c}).ask(ctx, http.MethodPost, at, "", "application/json", data)
	return err
}

// try looks also whether the bot is where workflows want to speak.
func try(ctx context.Context, k *tool.Kit, w *flow.Workspace, tools tool.Catalogue, c *flow.Connection) tool.Verdict {
	op, ok := tools[c.ID+"/list_rooms"]
	if !ok {
		return k.TryAddress(ctx, c)
	}
	got, err := op.Call(ctx, map[string]any{}, tool.Sending{})
	if err != nil {
		return k.Trouble(c, err)
	}
	member := map[string]bool{}
	all, _ := got.(map[string]any)["rooms"].([]any)
	for _, r := range all {
		room, _ := r.(map[string]any)
		in, _ := room["member"].(bool)
		member[strings.ToLower(tool.Text(room, "name"))] = in
	}
	for _, one := range w.Workflows {
		for _, t := range one.Triggers {
			chat, is := t.Is.(*trigger.Chat)
			if !is || chat.Connection != c.ID || chat.Room == "" {
				continue
			}
			in, there := member[strings.ToLower(chat.Room)]
			switch {
			case !there:
				return tool.Unfit("Make the room, or correct the workflow "+one.ID+".",
					"Signed in, but there is no room %s, which %s listens to.", chat.Room, one.Title)
			case !in:
				return tool.Unfit("Invite the bot to the room "+chat.Room+".",
					"Signed in, but the bot is not in the room %s, which %s listens to.", chat.Room, one.Title)
			}
		}
	}
	return tool.Works("Signed in as the bot; there are %d rooms.", len(all))
}
