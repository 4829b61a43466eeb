// Package run is the interpreter of workflows: pure, deterministic, and
// without any clock, network or disk.
//
// A run's [State] is a tree of frames, one for each block of steps that was
// entered. [Advance] takes the state and one [Event] (the signal, a tool's
// result, a model's answer, a person's decision), goes as far as it can, and
// gives back [Record]s and [Errand]s. Records are what happened; they are the
// journal. Errands are what the outside world is asked to do.
//
// Every change to a state is made by applying a record, and applying only
// assigns: so folding a journal gives the same state whatever version of the
// program reads it, and a crash costs nothing that was written.
package run
