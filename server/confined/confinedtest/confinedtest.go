// Package confinedtest makes a test's own binary the process that confined work
// is done in, so that tests need no program beside themselves.
package confinedtest

import (
	"os"
	"testing"

	"woolsignal/server/confined"
)

// asked is the argument the binary is started with to do confined work.
const asked = "confined-test"

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

// Pool gives processes of the test's own binary, which end with the test.
func Pool(t testing.TB) *confined.Pool {
	t.Helper()
	self, err := os.Executable()
	if err != nil {
		t.Fatal(err)
	}
	p := confined.NewPool(self, asked)
	t.Cleanup(p.Close)
	return p
}
