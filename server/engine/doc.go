// Package engine drives runs: it takes signals in, lets the interpreter
// advance, writes what happened, and does the errands.
//
// One event moves one run. The run is locked, advances as far as it can, and
// its journal entry is queued with the writer, all before the lock is let go;
// so entries are written in the order they happened. Errands that cannot be
// repeated, answers to callers and acknowledgements wait until their entry is
// durable; asking a model or reading something does not, once the run itself
// is.
//
// A run is kept in memory only while something but a person is awaited. After
// a crash, every open run is folded from its journal and what it still waits
// for is sent again, or put to a person where it must not be.
package engine
