// Package safepath reads paths that others wrote: into folders of file servers,
// into addresses, into folders of this machine. It is the one place where what
// would lead out of where a path begins is refused.
package safepath

import (
	"fmt"
	"net/url"
	"strings"
	"unicode"
)

// Relative reads a path that stays below where it begins, and leads somewhere:
// names between slashes. A slash at either end is left out. The error says what
// is wrong with it.
func Relative(path string) (string, error) {
	trimmed := strings.TrimSuffix(strings.TrimPrefix(path, "/"), "/")
	if trimmed == "" {
		return "", fmt.Errorf("the path %q leads nowhere: name a file or folder", path)
	}
	for name := range strings.SplitSeq(trimmed, "/") {
		if err := sound(name); err != nil {
			return "", fmt.Errorf("the path %q cannot be used: %w", path, err)
		}
	}
	return trimmed, nil
}

// Folder is [Relative] for a folder that may be the top, "".
func Folder(path string) (string, error) {
	if strings.Trim(path, "/") == "" && len(path) <= 1 {
		return "", nil
	}
	return Relative(path)
}

// Escape writes a value for between two slashes of an address; see [Segment].
func Escape(value string) (string, error) {
	if err := Segment(value); err != nil {
		return "", err
	}
	return url.PathEscape(value), nil
}

// Segment reads a value that is to stand between two slashes of an address. It
// may hold any characters, as they are escaped there; only what an address takes
// for a step up, or for nothing, is refused.
func Segment(value string) error {
	switch value {
	case "":
		return fmt.Errorf("a part of the address is empty")
	case ".", "..":
		return fmt.Errorf("%q cannot stand in an address: it would lead elsewhere", value)
	}
	return nil
}

// sound tells whether a name can stand in a path.
func sound(name string) error {
	switch {
	case name == "":
		return fmt.Errorf("there is nothing between two slashes")
	case name == "." || name == "..":
		return fmt.Errorf("%s leads elsewhere", name)
	case strings.ContainsRune(name, '\\'):
		return fmt.Errorf("it has a backslash")
	case strings.ContainsFunc(name, unicode.IsControl):
		return fmt.Errorf("it has a character that cannot be seen")
	}
	return nil
}
