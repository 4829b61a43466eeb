// Package simulation looks for what nobody has thought of: it makes up
// workflows, signals, callers, peers, decisions, failures and crashes by a
// seed, lets hours of them pass in one process on virtual time, and holds what
// is left against what docs/engine.md promises, in a model that knows nothing
// of how the engine keeps it.
//
//	go test ./server/simulation -run Seeds -seeds 200
//	go test ./server/simulation -run Seeds -seed 1207 -v
//
// A seed fixes everything that is made up. In which order goroutines run it
// does not fix, so that a seed that failed may have to be run a few times.
package simulation
