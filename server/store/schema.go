package store

import (
	"context"
	"database/sql"
	_ "embed"
	"fmt"
)

//go:embed schema.sql
var schema string

// version numbers the schema, and with it the form of all that is kept in it.
const version = 25

// prepare makes the tables of a new database, and refuses one that another
// version wrote rather than guessing at it.
func prepare(ctx context.Context, db *sql.DB) error {
	var found, tables int
	if err := db.QueryRowContext(ctx, "PRAGMA user_version").Scan(&found); err != nil {
		return err
	}
	if err := db.QueryRowContext(ctx, "SELECT count(*) FROM sqlite_master").Scan(&tables); err != nil {
		return err
	}
	switch {
	case found == version:
		return nil
	case found > version:
		return fmt.Errorf("this data is of form %d, written by a later version of Wool Signal; this one knows form "+
			"%d. Start the later version, or restore a backup", found, version)
	case tables > 0:
		return fmt.Errorf("this data is of form %d, written by an earlier version of Wool Signal that was never "+
			"released; this one reads form %d alone. Start with another data folder; `woolsignal export` of the "+
			"version that wrote it gives the workspace's files", found, version)
	}
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, schema+fmt.Sprintf("\nPRAGMA user_version = %d;", version)); err != nil {
		_ = tx.Rollback()
		return fmt.Errorf("schema.sql: %w", err)
	}
	return tx.Commit()
}
