// Package agent is the loop of an agent at work: it asks the model, uses the
// tools the model asks for, has people approve what needs approval, and ends
// with an answer or at a limit.
//
// The loop is a state and a pure function. [State] holds all that happened,
// [State.Next] says what to do now, and each thing that happens is put into
// the state by a Put method. Nothing here knows a clock, a network or a
// disk, so the loop of a journalled run can be rebuilt at any turn.
package agent
