package sql

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"sync/atomic"

	"modernc.org/sqlite"
	lib "modernc.org/sqlite/lib"
)

// longestCell bounds one value of an SQLite database, in bytes, whoever makes
// it: a statement may ask for a text of a gigabyte.
const longestCell = 16 << 20

// guard is what SQLite asks before it compiles any part of a statement
// (sqlite3_set_authorizer). It stands on one connection alone: the service's
// own database is another one of the same driver.
type guard struct {
	write   bool
	between atomic.Bool // the statement has ended, and the transaction is ended by us
}

// put makes the guard stand on a connection.
func (g *guard) put(ctx context.Context, conn *sql.Conn) error {
	if _, err := sqlite.Limit(conn, lib.SQLITE_LIMIT_LENGTH, longestCell); err != nil {
		return fmt.Errorf("sql: %w", err)
	}
	if !g.write {
		if _, err := conn.ExecContext(ctx, "PRAGMA query_only = 1"); err != nil {
			return fmt.Errorf("sql: %w", err)
		}
	}
	return conn.Raw(func(driver any) error {
		registers, ok := driver.(sqlite.AuthorizerRegisterer)
		if !ok {
			return errors.New("sql: this driver of SQLite takes no authorizer")
		}
		return registers.RegisterAuthorizer(g.allows)
	})
}

// allows says what a statement may do: with the connection's own database what
// is written in its file, and nothing that leads out of it.
func (g *guard) allows(action sqlite.AuthorizerActionCode, arg1, arg2, _, _ string) sqlite.AuthorizerReturnCode {
	switch action {
	case sqlite.AuthSelect, sqlite.AuthRead, sqlite.AuthRecursive:
		return sqlite.AuthorizerOK
	case sqlite.AuthFunction:
		if arg2 == "load_extension" {
			return sqlite.AuthorizerDeny
		}
		return sqlite.AuthorizerOK
	case sqlite.AuthTransaction, sqlite.AuthSavepoint:
		if g.between.Load() {
			return sqlite.AuthorizerOK
		}
		return sqlite.AuthorizerDeny
	case sqlite.AuthAttach, sqlite.AuthDetach, sqlite.AuthPragma, sqlite.AuthCreateVTable, sqlite.AuthDropVTable:
		return sqlite.AuthorizerDeny
	}
	if g.write {
		return sqlite.AuthorizerOK
	}
	return sqlite.AuthorizerDeny
}
