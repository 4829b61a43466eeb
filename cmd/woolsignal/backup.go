package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"woolsignal/server/store"
	"woolsignal/server/vault"
)

func backup(ctx context.Context, a *app, args []string) error {
	f := a.flags("backup")
	rest, err := parse(f, args, 1, 1)
	if err != nil {
		return err
	}
	file, err := os.OpenFile(rest[0], os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if errors.Is(err, os.ErrExist) {
		return fmt.Errorf("%s exists already; name a file that does not", rest[0])
	} else if err != nil {
		return err
	}
	if err := a.client().Backup(ctx, file); err != nil {
		return errors.Join(err, file.Close(), os.Remove(rest[0]))
	}
	if err := errors.Join(file.Sync(), file.Close()); err != nil {
		return err
	}
	info, err := os.Stat(rest[0])
	if err != nil {
		return err
	}
	fmt.Fprintf(a.out, "%s holds everything as it was at one moment, %.1f MB.\n", rest[0], float64(info.Size())/1e6)
	fmt.Fprintf(a.out,
		"The key that opens the secrets is not in it: keep a copy of %s of the data folder elsewhere.\n"+
			"Without it everything can be restored but the secrets, which then are given anew.\n", vault.KeyFile)
	return nil
}

func restore(ctx context.Context, a *app, args []string) error {
	f := a.flags("restore")
	data := f.String("data", "woolsignal-data", "folder to restore into; its service must not be running")
	rest, err := parse(f, args, 1, 1)
	if err != nil {
		return err
	}
	before, err := store.Restore(ctx, rest[0], *data)
	if err != nil {
		return err
	}
	fmt.Fprintf(a.out, "%s is restored from %s.\n", *data, rest[0])
	if before != "" {
		fmt.Fprintf(a.out, "What was there before is in %s.\n", before)
	}
	if _, err := os.Stat(filepath.Join(*data, vault.KeyFile)); err != nil {
		fmt.Fprintf(a.out,
			"There is no %s in the folder: put the one that belongs to the backup there, or give the secrets anew "+
				"with: woolsignal connect\n", vault.KeyFile)
	}
	return nil
}
