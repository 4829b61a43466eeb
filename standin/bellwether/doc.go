// Package bellwether plays a model server. It is a stand-in and says so: no
// model is behind it.
//
// It speaks the chat-completions and the messages protocol with streaming, tools,
// pictures and PDFs, and makes embeddings. What it says comes from the rules of
// whoever rehearses (PUT /_rules, and a folder of files), from a rulebook for the
// demo's conversations, and from plain heuristics for everything else: pick the tool
// whose description overlaps most with what was asked, take arguments from the text
// by their schema, ask for what is missing, draft a letter from the facts given.
// Its three sizes differ in speed and skill. The same conversation always gives the
// same answer.
package bellwether
