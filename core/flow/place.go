package flow

import (
	"fmt"
	"strconv"
	"strings"
)

// BlockName names a block of a step: a word, and for one of several that are
// entered in order, or stand in order in the file, its number from 1.
type BlockName struct {
	Word   string
	Number int // 0 where the step has one such block
}

// Instead is the block of what is done when its step fails.
var Instead = BlockName{Word: "instead"}

// String writes the name as [ParseBlockName] reads it, such as case-2.
func (b BlockName) String() string {
	if b.Number == 0 {
		return b.Word
	}
	return b.Word + "-" + strconv.Itoa(b.Number)
}

// ParseBlockName reads what [BlockName.String] writes.
func ParseBlockName(text string) (BlockName, error) {
	word, digits, numbered := strings.Cut(text, "-")
	number := 0
	if numbered {
		var err error
		if number, err = strconv.Atoi(digits); err != nil || number < 1 {
			return BlockName{}, fmt.Errorf("%q does not name a block", text)
		}
	}
	if !snake.MatchString(word) {
		return BlockName{}, fmt.Errorf("%q does not name a block", text)
	}
	return BlockName{word, number}, nil
}

// MarshalText writes the name for JSON.
func (b BlockName) MarshalText() ([]byte, error) { return []byte(b.String()), nil }

// UnmarshalText reads the name from JSON; "" is no name.
func (b *BlockName) UnmarshalText(text []byte) (err error) {
	if len(text) == 0 {
		*b = BlockName{}
		return nil
	}
	*b, err = ParseBlockName(string(text))
	return err
}

// IsZero tells whether it names nothing.
func (b BlockName) IsZero() bool { return b == BlockName{} }

// A step's path is its place in a script and in a run: its index in its block,
// behind the path and block it stands in, as in 2/case-1/0.

// StepPath is the path of a step of a block. block is the block's path, as
// [BlockPath] gives it; "" is the script itself.
func StepPath(block string, index int) string {
	if block == "" {
		return strconv.Itoa(index)
	}
	return block + "/" + strconv.Itoa(index)
}

// BlockPath is the path of a block of a step.
func BlockPath(step string, name BlockName) string { return step + "/" + name.String() }

// CutPath takes the first step off a path, and the block of it that the rest
// leads through; rest is "" where the path ends with the step.
func CutPath(path string) (index int, block BlockName, rest string, err error) {
	head, tail, deeper := strings.Cut(path, "/")
	if index, err = strconv.Atoi(head); err != nil || index < 0 {
		return 0, BlockName{}, "", fmt.Errorf("%q is not the path of a step", path)
	}
	if !deeper {
		return index, BlockName{}, "", nil
	}
	name, rest, deeper := strings.Cut(tail, "/")
	if !deeper || rest == "" {
		return 0, BlockName{}, "", fmt.Errorf("%q is not the path of a step", path)
	}
	if block, err = ParseBlockName(name); err != nil {
		return 0, BlockName{}, "", fmt.Errorf("%q is not the path of a step: %w", path, err)
	}
	return index, block, rest, nil
}
