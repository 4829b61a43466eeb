// Package store keeps the service's records in one SQLite file.
//
// There is one writer. Callers hand it a [Batch] of statements, guard first;
// it commits whatever queued up while the last commit was on its way as one
// group, with the write-ahead log and synchronous=FULL, so that durability
// costs one disk flush for many callers. Readers have their own connections
// and never wait for it.
package store
