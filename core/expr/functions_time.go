package expr

import (
	"time"

	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"github.com/ncruces/go-strftime"
)

// moment reads a time from a timestamp or a text.
func moment(v, in ref.Val) ref.Val {
	c, ok := in.(calendarVal)
	if !ok {
		return types.MaybeNoSuchOverloadErr(v)
	}
	switch v := v.(type) {
	case types.Timestamp:
		return types.Timestamp{Time: v.In(c.Zone)}
	case types.String:
		t, err := c.Parse(string(v))
		if err != nil {
			return types.NewErr("%s", err.Error())
		}
		return types.Timestamp{Time: t}
	}
	return types.NewErr("%s is not a time", kindOf(v))
}

func formatTime(args ...ref.Val) ref.Val {
	at, ok := moment(args[0], args[2]).(types.Timestamp)
	layout, isText := args[1].(types.String)
	if !ok || !isText {
		return firstError(moment(args[0], args[2]),
			types.NewErr("the layout of formatTime is a text such as \"%%d.%%m.%%Y\""))
	}
	return types.String(strftime.Format(string(layout), at.Time))
}

func workingDays(args ...ref.Val) ref.Val {
	at, ok := moment(args[0], args[2]).(types.Timestamp)
	days, isNumber := asFloat(args[1])
	if !ok || !isNumber || days < -10_000 || days > 10_000 {
		return firstError(moment(args[0], args[2]),
			types.NewErr("workingDays takes a time and a number of days, at most 10000"))
	}
	return types.Timestamp{Time: args[2].(calendarVal).AddWorkingDays(at.Time, int(days))}
}

func workingDaysBetween(args ...ref.Val) ref.Val {
	from, ok := moment(args[0], args[2]).(types.Timestamp)
	to, also := moment(args[1], args[2]).(types.Timestamp)
	if !ok || !also {
		return firstError(moment(args[0], args[2]), moment(args[1], args[2]))
	}
	if gap := to.Sub(from.Time).Abs(); gap > 100*366*24*time.Hour {
		return types.NewErr("the two times are more than a hundred years apart")
	}
	return types.Int(args[2].(calendarVal).WorkingDaysBetween(from.Time, to.Time))
}

func firstError(values ...ref.Val) ref.Val {
	for _, v := range values {
		if types.IsError(v) {
			return v
		}
	}
	return types.NewErr("no such overload")
}

// mostMonths bounds how far a time is moved: a hundred years.
const mostMonths = 1200

func addMonths(args ...ref.Val) ref.Val {
	at, ok := moment(args[0], args[2]).(types.Timestamp)
	months, isNumber := asFloat(args[1])
	if !ok || !isNumber || months != float64(int(months)) || months < -mostMonths || months > mostMonths {
		return firstError(moment(args[0], args[2]),
			types.NewErr("addMonths takes a time and a whole number of months, at most %d", mostMonths))
	}
	return types.Timestamp{Time: args[2].(calendarVal).AddMonths(at.Time, int(months))}
}

func daysBetween(args ...ref.Val) ref.Val {
	from, ok := moment(args[0], args[2]).(types.Timestamp)
	to, also := moment(args[1], args[2]).(types.Timestamp)
	if !ok || !also {
		return firstError(moment(args[0], args[2]), moment(args[1], args[2]))
	}
	return types.Int(args[2].(calendarVal).DaysBetween(from.Time, to.Time))
}

func startOf(args ...ref.Val) ref.Val {
	at, ok := moment(args[0], args[2]).(types.Timestamp)
	unit, isText := args[1].(types.String)
	if !ok || !isText {
		return firstError(moment(args[0], args[2]), types.NewErr("startOf takes a time and a unit such as \"month\""))
	}
	start, err := args[2].(calendarVal).StartOf(at.Time, string(unit))
	if err != nil {
		return types.NewErr("%s", err.Error())
	}
	return types.Timestamp{Time: start}
}
