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
	"slices"
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
	address, err := secured(d.c)
	if err != nil {
		return nil, err
	}
	config, err := pgx.ParseConfig(address)
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

// call is one call's connection and its one transaction.
type call struct {
	db    *sql.DB
	conn  *sql.Conn
	tx    *sql.Tx
	guard *guard // nil where the database is no SQLite file
}

// begin begins the one transaction of a call. What a statement may do is
// decided by the database itself: PostgreSQL takes one statement in a
// transaction that only reads, SQLite asks the guard.
func (d *database) begin(ctx context.Context, write bool) (_ *call, err error) {
	db, err := d.open(ctx, write)
	if err != nil {
		return nil, err
	}
	c := &call{db: db}
	defer func() {
		if err != nil {
			err = errors.Join(err, c.close())
		}
	}()
	if c.conn, err = db.Conn(ctx); err != nil {
		return nil, &tool.NotSentError{Err: d.explain(err)}
	}
	file := strings.HasPrefix(d.c.Address, "sqlite:")
	if file {
		c.guard = &guard{write: write}
		c.guard.between.Store(true)
		if err = c.guard.put(ctx, c.conn); err != nil {
			return nil, &tool.NotSentError{Err: d.explain(err)}
		}
	}
	if c.tx, err = c.conn.BeginTx(ctx, &sql.TxOptions{ReadOnly: !write && !file}); err != nil {
		return nil, &tool.NotSentError{Err: d.explain(err)}
	}
	if file {
		c.guard.between.Store(false)
	}
	return c, nil
}

// end ends the transaction by commit or rollback.
func (c *call) end(how func() error) error {
	if c.guard != nil {
		c.guard.between.Store(true)
	}
	return how()
}

// close gives the connection back; a transaction that is open is rolled back.
func (c *call) close() error {
	var all []error
	if c.tx != nil {
		if err := c.end(c.tx.Rollback); err != nil && !errors.Is(err, sql.ErrTxDone) {
			all = append(all, err)
		}
	}
	if c.conn != nil {
		all = append(all, c.conn.Close())
	}
	return errors.Join(append(all, c.db.Close())...)
}

func (d *database) query(ctx context.Context, args map[string]any, _ tool.Sending) (any, error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	c, err := d.begin(ctx, false)
	if err != nil {
		return nil, err
	}
	defer c.close() // it changed nothing
	values, _ := args["values"].([]any)
	rows, err := c.tx.QueryContext(ctx, tool.Text(args, "sql"), bound(values)...)
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

// mostRead bounds how much text one call reads, in bytes.
const mostRead = 8 << 20

// collect reads rows as maps, at most so many.
func collect(rows *sql.Rows, most int) ([]any, bool, error) {
	names, err := rows.Columns()
	if err != nil {
		return nil, false, err
	}
	out, size := []any{}, 0
	for rows.Next() {
		if len(out) == most || size > mostRead {
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
			if text, is := row[name].(string); is {
				size += len(text)
			}
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
	c, err := d.begin(ctx, true)
	if err != nil {
		return nil, err
	}
	defer c.close()
	values, _ := args["values"].([]any)
	done, err := c.tx.ExecContext(ctx, tool.Text(args, "sql"), bound(values)...)
	if err != nil {
		return nil, &tool.NotSentError{Err: d.explain(err)}
	}
	if err := c.end(c.tx.Commit); err != nil {
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
	said := func(words ...string) bool {
		return slices.ContainsFunc(words, func(w string) bool { return strings.Contains(err.Error(), w) })
	}
	if said("not authorized", "prohibited") {
		return &tool.RefusedError{Message: d.c.Title + ": the statement does more than it may here. query only " +
			"reads, execute changes this database's rows, and neither leads out of it (" + err.Error() + ")"}
	}
	if said("SQL logic error", "too big", "constraint failed", "readonly database") {
		return &tool.RefusedError{Message: d.c.Title + ": " + err.Error()}
	}
	return fmt.Errorf("%s: %w", d.c.Title, err)
}
