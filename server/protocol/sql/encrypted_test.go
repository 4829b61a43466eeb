package sql

import (
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"

	"woolsignal/core/flow"
)

// However the address is written, no way of opening it goes without TLS.
func TestPostgreSQLFallsBackToNothing(t *testing.T) {
	for address, refused := range map[string]bool{
		"postgres://db.example/wool":                          false,
		"postgres://db.example,two.example:5433/wool":         false,
		"postgres://db.example/wool?sslmode=require":          false,
		"postgres://db.example/wool?application_name=a%26b":   false,
		"postgres://db.example/wool?sslmode=prefer":           true,
		"postgres://db.example/wool?sslmode=disable":          true,
		"postgres://db.example/wool?sslmode=allow":            true,
		"postgres://127.0.0.1/wool?host=db.example":           true,
		"postgres://db.example/wool?host=127.0.0.1":           true,
		"postgres://127.0.0.1.db.example/wool":                false,
		"postgres://db.example/wool?sslmode=":                 false,
		"postgres://db.example/wool?sslmode=&sslmode=disable": false,
	} {
		got, err := secured(&flow.Connection{ID: "db", Title: "Wool", Address: address})
		if (err != nil) != refused {
			t.Errorf("%s: %v", address, err)
		}
		if err != nil {
			continue
		}
		config, err := pgx.ParseConfig(got)
		if err != nil {
			t.Errorf("%s became %s: %v", address, got, err)
			continue
		}
		open := config.TLSConfig == nil
		for _, f := range config.Fallbacks {
			open = open || f.TLSConfig == nil
		}
		if open && !strings.HasPrefix(config.Host, "127.") {
			t.Errorf("%s: %s may be reached without TLS", address, config.Host)
		}
	}
	own := "postgres://db.example/wool?sslmode=disable"
	if got, err := secured(&flow.Connection{Address: own, Open: true}); err != nil || got != own {
		t.Errorf("a file that says so: %s %v", got, err)
	}
}
