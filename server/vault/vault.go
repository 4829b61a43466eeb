// Package vault seals the secrets of connections.
//
// A secret is sealed with XChaCha20-Poly1305 under a key that lives in a file
// beside the database, never in it, and bound to its connection's id and the
// place it was given for: whoever changes where a connection leads has no
// secret there. No route returns a secret; only the client that talks to that
// place takes it out, and Mask hides it wherever it would echo.
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
	"slices"
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
	folder string
	seal   cipher.AEAD
	store  *store.Store

	mu    sync.RWMutex // guards what follows, and the seal while the key is replaced
	known map[kept]string
	blots mask // hides what is known
}

// kept is what a secret is kept by: the name of what it belongs to, and where it may be
// sent.
type kept struct{ name, place string }

// bound is what the seal is bound to.
func (k kept) bound() string { return k.name + "\x00" + k.place }

// MovedError says that there are secrets of the name, given for other places.
type MovedError struct {
	Name   string
	Place  string   // for which there is none
	Others []string // for which there is one
}

func (e *MovedError) Error() string {
	return fmt.Sprintf("the secret of %s was given for %s, and is not sent to %s", e.Name,
		strings.Join(e.Others, ", and for "), e.Place)
}

// Unwrap has it be a missing secret.
func (e *MovedError) Unwrap() error { return ErrNoSecret }

// Open reads the key, or makes one for a new folder, and unseals what is kept.
func Open(ctx context.Context, folder string, s *store.Store) (*Vault, error) {
	v := &Vault{store: s, folder: folder, known: map[kept]string{}, blots: blots(nil)}
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
	rows, err := v.store.Read().QueryContext(ctx, "SELECT connection, place, sealed FROM secrets")
	if err != nil {
		return fmt.Errorf("vault: %w", err)
	}
	defer rows.Close()
	known := map[kept]string{}
	for rows.Next() {
		var one kept
		var sealed []byte
		if err := rows.Scan(&one.name, &one.place, &sealed); err != nil {
			return fmt.Errorf("vault: %w", err)
		}
		plain, err := v.open(sealed, one.bound())
		if err != nil {
			return fmt.Errorf("vault: the secret of %s was sealed with another key than %s, or is damaged; put the "+
				"right key file back", one.name, v.keyPath())
		}
		known[one] = string(plain)
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

// Put seals a secret for a place, in place of any before it there. Its name is a
// connection's id; tokens that belong to a connection have names that begin with it.
// place is [flow.Connection.SecretFor] or a place like it.
func (v *Vault) Put(ctx context.Context, name, place, secret string) error {
	return v.PutAll(ctx, map[string]string{name: secret}, place, store.Batch{})
}

// mostPlaces is how many places a name has a secret for: more are there only where
// somebody goes on moving it, and the oldest goes.
const mostPlaces = 4

// PutAll seals secrets that belong together for a place, all or none of them, with what
// else is written with them.
func (v *Vault) PutAll(ctx context.Context, secrets map[string]string, place string, with store.Batch) error {
	v.mu.Lock()
	defer v.mu.Unlock()
	next := maps.Clone(v.known)
	for name, secret := range secrets {
		one := kept{name, place}
		closed, err := sealed(v.seal, secret, one.bound())
		if err != nil {
			return err
		}
		old, err := v.oldest(ctx, one)
		if err != nil {
			return err
		}
		if old != nil {
			with.Do("DELETE FROM secrets WHERE connection = ? AND place = ?", old.name, old.place)
			delete(next, *old)
		}
		keep(&with, one, closed)
		next[one] = secret
	}
	if err := v.store.Write(ctx, with); err != nil {
		return fmt.Errorf("vault: %w", err)
	}
	v.known, v.blots = next, blots(next)
	return nil
}

// oldest is the place whose secret goes where one more comes; nil where there is room.
func (v *Vault) oldest(ctx context.Context, more kept) (*kept, error) {
	if _, there := v.known[more]; there || len(v.places(more.name)) < mostPlaces {
		return nil, nil
	}
	old := kept{name: more.name}
	err := v.store.Read().QueryRowContext(ctx, "SELECT place FROM secrets WHERE connection = ? ORDER BY changed, "+
		"place LIMIT 1", more.name).Scan(&old.place)
	if err != nil {
		return nil, fmt.Errorf("vault: %w", err)
	}
	return &old, nil
}

func keep(b *store.Batch, one kept, closed []byte) {
	b.Do("INSERT INTO secrets (connection, place, sealed, changed) VALUES (?, ?, ?, ?) ON CONFLICT (connection, "+
		"place) DO UPDATE SET sealed = excluded.sealed, changed = excluded.changed",
		one.name, one.place, closed, store.Time(time.Now()))
}

// Drop forgets a secret, wherever it was given for.
func (v *Vault) Drop(ctx context.Context, name string) error {
	v.mu.Lock()
	defer v.mu.Unlock()
	var b store.Batch
	b.Do("DELETE FROM secrets WHERE connection = ?", name)
	if err := v.store.Write(ctx, b); err != nil {
		return fmt.Errorf("vault: %w", err)
	}
	maps.DeleteFunc(v.known, func(one kept, _ string) bool { return one.name == name })
	v.blots = blots(v.known)
	return nil
}

// Get gives the secret to be sent to a place. The error is [ErrNoSecret] where there is
// none, a *[MovedError] where there are some for other places.
func (v *Vault) Get(name, place string) (string, error) {
	v.mu.RLock()
	defer v.mu.RUnlock()
	if secret, ok := v.known[kept{name, place}]; ok {
		return secret, nil
	}
	if others := v.places(name); len(others) > 0 {
		return "", &MovedError{name, place, others}
	}
	return "", ErrNoSecret
}

// Has tells whether there is a secret of the name for a place.
func (v *Vault) Has(name, place string) bool {
	_, err := v.Get(name, place)
	return err == nil
}

// places are those a name has a secret for.
func (v *Vault) places(name string) []string {
	var out []string
	for one := range v.known {
		if one.name == name {
			out = append(out, one.place)
		}
	}
	slices.Sort(out)
	return out
}
