//go:build !race

package confined

const raced = false

// allowed is how much of the system's memory a process may take, in bytes.
const allowed = Memory
