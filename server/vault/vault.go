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
	"os"
	"path/filepath"
	"strings"
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
	seal  cipher.AEAD
	store *store.Store

	mu    sync.RWMutex
	known map[string]string // by connection
}

// Open reads the key, or makes one for a new folder, and unseals what is kept.
func Open(ctx context.Context, folder string, s *store.Store) (*Vault, error) {
	path := filepath.Join(folder, KeyFile)
	key, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		key = make([]byte, chacha20poly1305.KeySize)
		if _, err := rand.Read(key); err != nil {
			return nil, fmt.Errorf("vault: %w", err)
		}
		err = os.WriteFile(path, key, 0o600)
	}
	if err != nil {
		return nil, fmt.Errorf("vault: %w", err)
	}
	seal, err := chacha20poly1305.NewX(key)
	if err != nil {
		return nil, fmt.Errorf("vault: %s is not a key: %w", path, err)
	}
	v := &Vault{seal: seal, store: s, known: map[string]string{}}
	rows, err := s.Read().QueryContext(ctx, "SELECT connection, sealed FROM secrets")
	if err != nil {
		return nil, fmt.Errorf("vault: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var connection string
		var sealed []byte
		if err := rows.Scan(&connection, &sealed); err != nil {
			return nil, fmt.Errorf("vault: %w", err)
		}
		if len(sealed) < seal.NonceSize() {
			return nil, fmt.Errorf("vault: the secret of %s is damaged", connection)
		}
		plain, err := seal.Open(nil, sealed[:seal.NonceSize()], sealed[seal.NonceSize():], []byte(connection))
		if err != nil {
			return nil, fmt.Errorf("vault: the secret of %s was sealed with another key than %s; put the right key file back", connection, path)
		}
		v.known[connection] = string(plain)
	}
	return v, rows.Err()
}

// Put seals a secret, in place of any before it.
func (v *Vault) Put(ctx context.Context, connection, secret string) error {
	nonce := make([]byte, v.seal.NonceSize())
	if _, err := rand.Read(nonce); err != nil {
		return fmt.Errorf("vault: %w", err)
	}
	sealed := v.seal.Seal(nonce, nonce, []byte(secret), []byte(connection))
	var b store.Batch
	b.Do("INSERT INTO secrets (connection, sealed, changed) VALUES (?, ?, ?) ON CONFLICT (connection) DO UPDATE SET sealed = excluded.sealed, changed = excluded.changed",
		connection, sealed, store.Time(time.Now()))
	if err := v.store.Write(ctx, b); err != nil {
		return fmt.Errorf("vault: %w", err)
	}
	v.mu.Lock()
	defer v.mu.Unlock()
	v.known[connection] = secret
	return nil
}

// Get gives a secret to whoever talks to the connection's host. The error is
// [ErrNoSecret] where there is none.
func (v *Vault) Get(connection string) (string, error) {
	v.mu.RLock()
	defer v.mu.RUnlock()
	secret, ok := v.known[connection]
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

// shortest is how long a secret must be to be masked: shorter ones would
// blot out ordinary words.
const shortest = 6

// Mask hides every secret the vault holds in a text.
func (v *Vault) Mask(text string) string {
	v.mu.RLock()
	defer v.mu.RUnlock()
	for _, secret := range v.known {
		if len(secret) >= shortest && strings.Contains(text, secret) {
			text = strings.ReplaceAll(text, secret, "••••••")
		}
	}
	return text
}

// MaskValue hides every secret in the texts of a JSON value, in place.
func (v *Vault) MaskValue(value any) any {
	switch x := value.(type) {
	case string:
		return v.Mask(x)
	case []any:
		for i := range x {
			x[i] = v.MaskValue(x[i])
		}
	case map[string]any:
		for k, item := range x {
			x[k] = v.MaskValue(item)
		}
	}
	return value
}
