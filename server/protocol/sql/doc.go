// Package sql speaks with PostgreSQL and SQLite databases.
package sql

import "woolsignal/server/tool"

func init() {
	tool.Register("sql", tool.Protocol{Operations: operations,
		Try: tool.Trying("query", map[string]any{"sql": "SELECT 1"}, "Connected; it answers queries.")})
}
