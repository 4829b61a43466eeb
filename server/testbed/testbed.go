// Package testbed puts the lower rooms of the service together for the tests
// of the ones above: a store, a vault and a workspace in a folder of the test.
package testbed

import (
	"context"
	"database/sql"
	"maps"
	"testing"

	"woolsignal/core/flow"
	"woolsignal/server/confined/confinedtest"
	"woolsignal/server/oauth"
	"woolsignal/server/script"
	"woolsignal/server/store"
	"woolsignal/server/tool"
	"woolsignal/server/vault"
	"woolsignal/server/workspace"
)

func init() { confinedtest.Serve() } // what is imported has registered its work

// Bed is what a test stands on. It goes with the test.
type Bed struct {
	Store     *store.Store
	Secrets   *vault.Vault
	Kit       *tool.Kit
	Workspace *workspace.Holder
	Scripts   *script.Runner
}

// Open makes a bed with the files of a workspace, which must be sound. The
// main file is added where it is missing.
func Open(t testing.TB, files map[string]string) *Bed {
	t.Helper()
	ctx, folder := context.Background(), t.TempDir()
	s, err := store.Open(ctx, folder)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	secrets, err := vault.Open(ctx, folder, s)
	if err != nil {
		t.Fatal(err)
	}
	kit := tool.NewKit(s, secrets, &oauth.Keeper{Store: s, Secrets: secrets})
	kit.Confined = confinedtest.Pool(t)
	w, err := workspace.Open(ctx, s, kit, secrets, nil)
	if err != nil {
		t.Fatal(err)
	}
	bed := &Bed{Store: s, Secrets: secrets, Kit: kit, Workspace: w, Scripts: &script.Runner{Pool: kit.Confined}}
	if len(files) > 0 {
		bed.Add(t, files)
	}
	return bed
}

// Give gives a connection of a workspace its secret, for where it leads there.
func (b *Bed) Give(t testing.TB, w *flow.Workspace, connection, secret string) {
	t.Helper()
	place := ""
	if c := w.Connections[connection]; c != nil {
		place = c.SecretFor()
	}
	if err := b.Secrets.Put(context.Background(), connection, place, secret); err != nil {
		t.Fatal(err)
	}
}

// Spoil makes writes to a table fail, as a full disk does, until mend is
// called: those for which a condition on NEW holds, or all of them with "1".
func (b *Bed) Spoil(t testing.TB, table, when string) (mend func()) {
	t.Helper()
	db, err := sql.Open("sqlite", "file:"+b.Store.Path()+"?_pragma=busy_timeout(5000)")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	do := func(statement string) {
		if _, err := db.Exec(statement); err != nil {
			t.Fatal(err)
		}
	}
	do("CREATE TRIGGER spoilt_" + table + " BEFORE INSERT ON " + table + " WHEN " + when +
		" BEGIN SELECT RAISE(ABORT, 'the disk is full'); END")
	return func() { do("DROP TRIGGER spoilt_" + table) }
}

// Add puts files into the workspace and makes every workflow live.
func (b *Bed) Add(t testing.TB, files map[string]string) {
	t.Helper()
	ctx := context.Background()
	files = maps.Clone(files)
	if files[flow.MainFile] == "" {
		files[flow.MainFile] = "name: Larkrigg\nzone: Europe/London\n"
	}
	if problems, err := b.Workspace.Apply(ctx, workspace.Change{Files: files, By: "test"}); err != nil {
		t.Fatal(err, problems)
	}
	for id := range b.Workspace.Now().Workflows {
		if _, problems, err := b.Workspace.Publish(ctx, id, "", "test"); err != nil {
			t.Fatal(id, err, problems)
		}
	}
}
