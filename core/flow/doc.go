// Package flow holds what an automation builder writes: workflows, agents,
// connections and the workspace they live in. It decodes their files, checks
// them, and explains a workflow as sentences. It runs nothing.
//
// A file that decodes badly never costs the author anything: every problem
// carries its line and column, what is wrong, why it matters, and what would
// be right, and as much as can be read is read.
package flow
