// Package trigger has the kinds of triggers, each in a file of its own: its
// fields, what is checked of them, its sentence, and what its signals look
// like. The kinds table names them all; package flow knows none of them. How
// each is listened to, or looked at, is package intake's.
package trigger
