package expr

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"
	"cel.dev/cel-go/parser"

	"woolsignal/core/calendar"
)

// calendarName is what functions that count days or print times are given
// beside what the author wrote: a name no author can write.
const calendarName = "@calendar"

// functions are those CEL has none of.
func functions() []cel.EnvOption {
	return []cel.EnvOption{
		cel.Variable(calendarName, cel.DynType),
		withCalendar("time", 1), withCalendar("formatTime", 2), withCalendar("workingDays", 2),
		withCalendar("workingDaysBetween", 2), withCalendar("addMonths", 2), withCalendar("daysBetween", 2),
		withCalendar("startOf", 2),
		withCalendar("text", 1), withCalendar("text", 2),
		dynamic("@time", 2, func(args ...ref.Val) ref.Val { return moment(args[0], args[1]) }),
		dynamic("@formatTime", 3, formatTime),
		dynamic("@workingDays", 3, workingDays),
		dynamic("@workingDaysBetween", 3, workingDaysBetween),
		dynamic("@addMonths", 3, addMonths),
		dynamic("@daysBetween", 3, daysBetween),
		dynamic("@startOf", 3, startOf),
		cel.Macros(cel.GlobalMacro("otherwise", 2, expandOtherwise)),
		dynamic("@otherwise", 2, otherwise),
		cel.Macros(cel.ReceiverMacro("groupBy", 2, expandGroup)),
		dynamic("@group", 1, group),
		dynamic("@whole", 1, func(args ...ref.Val) ref.Val {
			if f, ok := args[0].(types.Double); ok {
				return number(float64(f))
			}
			return args[0]
		}),
		cel.Function("@sort",
			cel.Overload("sort_values", []*cel.Type{cel.DynType}, cel.DynType,
				cel.UnaryBinding(func(v ref.Val) ref.Val { return sorted(v, v) })),
			cel.Overload("sort_values_by_keys", []*cel.Type{cel.DynType, cel.DynType}, cel.DynType,
				cel.BinaryBinding(sorted))),
		dynamic("sum", 1, sum),
		dynamic("average", 1, average),
		cel.Function("@text",
			cel.Overload("text_value", []*cel.Type{cel.DynType, cel.DynType}, cel.StringType,
				cel.BinaryBinding(func(v, in ref.Val) ref.Val { return toText(v, types.String("\n"), in) })),
			cel.Overload("text_list", []*cel.Type{cel.DynType, cel.StringType, cel.DynType}, cel.StringType,
				cel.FunctionBinding(toText))),
		dynamic("parseJson", 1, parseJSON),
		dynamic("toJson", 1, toJSON),
		dynamic("parseCsv", 1, parseCSV),
		dynamic("toCsv", 1, toCSV),
	}
}

// dynamic declares a function of a number of values of any kind.
func dynamic(name string, count int, call func(args ...ref.Val) ref.Val) cel.EnvOption {
	kinds := make([]*cel.Type, count)
	for i := range kinds {
		kinds[i] = cel.DynType
	}
	id := strings.TrimPrefix(name, "@") + "_values"
	binding := cel.FunctionBinding(call)
	switch count {
	case 1:
		binding = cel.UnaryBinding(func(v ref.Val) ref.Val { return call(v) })
	case 2:
		binding = cel.BinaryBinding(func(a, b ref.Val) ref.Val { return call(a, b) })
	}
	return cel.Function(name, cel.Overload(id, kinds, cel.DynType, binding))
}

// withCalendar makes name(args…) see the workspace's calendar.
func withCalendar(name string, count int) cel.EnvOption {
	return cel.Macros(cel.GlobalMacro(name, count,
		func(eh parser.ExprHelper, _ ast.Expr, args []ast.Expr) (ast.Expr, *cel.Error) {
			return eh.NewCall("@"+name, append(slices.Clone(args), eh.NewIdent(calendarName))...), nil
		}))
}

// expandGroup turns rows.groupBy(r, key) into pairs of key and row.
func expandGroup(eh parser.ExprHelper, target ast.Expr, args []ast.Expr) (ast.Expr, *cel.Error) {
	if args[0].Kind() != ast.IdentKind {
		return nil, eh.NewError(args[0].ID(), "the first argument of groupBy must be a name for one item")
	}
	pair := eh.NewMap(eh.NewMapEntry(eh.NewLiteral(types.String("key")), args[1], false),
		eh.NewMapEntry(eh.NewLiteral(types.String("item")), eh.NewIdent(args[0].AsIdent()), false))
	pairs, err := parser.MakeMap(eh, target, []ast.Expr{args[0], pair})
	if err != nil {
		return nil, err
	}
	return eh.NewCall("@group", pairs), nil
}

// calendarVal carries a calendar through CEL.
type calendarVal struct{ calendar.Calendar }

var calendarType = cel.ObjectType("calendar")

func (c calendarVal) ConvertToNative(reflect.Type) (any, error) {
	return nil, fmt.Errorf("a calendar stays inside")
}
func (c calendarVal) ConvertToType(ref.Type) ref.Val { return types.NewErr("a calendar stays inside") }
func (c calendarVal) Equal(ref.Val) ref.Val          { return types.False }
func (c calendarVal) Type() ref.Type                 { return calendarType }
func (c calendarVal) Value() any                     { return c.Calendar }

// group gathers pairs of key and item as {key, items}, keys in the order
// they first come.
func group(args ...ref.Val) ref.Val {
	pairs, ok := args[0].(traits.Lister)
	if !ok {
		return types.MaybeNoSuchOverloadErr(args[0])
	}
	type bucket struct {
		key   ref.Val
		items []ref.Val
	}
	var buckets []*bucket
	at := map[string]*bucket{}
	for it := pairs.Iterator(); it.HasNext() == types.True; {
		pair, ok := it.Next().(traits.Mapper)
		if !ok {
			return types.MaybeNoSuchOverloadErr(args[0])
		}
		key, item := pair.Get(types.String("key")), pair.Get(types.String("item"))
		plain, err := fromCEL(key, time.UTC)
		if err != nil {
			return types.NewErr("%s", err.Error())
		}
		name, err := json.Marshal(plain)
		if err != nil {
			return types.NewErr("%s", err.Error())
		}
		b := at[string(name)]
		if b == nil {
			b = &bucket{key: key}
			at[string(name)] = b
			buckets = append(buckets, b)
		}
		b.items = append(b.items, item)
	}
	out := make([]ref.Val, len(buckets))
	for i, b := range buckets {
		out[i] = types.DefaultTypeAdapter.NativeToValue(map[string]ref.Val{"key": b.key,
			"items": types.NewRefValList(types.DefaultTypeAdapter, b.items)})
	}
	return types.NewRefValList(types.DefaultTypeAdapter, out)
}

// sorted orders a list by keys of one kind, numbers of any form counting as
// one; equal keys stay in their order.
func sorted(values, keys ref.Val) ref.Val {
	list, ok := values.(traits.Lister)
	by, also := keys.(traits.Lister)
	if !ok || !also {
		return types.NewErr("only a list can be sorted, this is %s", kindOf(values))
	}
	size, _ := asFloat(list.Size())
	type pair struct{ key, item ref.Val }
	pairs := make([]pair, int(size))
	for i := range pairs {
		pairs[i] = pair{by.Get(types.Int(i)), list.Get(types.Int(i))}
	}
	var failed ref.Val
	slices.SortStableFunc(pairs, func(a, b pair) int {
		c, ok := a.key.(traits.Comparer)
		if !ok {
			failed = types.NewErr("%s cannot be sorted by", kindOf(a.key))
			return 0
		}
		order, ok := c.Compare(b.key).(types.Int)
		if !ok {
			failed = types.NewErr("%s and %s cannot be put in an order", kindOf(a.key), kindOf(b.key))
		}
		return int(order)
	})
	if failed != nil {
		return failed
	}
	out := make([]ref.Val, len(pairs))
	for i, p := range pairs {
		out[i] = p.item
	}
	return types.NewRefValList(types.DefaultTypeAdapter, out)
}

func sum(args ...ref.Val) ref.Val {
	list, ok := args[0].(traits.Lister)
	if !ok {
		return types.NewErr("sum takes a list of numbers, this is %s", kindOf(args[0]))
	}
	var total ref.Val = types.IntZero
	for it := list.Iterator(); it.HasNext() == types.True; {
		v := it.Next()
		if _, ok := asFloat(v); !ok {
			return types.NewErr("sum takes a list of numbers, one of these is %s", kindOf(v))
		}
		if total = add(total, v); types.IsError(total) {
			return total
		}
	}
	return total
}

func average(args ...ref.Val) ref.Val {
	total := sum(args...)
	if types.IsError(total) {
		return total
	}
	size := args[0].(traits.Lister).Size()
	if size == types.IntZero {
		return types.NewErr("the average of an empty list is not a number")
	}
	return divide(total, size)
}

// toText prints a value as it stands in a text, the items of a list with
// something of one's own between them.
func toText(args ...ref.Val) ref.Val {
	zone := time.UTC
	if in, ok := args[2].(calendarVal); ok {
		zone = in.Zone
	}
	plain, err := fromCEL(args[0], zone)
	if err != nil {
		return types.NewErr("%s", err.Error())
	}
	if list, ok := plain.([]any); ok {
		words := make([]string, len(list))
		for i, item := range list {
			words[i] = Text(item)
		}
		return types.String(strings.Join(words, string(args[1].(types.String))))
	}
	return types.String(Text(plain))
}

func parseJSON(args ...ref.Val) ref.Val {
	s, ok := args[0].(types.String)
	if !ok {
		return types.NewErr("parseJson takes a text, this is %s", kindOf(args[0]))
	}
	v, err := DecodeJSON([]byte(s))
	if err != nil {
		return types.NewErr("this text is not JSON: %s", err.Error())
	}
	return types.DefaultTypeAdapter.NativeToValue(v)
}

func toJSON(args ...ref.Val) ref.Val {
	v, err := fromCEL(args[0], time.UTC)
	if err != nil {
		return types.NewErr("%s", err.Error())
	}
	out, err := json.Marshal(v)
	if err != nil {
		return types.NewErr("%s", err.Error())
	}
	return types.String(out)
}

// parseCSV reads RFC 4180 text as a list of maps, named by its first line.
func parseCSV(args ...ref.Val) ref.Val {
	s, ok := args[0].(types.String)
	if !ok {
		return types.NewErr("parseCsv takes a text, this is %s", kindOf(args[0]))
	}
	rows, err := csv.NewReader(strings.NewReader(string(s))).ReadAll()
	if err != nil {
		return types.NewErr("this text is not CSV: %s", err.Error())
	}
	out := []any{}
	for _, row := range rows[min(1, len(rows)):] {
		line := make(map[string]any, len(row))
		for i, cell := range row {
			line[FromCell(rows[0][i])] = FromCell(cell)
		}
		out = append(out, line)
	}
	return types.DefaultTypeAdapter.NativeToValue(out)
}

// toCSV writes a list of maps, its first line the names of all their fields.
func toCSV(args ...ref.Val) ref.Val {
	v, err := fromCEL(args[0], time.UTC)
	list, ok := v.([]any)
	if err != nil || !ok {
		return types.NewErr("toCsv takes a list of maps, this is %s", kindOf(args[0]))
	}
	var names []string
	for _, row := range list {
		m, ok := row.(map[string]any)
		if !ok {
			return types.NewErr("toCsv takes a list of maps, one of these is %s", Kind(row))
		}
		var fresh []string
		for name := range m {
			if !slices.Contains(names, name) {
				fresh = append(fresh, name)
			}
		}
		slices.Sort(fresh)
		names = append(names, fresh...)
	}
	var b strings.Builder
	w := csv.NewWriter(&b)
	head := make([]string, len(names))
	for i, name := range names {
		head[i] = Cell(name)
	}
	_ = w.Write(head) // a strings.Builder takes everything
	for _, row := range list {
		cells := make([]string, len(names))
		for i, name := range names {
			cells[i] = Cell(row.(map[string]any)[name])
		}
		_ = w.Write(cells)
	}
	w.Flush()
	return types.String(b.String())
}

func kindOf(v ref.Val) string {
	plain, err := fromCEL(v, time.UTC)
	if err != nil {
		return "a " + v.Type().TypeName()
	}
	return Kind(plain)
}
