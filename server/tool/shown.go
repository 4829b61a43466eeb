package tool

import (
	"context"

	"woolsignal/core/agent"
	"woolsignal/server/document"
)

// Bytes are those of a file that is shown to a model.
func (k *Kit) Bytes(ctx context.Context, f agent.File) ([]byte, error) {
	return k.store.Blob(ctx, f.Blob)
}

// Words are what a file says, read in a process of its own.
func (k *Kit) Words(ctx context.Context, f agent.File, data []byte) (string, error) {
	return document.Text(ctx, k.Confined, f.Type, f.Name, data)
}
