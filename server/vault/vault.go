// Package vault seals the secrets of connections.
//
// A secret is sealed with XChaCha20-Poly1305 under a key that lives in a file
// beside the database, never in it, and bound to its connection's id. No route
// returns a secret; only the client that talks to the connection's own host
// takes it out, and Mask hides it wherever it would echo.
package vault

import (
	"context"
	"crypto/cipher"
	"crypto/rand"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"sync"
	"time"

	"golang.org/x/crypto/chacha20poly1305"

	"woolsignal/server/store"
)

// KeyFile is the name of the key's file inside the data folder.
const KeyFile = "vault.key"

// ErrNoSecret says that a connection has no secret yet.
var ErrNoSecret = errors.New("no secret is kept for this connection")

// Vault opens and seals.
type Vault struct {
	folder string
	seal   cipher.AEAD
	store  *store.Store

	mu    sync.RWMutex      // guards what follows, and the seal while the key is replaced
	known map[string]string // by name
	blots mask              // hides what is known
}

// Open reads the key, or makes one for a new folder, and unseals what is kept.
func Open(ctx context.Context, folder string, s *store.Store) (*Vault, error) {
	v := &Vault{store: s, folder: folder, known: map[string]string{}, blots: blots(nil)}
	key, err := os.ReadFile(v.keyPath())
	if err == nil {
		err = os.Chmod(v.keyPath(), 0o600) // it may have been copied here otherwise
	}
	if errors.Is(err, fs.ErrNotExist) {
		key, err = newKey(v.keyPath())
	}
	if err != nil {
		return nil, fmt.Errorf("vault: %w", err)
	}
	if v.seal, err = chacha20poly1305.NewX(key); err != nil {
		return nil, fmt.Errorf("vault: %s is not a key: %w", v.keyPath(), err)
	}
	err = v.unseal(ctx)
	if next, readable := os.ReadFile(v.nextPath()); readable == nil {
		err = v.finishRotation(ctx, next, err) // it was being replaced when the service stopped
	}
	return v, err
}

func (v *Vault) keyPath() string { return filepath.Join(v.folder, KeyFile) }

// newKey makes a key and writes it to a file only its owner can read.
func newKey(path string) ([]byte, error) {
	key := make([]byte, chacha20poly1305.KeySize)
	if _, err := rand.Read(key); err != nil {
		return nil, err
	}
	file, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
	if err != nil {
		return nil, err
	}
	_, err = file.Write(key)
	return key, errors.Join(err, file.Sync(), file.Close(), syncFolder(filepath.Dir(path)))
}

// syncFolder makes the entries of a folder durable, beside what the files
// themselves hold.
func syncFolder(path string) error {
	folder, err := os.Open(path)
	if err != nil {
		return err
	}
	return errors.Join(folder.Sync(), folder.Close())
}

// unseal reads every secret that is kept.
func (v *Vault) unseal(ctx context.Context) error {
	rows, err := v.store.Read().QueryContext(ctx, "SELECT connection, sealed FROM secrets")
	if err != nil {
		return fmt.Errorf("vault: %w", err)
	}
	defer rows.Close()
	known := map[string]string{}
	for rows.Next() {
		var name string
		var sealed []byte
		if err := rows.Scan(&name, &sealed); err != nil {
			return fmt.Errorf("vault: %w", err)
		}
		plain, err := v.open(sealed, name)
		if err != nil {
			return fmt.Errorf("vault: the secret of %s was sealed with another key than %s, or is damaged; put the "+
				"right key file back", name, v.keyPath())
		}
		known[name] = string(plain)
	}
	v.known, v.blots = known, blots(known)
	return rows.Err()
}

func (v *Vault) open(sealed []byte, name string) ([]byte, error) {
	n := v.seal.NonceSize()
	if len(sealed) < n {
		return nil, errors.New("vault: a sealed text is damaged")
	}
	return v.seal.Open(nil, sealed[:n], sealed[n:], []byte(name))
}

// sealed closes a text, bound to a name.
func sealed(seal cipher.AEAD, text, name string) ([]byte, error) {
	nonce := make([]byte, seal.NonceSize())
	if _, err := rand.Read(nonce); err != nil {
		return nil, fmt.Errorf("vault: %w", err)
	}
	return seal.Seal(nonce, nonce, []byte(text), []byte(name)), nil
}

// Seal closes a text that is kept elsewhere, bound to a name.
func (v *Vault) Seal(text, name string) ([]byte, error) {
	v.mu.RLock()
	defer v.mu.RUnlock()
	return sealed(v.seal, text, name)
}

// Unseal opens what Seal closed under the same name.
func (v *Vault) Unseal(closed []byte, name string) (string, error) {
	v.mu.RLock()
	defer v.mu.RUnlock()
	plain, err := v.open(closed, name)
	return string(plain), err
}

// Put seals a secret, in place of any before it. Its name is a connection's
// id; tokens that belong to a connection have names that begin with it.
func (v *Vault) Put(ctx context.Context, name, secret string) error {
	return v.PutAll(ctx, map[string]string{name: secret}, store.Batch{})
}

// PutAll seals secrets that belong together, all or none of them, with what
// else is written with them.
func (v *Vault) PutAll(ctx context.Context, secrets map[string]string, with store.Batch) error {
	v.mu.Lock()
	defer v.mu.Unlock()
	for name, secret := range secrets {
		closed, err := sealed(v.seal, secret, name)
		if err != nil {
			return err
		}
		keep(&with, name, closed)
	}
	if err := v.store.Write(ctx, with); err != nil {
		return fmt.Errorf("vault: %w", err)
	}
	maps.Copy(v.known, secrets)
	v.blots = blots(v.known)
	return nil
}

func keep(b *store.Batch, name string, closed []byte) {
	b.Do("INSERT INTO secrets (connection, sealed, changed) VALUES (?, ?, ?) ON CONFLICT (connection) DO UPDATE SET "+
		"sealed = excluded.sealed, changed = excluded.changed",
		name, closed, store.Time(time.Now()))
}

// Drop forgets a secret.
func (v *Vault) Drop(ctx context.Context, name string) error {
	v.mu.Lock()
	defer v.mu.Unlock()
	var b store.Batch
	b.Do("DELETE FROM secrets WHERE connection = ?", name)
	if err := v.store.Write(ctx, b); err != nil {
		return fmt.Errorf("vault: %w", err)
	}
	delete(v.known, name)
	v.blots = blots(v.known)
	return nil
}

// Get gives a secret to whoever talks to the connection's host. The error is
// [ErrNoSecret] where there is none.
func (v *Vault) Get(name string) (string, error) {
	v.mu.RLock()
	defer v.mu.RUnlock()
	secret, ok := v.known[name]
	if !ok {
		return "", ErrNoSecret
	}
	return secret, nil
}

// Has tells whether a connection has a secret.
func (v *Vault) Has(connection string) bool {
	_, err := v.Get(connection)
	return err == nil
}
