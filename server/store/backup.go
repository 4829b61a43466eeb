package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
)

// Backup writes the whole database as it is at one moment into a file that
// does not exist yet. Writing goes on meanwhile.
func (s *Store) Backup(ctx context.Context, path string) error {
	db, err := sql.Open("sqlite", dsn(s.path, ""))
	if err != nil {
		return fmt.Errorf("store: %w", err)
	}
	defer db.Close()
	if _, err := db.ExecContext(ctx, "VACUUM INTO ?", path); err != nil {
		return fmt.Errorf("store: backup: %w", err)
	}
	return nil
}

// Restore puts a backup in place of a folder's database. What was there is
// kept beside it, and its name given; "" where nothing was. The folder's
// service must not be running. Nothing is changed where the backup is not
// sound or was made by another version.
func Restore(ctx context.Context, backup, folder string) (before string, err error) {
	if err := sound(ctx, backup); err != nil {
		return "", err
	}
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return "", fmt.Errorf("store: %w", err)
	}
	locked, err := lock(folder)
	if err != nil {
		return "", err
	}
	defer locked.Close()
	target := filepath.Join(folder, FileName)
	if err := copyFile(backup, target+".restoring"); err != nil {
		return "", fmt.Errorf("store: %w", err)
	}
	for n := 1; ; n++ {
		before = fmt.Sprintf("%s.before-restore-%d", target, n)
		if _, err := os.Stat(before); errors.Is(err, fs.ErrNotExist) {
			break
		}
	}
	was := before
	for _, suffix := range []string{"", "-wal", "-shm"} { // the others belong to the first
		err := os.Rename(target+suffix, before+suffix)
		if errors.Is(err, fs.ErrNotExist) {
			if suffix == "" {
				was = ""
			}
		} else if err != nil {
			return "", fmt.Errorf("store: %w", err)
		}
	}
	return was, os.Rename(target+".restoring", target)
}

// sound tells what is wrong with a backup.
func sound(ctx context.Context, path string) error {
	if _, err := os.Stat(path); err != nil {
		return fmt.Errorf("store: %w", err)
	}
	db, err := sql.Open("sqlite", "file:"+path+"?mode=ro&immutable=1")
	if err != nil {
		return fmt.Errorf("store: %w", err)
	}
	defer db.Close()
	var verdict string
	if err := db.QueryRowContext(ctx, "PRAGMA quick_check(1)").Scan(&verdict); err != nil || verdict != "ok" {
		return fmt.Errorf("%s is no sound backup: %s", path, orErr(verdict, err))
	}
	var found, tables int
	if err := db.QueryRowContext(ctx,
		"SELECT count(*) FROM sqlite_schema WHERE name IN ('runs', 'journal')").Scan(&tables); err != nil ||
		tables != 2 {
		return fmt.Errorf("%s is a database, but not one of Wool Signal", path)
	}
	if err := db.QueryRowContext(ctx, "PRAGMA user_version").Scan(&found); err != nil {
		return fmt.Errorf("store: %w", err)
	}
	if found != version {
		return fmt.Errorf("%s was made by another version of Wool Signal (form %d, this one reads form %d); restore "+
			"it with that one", path, found, version)
	}
	return nil
}

func orErr(verdict string, err error) string {
	if err != nil {
		return err.Error()
	}
	return verdict
}

func copyFile(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	if _, err := io.Copy(out, in); err != nil {
		return errors.Join(err, out.Close())
	}
	return errors.Join(out.Sync(), out.Close())
}
