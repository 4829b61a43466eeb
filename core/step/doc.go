// Package step has the kinds of steps, each in a file of its own: its fields,
// what is checked of them, its sentence, and what it does in a run. The kinds
// table names them all; packages flow and run know none of them.
package step
