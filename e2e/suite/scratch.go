package main

import (
	"fmt"
	"hash/fnv"
	"os"
	"path/filepath"
	"syscall"
)

// shared is memory that looks like a folder, on Linux.
const shared = "/dev/shm"

// enough is how many bytes must be free there.
const enough = 4 << 30

// scratch makes the folder that tests keep their temporary files in, and returns how to
// remove it with all that killed tests left there. It is in memory where there is enough
// of it: a database that waits for its disk at every commit takes the greater part of a
// test's time on a slow disk, and what a killed process wrote is there afterwards in
// either. Its name stays the same for a checkout, as Go runs tests anew that read another
// one.
func scratch() (remove func(), err error) {
	root := os.TempDir()
	const tmpfs, noexec = 0x01021994, 0x8 // statfs(2)
	var fs syscall.Statfs_t
	if err := syscall.Statfs(shared, &fs); err == nil && fs.Type == tmpfs && fs.Flags&noexec == 0 &&
		fs.Bavail*uint64(fs.Bsize) > enough {
		root = shared
	}
	checkout, err := os.Getwd()
	if err != nil {
		return nil, err
	}
	name := fnv.New64a()
	fmt.Fprint(name, checkout)
	folder := filepath.Join(root, fmt.Sprintf("woolsignal-tests-%x", name.Sum64()))
	// Real servers that tests start go through it, as a user of their own.
	if err := os.MkdirAll(folder, 0o711); err != nil {
		return nil, err
	}
	return func() { _ = os.RemoveAll(folder) }, os.Setenv("TMPDIR", folder)
}
