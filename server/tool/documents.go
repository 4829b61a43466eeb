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
		NewOperation(Documents, "Documents", "read_text",
			"Reads the words of a file: PDF, office document, page or text.",
			Object([]any{"file"}, map[string]any{"file": FileSchema("The file")}),
			Result(map[string]any{"text": Prop("string", "")}), Reads,
			func(ctx context.Context, args map[string]any, _ Sending) (any, error) {
				c, err := k.Load(ctx, args["file"])
				if err != nil {
					return nil, err
				}
				words, err := document.Text(ctx, k.Confined, c.Kind, c.Name, c.Data)
				if err != nil {
					return nil, &RefusedError{Message: c.Name + ": " + err.Error()}
				}
				return map[string]any{"text": words}, nil
			}),
		NewOperation(Documents, "Documents", "make_file", "Makes a file of words.",
			Object([]any{"name", "text"},
				map[string]any{"name": Prop("string", "Its name, as in sheet.csv"),
					"text": Prop("string", "Its words")}),
			FileResult(), Reads, func(ctx context.Context, args map[string]any, _ Sending) (any, error) {
				return k.Save(ctx, Content{Name: Text(args, "name"), Data: []byte(Text(args, "text"))})
			}),
	}
}
