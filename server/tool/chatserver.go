package tool

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// chatServer speaks to a team's chat server (docs/chat-server.md).
type chatServer struct {
	kit    *Kit
	client *http.Client
	c      *flow.Connection
}

func (k *Kit) chatOperations(_ *flow.Workspace, c *flow.Connection, client *http.Client) ([]*Operation, error) {
	s := &chatServer{k, client, c}
	room := prop("string", "The room's name")
	id := result(map[string]any{"id": prop("string", ""), "thread": prop("string", "")})
	words := map[string]any{"text": prop("string", "What to say", "maxLength", 8000.0),
		"picture": map[string]any{"description": "A file, or the address of a picture"},
		"file":    fileSchema("A file to attach"),
		"buttons": listOf(prop("string", ""), "Short answers to choose from"),
		"layout":  listOf(map[string]any{"type": "object"}, "Blocks of heading, text, facts"),
		"thread":  prop("string", "The conversation it belongs to; a new one where it is missing")}
	with := func(name string, p map[string]any) map[string]any {
		all := map[string]any{name: p}
		for k, v := range words {
			all[k] = v
		}
		return all
	}
	post := operation(c.ID, c.Title, "post_message", "Writes in a room, as the bot.",
		object([]any{"room", "text"}, with("room", room)), id, keyed, s.post)
	post.Choices = map[string]func(context.Context) ([]Choice, error){"room": s.rooms}
	direct := operation(c.ID, c.Title, "write_to", "Writes to one person in private, as the bot.",
		object([]any{"handle", "text"}, with("handle", prop("string", "Whom, by their name there"))), id, keyed,
		s.direct)
	list := operation(c.ID, c.Title, "list_rooms", "Lists the rooms, and whether the bot is in them.",
		object(nil, map[string]any{}),
		result(map[string]any{"rooms": listOf(result(map[string]any{"name": prop("string", ""),
			"title": prop("string", ""), "member": prop("boolean", "")}), "")}), reads, s.list)
	read := operation(c.ID, c.Title, "read_thread", "Reads what was said in a thread, oldest first.",
		object([]any{"room", "thread"}, map[string]any{"room": room, "thread": prop("string", "")}),
		result(map[string]any{"messages": listOf(result(map[string]any{"id": prop("string", ""),
			"from": prop("string", ""), "text": prop("string", ""), "at": prop("string", "")}), "")}), reads, s.read)
	read.OpenWorld = true
	return []*Operation{post, direct, list, read}, nil
}

// ask makes a request and reads its JSON answer into an expression's value.
func (s *chatServer) ask(ctx context.Context, method, path, key, kind string, body []byte) (any, error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, method, s.c.Address+path, bytes.NewReader(body))
	if err != nil {
		return nil, &RefusedError{Message: err.Error()}
	}
	if kind != "" {
		request.Header.Set("Content-Type", kind)
	}
	if key != "" {
		request.Header.Set(idempotencyHeader, key)
	}
	response, err := s.client.Do(request)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", s.c.Title, err)
	}
	defer response.Body.Close()
	data, err := answered(s.c.Title, response)
	if err != nil {
		return nil, err
	}
	if len(bytes.TrimSpace(data)) == 0 {
		return map[string]any{}, nil
	}
	v, err := expr.DecodeJSON(data)
	if err != nil {
		return nil, &HappenedError{Message: fmt.Sprintf("%s answered %d, with something that is not JSON: %v",
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
	c, err := s.kit.load(ctx, v)
	if err != nil {
		return nil, err
	}
	got, err := s.ask(ctx, http.MethodPost, "/api/files?name="+url.QueryEscape(c.name), "", c.kind, c.data)
	if err != nil {
		return nil, err
	}
	return got, nil
}

// write posts a message to a path.
func (s *chatServer) write(ctx context.Context, path string, args map[string]any, key string) (any, error) {
	message := map[string]any{"text": args["text"]}
	for _, name := range []string{"thread", "buttons", "layout"} {
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
		return nil, &RefusedError{Message: err.Error()}
	}
	return s.ask(ctx, http.MethodPost, path, key, "application/json", data)
}

func (s *chatServer) post(ctx context.Context, args map[string]any, c Sending) (any, error) {
	return s.write(ctx, "/api/rooms/"+url.PathEscape(text(args, "room"))+"/messages", args, c.Key)
}

func (s *chatServer) direct(ctx context.Context, args map[string]any, c Sending) (any, error) {
	return s.write(ctx, "/api/people/"+url.PathEscape(text(args, "handle"))+"/messages", args, c.Key)
}

func (s *chatServer) list(ctx context.Context, _ map[string]any, _ Sending) (any, error) {
	return s.ask(ctx, http.MethodGet, "/api/rooms", "", "", nil)
}

func (s *chatServer) read(ctx context.Context, args map[string]any, _ Sending) (any, error) {
	return s.ask(ctx, http.MethodGet, "/api/rooms/"+url.PathEscape(text(args, "room"))+"/threads/"+
		url.PathEscape(text(args, "thread")), "", "", nil)
}

func (s *chatServer) rooms(ctx context.Context) ([]Choice, error) {
	got, err := s.list(ctx, nil, Sending{})
	if err != nil {
		return nil, err
	}
	var out []Choice
	all, _ := got.(map[string]any)["rooms"].([]any)
	for _, r := range all {
		room, _ := r.(map[string]any)
		words := text(room, "title")
		if member, _ := room["member"].(bool); !member {
			words += " (the bot is not in it)"
		}
		out = append(out, Choice{text(room, "name"), words})
	}
	return out, nil
}

// React marks a message at once, so that whoever wrote it sees that it was
// taken in.
func (k *Kit) React(ctx context.Context, c *flow.Connection, message, name string) error {
	client, err := k.Client(c)
	if err != nil {
		return err
	}
	data, err := json.Marshal(map[string]string{"name": name})
	if err != nil {
		return err
	}
	_, err = (&chatServer{k, client, c}).ask(ctx, http.MethodPost, "/api/messages/"+url.PathEscape(message)+
		"/reactions", "", "application/json", data)
	return err
}
