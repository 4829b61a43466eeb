// Package protocol has the protocols connections speak, each in a file of its
// own: its fields and what is checked of them. The kinds table names them all.
// How each is spoken is package tool's.
package protocol
