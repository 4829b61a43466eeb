package store

import (
	"fmt"
	"os"
	"path/filepath"
	"syscall"
)

// lock keeps a second service out of the same folder. The lock goes with the
// process, so a crash leaves none behind.
func lock(folder string) (*os.File, error) {
	f, err := os.OpenFile(filepath.Join(folder, "woolsignal.lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("store: %w", err)
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		_ = f.Close()
		return nil, fmt.Errorf("store: another service is already using %s; stop it first, or choose another folder "+
			"with -data", folder)
	}
	return f, nil
}
