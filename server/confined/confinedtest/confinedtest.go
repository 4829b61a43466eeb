// Package confinedtest gives tests the processes that confined work is done in:
// the test's own binary, so that tests need no program beside themselves, or a
// program that was built before.
package confinedtest

import (
	"os"
	"testing"

	"woolsignal/server/confined"
)

// asked is the argument the binary is started with to do confined work.
const asked = "confined-test"

// program names the environment variable with a program of ours that does the
// work instead of the test's own binary. Under the race detector that binary
// takes ten times as long, and in a process that does one thing after another
// nothing races.
const program = "WOOLSIGNAL_PROGRAM"

// Main is the TestMain of packages that register work.
func Main(m *testing.M) {
	Serve()
	os.Exit(m.Run())
}

// Serve does confined work and ends the process where it was started for that.
// It is called once the work is registered.
func Serve() {
	if len(os.Args) != 2 || os.Args[1] != asked {
		return
	}
	if err := confined.Serve(os.Stdin, os.Stdout); err != nil {
		os.Exit(1)
	}
	os.Exit(0)
}

// Pool gives such processes, which end with the test.
func Pool(t testing.TB) *confined.Pool {
	t.Helper()
	command := []string{os.Getenv(program), confined.Worker}
	if command[0] == "" {
		self, err := os.Executable()
		if err != nil {
			t.Fatal(err)
		}
		command = []string{self, asked}
	}
	p := confined.NewPool(command...)
	t.Cleanup(p.Close)
	return p
}
