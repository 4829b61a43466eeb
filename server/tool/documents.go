package tool

import (
	"context"

	"woolsignal/server/document"
)

// Documents is the name of the tools that need no connection.
const Documents = "documents"

// documentOperations are tools over files alone.
func (k *Kit) documentOperations() []*Operation {
	return []*Operation{
		operation(Documents, "Documents", "read_text", "Reads the words of a file: PDF, office document, page or text.",
			object([]any{"file"}, map[string]any{"file": fileSchema("The file")}),
			result(map[string]any{"text": prop("string", "")}), reads,
			func(ctx context.Context, args map[string]any, _ Sending) (any, error) {
				c, err := k.load(ctx, args["file"])
				if err != nil {
					return nil, err
				}
				words, err := document.Text(c.kind, c.name, c.data)
				if err != nil {
					return nil, &RefusedError{Message: c.name + ": " + err.Error()}
				}
				return map[string]any{"text": words}, nil
			}),
		operation(Documents, "Documents", "make_file", "Makes a file of words.",
			object([]any{"name", "text"},
				map[string]any{"name": prop("string", "Its name, as in sheet.csv"),
					"text": prop("string", "Its words")}),
			fileResult(), reads, func(ctx context.Context, args map[string]any, _ Sending) (any, error) {
				return k.save(ctx, content{name: text(args, "name"), data: []byte(text(args, "text"))})
			}),
	}
}
