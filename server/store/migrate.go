package store

import (
	"context"
	"database/sql"
	"embed"
	"fmt"
	"io/fs"
	"slices"
)

//go:embed migrations/*.sql
var migrations embed.FS

// migrate brings the database to this version's schema, one numbered file at
// a time. A database of a later version is refused rather than guessed at.
func migrate(ctx context.Context, db *sql.DB) error {
	files, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil {
		return err
	}
	slices.Sort(files)
	var version int
	if err := db.QueryRowContext(ctx, "PRAGMA user_version").Scan(&version); err != nil {
		return err
	}
	if version > len(files) {
		return fmt.Errorf("this data is of schema %d, written by a later version of Wool Signal; this one knows up to %d. Start the later version, or restore a backup", version, len(files))
	}
	for i := version; i < len(files); i++ {
		text, err := migrations.ReadFile(files[i])
		if err != nil {
			return err
		}
		tx, err := db.BeginTx(ctx, nil)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, string(text)+fmt.Sprintf("\nPRAGMA user_version = %d;", i+1)); err != nil {
			_ = tx.Rollback()
			return fmt.Errorf("%s: %w", files[i], err)
		}
		if err := tx.Commit(); err != nil {
			return err
		}
	}
	return nil
}
