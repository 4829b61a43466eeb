package expr

import (
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
)

// Comparison is what a row of a condition can say of a value.
type Comparison struct {
	Name  string `json:"name"`
	Words string `json:"words"`
	Of    string `json:"of,omitempty"` // the kind of value it is meant for: number, text, list, time; "" is any
	Alone bool   `json:"alone,omitempty"`
	Not   string `json:"not,omitempty"` // the comparison that is its opposite

	operator string
	with     ref.Val // what it is always compared with
	negates  bool    // it is written as the opposite of another, with a "not" before it
	code     string  // with %s for its sides
}

// Comparisons are what rows of conditions can say.
var Comparisons = []Comparison{
	{Name: "missing", Words: "is missing", Alone: true, Not: "there", operator: operators.Equals, with: types.NullValue,
		code: "%s == null"},
	{Name: "there", Words: "is there", Alone: true, Not: "missing", operator: operators.NotEquals,
		with: types.NullValue,
		code: "%s != null"},
	{Name: "empty", Words: "is empty", Of: "text", Alone: true, Not: "not_empty", operator: operators.Equals,
		with: types.String(""), code: `%s == ""`},
	{Name: "not_empty", Words: "is not empty", Of: "text", Alone: true, Not: "empty", operator: operators.NotEquals,
		with: types.String(""), code: `%s != ""`},
	{Name: "is", Words: "is", Not: "is_not", operator: operators.Equals, code: "%s == %s"},
	{Name: "is_not", Words: "is not", Not: "is", operator: operators.NotEquals, code: "%s != %s"},
	{Name: "more", Words: "is more than", Of: "number", Not: "at_most", operator: operators.Greater, code: "%s > %s"},
	{Name: "at_least", Words: "is at least", Of: "number", Not: "less", operator: operators.GreaterEquals,
		code: "%s >= %s"},
	{Name: "less", Words: "is less than", Of: "number", Not: "at_least", operator: operators.Less, code: "%s < %s"},
	{Name: "at_most", Words: "is at most", Of: "number", Not: "more", operator: operators.LessEquals, code: "%s <= %s"},
	{Name: "begins", Words: "begins with", Of: "text", Not: "not_begins", operator: "startsWith",
		code: "%s.startsWith(%s)"},
	{Name: "not_begins", Words: "does not begin with", Of: "text", Not: "begins", operator: "startsWith", negates: true,
		code: "!%s.startsWith(%s)"},
	{Name: "ends", Words: "ends with", Of: "text", Not: "not_ends", operator: "endsWith", code: "%s.endsWith(%s)"},
	{Name: "not_ends", Words: "does not end with", Of: "text", Not: "ends", operator: "endsWith", negates: true,
		code: "!%s.endsWith(%s)"},
	{Name: "contains", Words: "contains", Of: "text", Not: "not_contains", operator: "contains",
		code: "%s.contains(%s)"},
	{Name: "not_contains", Words: "does not contain", Of: "text", Not: "contains", operator: "contains", negates: true,
		code: "!%s.contains(%s)"},
	{Name: "one_of", Words: "is one of", Not: "none_of", operator: operators.In, code: "%s in %s"},
	{Name: "none_of", Words: "is none of", Not: "one_of", operator: operators.In, negates: true, code: "!(%s in %s)"},
}

// Takes is what a link asks for beside the value it works on.
type Takes struct {
	Name  string `json:"name"`
	Holds string `json:"holds"`          // condition, value, number, text or pattern
	Each  bool   `json:"each,omitempty"` // it is about one item
	Usual any    `json:"usual,omitempty"`
}

// Link is something that can be done to a value, one after another.
type Link struct {
	Name  string  `json:"name"`
	Words string  `json:"words"`
	Of    string  `json:"of"` // the kind of value it works on: list, number, text, time; "" is any
	Takes []Takes `json:"takes,omitempty"`

	function string
	member   bool    // it is called on its value
	item     bool    // its argument is about one item
	from     ref.Val // the first of its arguments is always this
}

// Links are what can be done to a value. That of a list which "takes" makes a
// list of the same length of what is taken of each.
var Links = []Link{
	{Name: "where", Words: "keep where", Of: "list", function: "filter", member: true, item: true,
		Takes: []Takes{{Name: "holds", Holds: "condition", Each: true}}},
	{Name: "take", Words: "take of each", Of: "list", function: "map", member: true, item: true,
		Takes: []Takes{{Name: "value", Holds: "value", Each: true}}},
	{Name: "add_up", Words: "add up", Of: "list", function: "sum"},
	{Name: "average", Words: "average", Of: "list", function: "average"},
	{Name: "how_many", Words: "how many", Of: "list", function: "size"},
	{Name: "group_by", Words: "group by", Of: "list", function: "groupBy", member: true, item: true,
		Takes: []Takes{{Name: "value", Holds: "value", Each: true}}},
	{Name: "sort_by", Words: "sort by", Of: "list", function: "sortBy", member: true, item: true,
		Takes: []Takes{{Name: "value", Holds: "value", Each: true}}},
	{Name: "first", Words: "the first", Of: "list", function: "slice", member: true, from: types.IntZero,
		Takes: []Takes{{Name: "how many", Holds: "number", Usual: int64(3)}}},
	{Name: "sorted", Words: "sorted", Of: "list", function: "sort", member: true},
	{Name: "distinct", Words: "without repeats", Of: "list", function: "distinct", member: true},
	{Name: "reverse", Words: "in reverse", Of: "list", function: "reverse", member: true},
	{Name: "some", Words: "at least one holds", Of: "list", function: "exists", member: true, item: true,
		Takes: []Takes{{Name: "holds", Holds: "condition", Each: true}}},
	{Name: "every", Words: "each holds", Of: "list", function: "all", member: true, item: true,
		Takes: []Takes{{Name: "holds", Holds: "condition", Each: true}}},
	{Name: "join", Words: "join with", Of: "list", function: "text",
		Takes: []Takes{{Name: "between", Holds: "text", Usual: ", "}}},
	{Name: "csv", Words: "as CSV", Of: "list", function: "toCsv"},
	{Name: "round", Words: "round to places", Of: "number", function: "round",
		Takes: []Takes{{Name: "places", Holds: "number", Usual: int64(2)}}},
	{Name: "whole", Words: "round to whole", Of: "number", function: "round"},
	{Name: "as_time", Words: "as a time", Of: "text", function: "time"},
	{Name: "working_days", Words: "plus working days", Of: "time", function: "workingDays",
		Takes: []Takes{{Name: "days", Holds: "number", Usual: int64(2)}}},
	{Name: "months", Words: "plus months", Of: "time", function: "addMonths",
		Takes: []Takes{{Name: "months", Holds: "number", Usual: int64(1)}}},
	{Name: "start_of", Words: "start of its", Of: "time", function: "startOf",
		Takes: []Takes{{Name: "span", Holds: "text", Usual: "month"}}},
	{Name: "date_like", Words: "as a date like", Of: "time", function: "formatTime",
		Takes: []Takes{{Name: "like", Holds: "pattern", Usual: "%d.%m.%Y"}}},
	{Name: "days_till", Words: "days till", Of: "time", function: "daysBetween",
		Takes: []Takes{{Name: "till", Holds: "value"}}},
	{Name: "small", Words: "in small letters", Of: "text", function: "lowerAscii", member: true},
	{Name: "capitals", Words: "in capitals", Of: "text", function: "upperAscii", member: true},
	{Name: "trim", Words: "without blanks around it", Of: "text", function: "trim", member: true},
	{Name: "replace", Words: "replace", Of: "text", function: "replace", member: true,
		Takes: []Takes{{Name: "what", Holds: "text", Usual: ""}, {Name: "with", Holds: "text", Usual: ""}}},
	{Name: "split", Words: "split at", Of: "text", function: "split", member: true,
		Takes: []Takes{{Name: "at", Holds: "text", Usual: ","}}},
	{Name: "read_json", Words: "read as JSON", Of: "text", function: "parseJson"},
	{Name: "read_csv", Words: "read as CSV", Of: "text", function: "parseCsv"},
	{Name: "as_text", Words: "as a text", Of: "", function: "text"},
	{Name: "json", Words: "as JSON", Of: "", function: "toJson"},
	{Name: "otherwise", Words: "or, where missing,", Of: "", function: "otherwise",
		Takes: []Takes{{Name: "instead", Holds: "value", Usual: ""}}},
}
