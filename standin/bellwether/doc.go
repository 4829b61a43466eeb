// Package bellwether plays a model server. It is a stand-in and says so: no
// model is behind it.
//
// It speaks the chat-completions protocol with streaming and tools. What it
// says comes from a rulebook for the demo's conversations, and from plain
// heuristics for everything else: pick the tool whose description overlaps
// most with what was asked, take arguments from the text by their schema, ask
// for what is missing. The same conversation always gives the same answer.
package bellwether
