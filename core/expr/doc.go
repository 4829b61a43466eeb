// Package expr evaluates the expressions and texts of a workflow.
//
// Expressions are CEL, the open Common Expression Language, with its standard
// names. One thing differs, because authors of workflows are not all
// programmers: there is one kind of number. Whole numbers stay exact to 64
// bits, 7 / 2 is 3.5, and it never matters whether JSON wrote 2 or 2.0.
//
// Texts are literal with ${expression} inside. A text that is one ${…} alone
// keeps the value's type; $${ writes a literal ${. What an expression puts
// into a text is never evaluated again.
//
// Values are those of JSON: nil, bool, int64 or float64, string, []any and
// map[string]any. A time leaves an expression as RFC 3339 text.
package expr
