package main

import (
	"strings"
	"testing"
	"testing/fstest"
)

// TestAProgramWithoutTheConsoleSaysSo holds what serve prints first against a
// program with the console inside and one without.
func TestAProgramWithoutTheConsoleSaysSo(t *testing.T) {
	if said := withoutConsole(fstest.MapFS{".gitkeep": {}}); !strings.Contains(said, "make build") {
		t.Errorf("without the console it says %q", said)
	}
	if said := withoutConsole(fstest.MapFS{"index.html": {}}); said != "" {
		t.Errorf("with the console it says %q", said)
	}
}
