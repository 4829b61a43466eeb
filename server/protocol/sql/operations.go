package sql

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/protocol"
	"woolsignal/server/egress"
	"woolsignal/server/store"
	"woolsignal/server/tool"
)

// database is the tools of one SQL connection. Each call opens it anew: a
// database that is asked now and then is not worth a standing connection.
type database struct {
	kit *tool.Kit
	c   *flow.Connection
}

func operations(k *tool.Kit, _ *flow.Workspace, c *flow.Connection) ([]*tool.Operation, error) {
	d := &database{k, c}
	statement := tool.Prop("string",
		"One SQL statement; values stand in it as $1, $2 … and are never written into it",
		"minLength", 1.0)
	values := tool.ListOf(map[string]any{}, "The values, in order")
	row := map[string]any{"type": "object"}
	all := []*tool.Operation{tool.NewOperation(c.ID, c.Title, "query", "Reads rows with a SELECT.",
		tool.Object([]any{"sql"}, map[string]any{"sql": statement, "values": values,
			"most": tool.Prop("integer", "How many rows at most", "minimum", 1.0, "maximum", 5000.0)}),
		tool.Result(map[string]any{"rows": tool.ListOf(row, ""),
			"more": tool.Prop("boolean", "Whether there are further rows")}),
		tool.Reads, d.query)}
	if c.Is.(*protocol.SQL).Write {
		all = append(all, tool.NewOperation(c.ID, c.Title, "execute", "Changes rows with one statement.",
			tool.Object([]any{"sql"}, map[string]any{"sql": statement, "values": values}),
			tool.Result(map[string]any{"changed": tool.Prop("integer", "How many rows")}), tool.Sends, d.execute))
	}
	return all, nil
}

// errOwnFile keeps a connection from the service's own data.
var errOwnFile = &tool.RefusedError{Message: "this is the service's own database; a connection can never open it"}

// open opens the database for one call.
func (d *database) open(ctx context.Context, write bool) (*sql.DB, error) {
	if file, ok := strings.CutPrefix(d.c.Address, "sqlite:"); ok {
		return d.file(file, write)
	}
	config, err := pgx.ParseConfig(d.c.Address)
	if err != nil {
		return nil, &tool.RefusedError{Message: d.c.Title + ": the address cannot be read"}
	}
	config.User = d.c.Auth.User
	if d.c.Auth.Kind != "none" {
		if config.Password, err = d.kit.Key(d.c)(ctx, false); err != nil {
			return nil, fmt.Errorf("connection %s: %w", d.c.ID, err)
		}
	}
	config.DialFunc = func(ctx context.Context, network, address string) (net.Conn, error) {
		return egress.Dialer(d.c.Networks).DialContext(ctx, network, address)
	}
	// the dialer looks it up, and checks what it finds
	config.LookupFunc = func(_ context.Context, host string) ([]string, error) { return []string{host}, nil }
	config.ConnectTimeout = 10 * time.Second
	return stdlib.OpenDB(*config), nil
}

// file opens an SQLite file that is there, and is not ours.
func (d *database) file(name string, write bool) (*sql.DB, error) {
	name = strings.TrimPrefix(name, "//")
	info, err := os.Stat(name)
	if err != nil {
		return nil, &tool.RefusedError{Message: fmt.Sprintf("%s: there is no file %s", d.c.Title, name)}
	}
	if d.kit.Store() != nil {
		for _, own := range []string{"", "-wal", "-shm"} {
			if ours, err := os.Stat(d.kit.Store().Path() + own); err == nil && os.SameFile(info, ours) {
				return nil, errOwnFile
			}
		}
		if real, err := filepath.EvalSymlinks(name); err == nil && filepath.Base(real) == store.FileName {
			return nil, errOwnFile
		}
	}
	mode := "ro"
	if write {
		mode = "rw"
	}
	return sql.Open("sqlite", "file:"+(&url.URL{Path: name}).EscapedPath()+"?mode="+mode+
		"&_pragma=busy_timeout(5000)&_pragma=trusted_schema(0)")
}

// begin begins the one transaction of a call.
func (d *database) begin(ctx context.Context, write bool) (*sql.DB, *sql.Tx, error) {
	db, err := d.open(ctx, write)
	if err != nil {
		return nil, nil, err
	}
	tx, err := db.BeginTx(ctx, &sql.TxOptions{ReadOnly: !write && !strings.HasPrefix(d.c.Address, "sqlite:")})
	if err != nil {
		return nil, nil, errors.Join(&tool.NotSentError{Err: d.explain(err)}, db.Close())
	}
	return db, tx, nil
}

func (d *database) query(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	if err := single(tool.Text(args, "sql"), true); err != nil {
		return nil, err
	}
	db, tx, err := d.begin(ctx, false)
	if err != nil {
		return nil, err
	}
	defer db.Close()
	defer func() { _ = tx.Rollback() }() // it changed nothing
	values, _ := args["values"].([]any)
	rows, err := tx.QueryContext(ctx, tool.Text(args, "sql"), bound(values)...)
	if err != nil {
		return nil, d.explain(err)
	}
	defer rows.Close()
	out, more, err := collect(rows, tool.Whole(args, "most", 500))
	if err != nil {
		return nil, d.explain(err)
	}
	return map[string]any{"rows": out, "more": more}, nil
}

// collect reads rows as maps, at most so many.
func collect(rows *sql.Rows, most int) ([]any, bool, error) {
	names, err := rows.Columns()
	if err != nil {
		return nil, false, err
	}
	out := []any{}
	for rows.Next() {
		if len(out) == most {
			return out, true, nil
		}
		fields := make([]any, len(names))
		into := make([]any, len(names))
		for i := range fields {
			into[i] = &fields[i]
		}
		if err := rows.Scan(into...); err != nil {
			return nil, false, err
		}
		row := make(map[string]any, len(names))
		for i, name := range names {
			row[name] = plainValue(fields[i])
		}
		out = append(out, row)
	}
	return out, false, rows.Err()
}

// plainValue turns a column's value into one of JSON.
func plainValue(v any) any {
	switch v := v.(type) {
	case nil, bool, int64, float64, string:
		return v
	case []byte:
		return strings.ToValidUTF8(string(v), "�")
	case time.Time:
		return v.Format(time.RFC3339)
	}
	return fmt.Sprint(v)
}

// bound turns values into what drivers take: lists and maps as JSON.
func bound(values []any) []any {
	out := make([]any, len(values))
	for i, v := range values {
		switch v.(type) {
		case map[string]any, []any:
			out[i] = expr.Text(v)
		default:
			out[i] = v
		}
	}
	return out
}

func (d *database) execute(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	if err := single(tool.Text(args, "sql"), false); err != nil {
		return nil, err
	}
	db, tx, err := d.begin(ctx, true)
	if err != nil {
		return nil, err
	}
	defer db.Close()
	values, _ := args["values"].([]any)
	done, err := tx.ExecContext(ctx, tool.Text(args, "sql"), bound(values)...)
	if err != nil {
		_ = tx.Rollback() // the statement failed, so there is nothing to keep
		return nil, &tool.NotSentError{Err: d.explain(err)}
	}
	if err := tx.Commit(); err != nil {
		return nil, fmt.Errorf("%s: %w", d.c.Title, err) // it may have been kept
	}
	n, err := done.RowsAffected()
	if err != nil {
		n = 0
	}
	return map[string]any{"changed": n}, nil
}

// explain sorts an error: what the database objects to is a plain no.
func (d *database) explain(err error) error {
	var answer *pgconn.PgError
	if errors.As(err, &answer) {
		return &tool.RefusedError{Message: d.c.Title + ": " + answer.Message}
	}
	if strings.Contains(err.Error(), "SQL logic error") || strings.Contains(err.Error(), "constraint failed") ||
		strings.Contains(err.Error(), "readonly database") {
		return &tool.RefusedError{Message: d.c.Title + ": " + err.Error()}
	}
	return fmt.Errorf("%s: %w", d.c.Title, err)
}

// single insists on one statement, and for reading on one that reads. The
// transaction is read-only besides: this only makes the error plainer.
func single(statement string, reading bool) error {
	trimmed := strings.TrimRight(strings.TrimSpace(statement), "; \n\t")
	if strings.Contains(withoutQuotes(trimmed), ";") {
		return &tool.RefusedError{Message: "send one statement at a time"}
	}
	words := strings.Fields(trimmed)
	if len(words) == 0 {
		return &tool.RefusedError{Message: "the statement is empty"}
	}
	word := strings.ToUpper(words[0])
	if reading && word != "SELECT" && word != "WITH" && word != "VALUES" && word != "EXPLAIN" {
		return &tool.RefusedError{Message: "query only reads; " + word +
			" may change something. The connection's file allows changes with write: true"}
	}
	for _, forbidden := range []string{"ATTACH", "PRAGMA", "DETACH"} {
		if word == forbidden {
			return &tool.RefusedError{Message: forbidden +
				" is not allowed here: it would leave the connection's own database"}
		}
	}
	return nil
}

// withoutQuotes takes out what stands in quotes.
func withoutQuotes(statement string) string {
	var out strings.Builder
	var quote rune
	for _, r := range statement {
		switch {
		case quote == 0 && (r == '\'' || r == '"'):
			quote = r
		case r == quote:
			quote = 0
		case quote == 0:
			out.WriteRune(r)
		}
	}
	return out.String()
}
