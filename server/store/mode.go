package store

import (
	"errors"
	"io/fs"
	"os"
)

// ownersAlone makes a database's file one that nobody but its owner may read, as
// SQLite then makes those beside it; also where it was copied here otherwise.
func ownersAlone(path string) error {
	file, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return err
	}
	err = file.Close()
	for _, suffix := range []string{"", "-wal", "-shm"} {
		if e := os.Chmod(path+suffix, 0o600); !errors.Is(e, fs.ErrNotExist) {
			err = errors.Join(err, e)
		}
	}
	return err
}
