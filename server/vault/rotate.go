package vault

import (
	"context"
	"fmt"
	"os"

	"golang.org/x/crypto/chacha20poly1305"

	"woolsignal/server/store"
)

// nextFile is where a new key stands until everything is sealed with it.
const nextFile = KeyFile + ".next"

func (v *Vault) nextPath() string { return v.keyPath() + ".next" }

// RotateKey makes a new key and seals every secret with it, all at once. A
// service that stops in the middle finds both keys and goes on with the one
// that opens what is kept.
func (v *Vault) RotateKey(ctx context.Context) (secrets int, err error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	key, err := newKey(v.nextPath())
	if err != nil {
		return 0, fmt.Errorf("vault: %w", err)
	}
	next, err := chacha20poly1305.NewX(key)
	if err != nil {
		return 0, fmt.Errorf("vault: %w", err)
	}
	var b store.Batch
	for one, secret := range v.known {
		closed, err := sealed(next, secret, one.bound())
		if err != nil {
			return 0, err
		}
		keep(&b, one, closed)
	}
	if !b.Empty() {
		if err := v.store.Write(ctx, b); err != nil {
			// A disk that failed may yet keep what it said it had not. The new key
			// stays beside the old one, and the next start takes the one that opens.
			return 0, fmt.Errorf("vault: %w", err)
		}
	}
	v.seal = next
	if err := v.replaceKey(); err != nil {
		return 0, fmt.Errorf("vault: the secrets are sealed with the key in %s, which could not be put in the place "+
			"of %s; do it by hand: %w", nextFile, KeyFile, err)
	}
	return len(v.known), nil
}

// replaceKey puts the new key in the place of the old one, for good: the
// folder's own entry is on the disk before anybody relies on it.
func (v *Vault) replaceKey() error {
	if err := os.Rename(v.nextPath(), v.keyPath()); err != nil {
		return err
	}
	return syncFolder(v.folder)
}

// finishRotation goes on where a rotation was cut off. before is what the old
// key made of the secrets: nil where it opens them, so that nothing was
// sealed with the new one yet.
func (v *Vault) finishRotation(ctx context.Context, key []byte, before error) error {
	if before == nil {
		return os.Remove(v.nextPath())
	}
	next, err := chacha20poly1305.NewX(key)
	if err != nil {
		return before
	}
	v.seal = next
	if err := v.unseal(ctx); err != nil {
		return before
	}
	return v.replaceKey()
}
