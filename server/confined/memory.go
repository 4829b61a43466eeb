package confined

import (
	"bytes"
	"os"
	"strconv"
	"syscall"
)

// confine bounds the address space of this process, so that memory asked for
// in one leap is refused before it is there.
func confine() error {
	if raced {
		return nil
	}
	limit := uint64(16 * Memory) // a Go program reserves far more than it holds, and C for every thread
	return syscall.Setrlimit(syscall.RLIMIT_AS, &syscall.Rlimit{Cur: limit, Max: limit})
}

// resident is how much memory a process holds, in bytes; 0 where the system
// does not tell.
func resident(pid int) int64 {
	text, err := os.ReadFile("/proc/" + strconv.Itoa(pid) + "/statm")
	if err != nil {
		return 0
	}
	fields := bytes.Fields(text)
	if len(fields) < 2 {
		return 0
	}
	pages, _ := strconv.ParseInt(string(fields[1]), 10, 64)
	return pages * int64(os.Getpagesize())
}
