//go:build race

package confined

// raced says that the race detector is in: it reserves terabytes of address
// space, which are no measure of what a process holds, and holds several times
// what the process does.
const raced = true

const allowed = 4 * Memory
