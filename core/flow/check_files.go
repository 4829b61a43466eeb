package flow

import (
	"encoding/json"
	"maps"
	"regexp"
	"slices"
	"strings"
)

// secretForms are texts that look like keys of services, whichever.
var secretForms = regexp.MustCompile(`\b(whsec_[A-Za-z0-9+/=]{16,}|sk-[A-Za-z0-9_-]{16,}|` +
	`gh[pousr]_[A-Za-z0-9]{20,}|xox[a-z]-[A-Za-z0-9-]{10,}|AKIA[0-9A-Z]{12,}|` +
	`eyJ[A-Za-z0-9_-]{10,}\.[A-Za-z0-9_-]{10,})|-----BEGIN [A-Z ]*PRIVATE KEY-----`)

// secretKeys are keys and headers whose value is a secret, with a value that
// stands in the file itself.
var secretKeys = regexp.MustCompile(`(?i)^[\s-]*["']?(?:password|passwd|passphrase|api[-_]?key|x-api-key|` +
	`x-auth-token|client[-_]?secret|secret[-_]?key|private[-_]?key|access[-_]?token|authorization)["']?\s*:\s*` +
	`["']?([^\s"'{\[$#][^\s"']{5,})`)

// secrets finds keys that were written into files.
func (c *Checker) secrets() {
	for _, path := range slices.Sorted(maps.Keys(c.Workspace.Files)) {
		if c.Workspace.described(path) {
			continue // its examples were published by whoever wrote it
		}
		c.secretsIn(path, c.Workspace.Files[path])
	}
}

// secretsIn finds keys that were written into one file.
func (c *Checker) secretsIn(path, text string) {
	if !maySecret(text) {
		return
	}
	for i, line := range strings.Split(text, "\n") {
		if at := secretIn(path, line); at >= 0 {
			c.file = path
			c.Report(Pos{i + 1, at + 1},
				Problem{What: "this looks like a secret",
					Why: "files are read, copied and exported; a secret in one is a secret no more",
					Remedy: "give it to the service with: woolsignal connect, replace it where it was issued, " +
						"and remove it here"})
		}
	}
}

// described tells whether a file is another service's description of itself.
func (w *Workspace) described(path string) bool {
	for _, c := range w.Connections {
		if slices.Contains(c.Uses(HoldsFile), path) {
			return true
		}
	}
	return false
}

// signs are what every text has in which a secret is found: to look for them is
// far quicker than to look for the secret.
var signs = []string{"whsec_", "sk-", "ghp_", "gho_", "ghu_", "ghs_", "ghr_", "xox", "akia", "eyj", "-----begin",
	"passw", "passphrase", "api", "auth", "secret", "private", "access"}

func maySecret(text string) bool {
	text = strings.ToLower(text)
	return slices.ContainsFunc(signs, func(sign string) bool { return strings.Contains(text, sign) })
}

// secretIn finds where in a line of a file a secret begins; -1 where none does.
// What arrived is kept as a sample without its secrets, and schemas tell of
// fields, whose names say nothing.
func secretIn(path, line string) int {
	if at := secretForms.FindStringIndex(line); at != nil {
		return at[0]
	}
	if strings.HasSuffix(path, ".yaml") {
		if at := secretKeys.FindStringSubmatchIndex(line); at != nil {
			return at[2]
		}
	}
	return -1
}

// samples holds kept signals against the workflows they belong to.
func (c *Checker) samples() {
	for _, path := range slices.Sorted(maps.Keys(c.Workspace.Files)) {
		rest, ok := strings.CutPrefix(path, "samples/")
		if !ok {
			continue
		}
		workflow, _, _ := strings.Cut(rest, "/")
		c.file = path
		if _, ok := c.Workspace.Workflows[workflow]; !ok {
			c.Wrong(Pos{1, 1}, "put it in the folder of its workflow", "there is no workflow %s", workflow)
		}
		if !json.Valid([]byte(c.Workspace.Files[path])) {
			c.Wrong(Pos{1, 1}, "", "this is not JSON")
		}
	}
}
