package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// TestAHeldLockIsWaitedFor installs where apt-get is held by another process for a
// while, for ever, and where something else is wrong.
func TestAHeldLockIsWaitedFor(t *testing.T) {
	const held = `echo "E: Could not get lock /var/lib/dpkg/lock-frontend. It is held by process 7 (apt)" >&2; exit 100`
	for _, c := range []struct{ name, apt, says, ends string }{
		{"for a while", `echo x >> "$TRIES"; [ $(wc -l < "$TRIES") -gt 2 ] || { ` + held + `; }`,
			"held by another process; waiting", ""},
		{"for ever", held, "still held by another process after 2 seconds", "exit status 1"},
		{"something else", `echo "E: Unable to locate package" >&2; exit 100`, "Unable to locate", "exit status 1"},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			dir := t.TempDir()
			if err := os.WriteFile(filepath.Join(dir, "apt-get"), []byte("#!/bin/sh\n"+c.apt+"\n"), 0o755); err != nil {
				t.Fatal(err)
			}
			cmd := exec.Command("../install.sh", "chromium")
			cmd.Env = append(os.Environ(), "PATH="+dir+":"+os.Getenv("PATH"), "APT_PATIENCE=2",
				"TRIES="+filepath.Join(dir, "tries"))
			out, err := cmd.CombinedOutput()
			ended := ""
			if err != nil {
				ended = err.Error()
			}
			if ended != c.ends || !strings.Contains(string(out), c.says) {
				t.Errorf("it ends with %q and says %q", ended, out)
			}
		})
	}
}
