package expr

import (
	"encoding/json"
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"
)

// Canonical gives a value the one form it has in memory, in a journal and
// read back from it: null, yes or no, int64, float64, text, list or map.
//
//   - A number that is whole is an int64 as far as one can hold it, whichever
//     way it was written. One that no float64 can hold is its digits as a text.
//   - What JSON has no number for is a text: "NaN", "Infinity" and "-Infinity",
//     as databases write it.
//   - A byte that is no UTF-8 is U+FFFD.
//   - Times are RFC 3339, bytes are text, and anything else is what
//     encoding/json makes of it, or its words where it makes nothing.
//
// Lists and maps are changed in place, and only where something in them has
// another form: values that are canonical may be read meanwhile.
func Canonical(v any) any {
	out, _ := canonical(v)
	return out
}

// canonical tells also whether the value has another form now.
func canonical(v any) (out any, changed bool) {
	switch v := v.(type) {
	case nil, bool, int64:
		return v, false
	case string:
		if utf8.ValidString(v) {
			return v, false
		}
		return strings.ToValidUTF8(v, "\uFFFD"), true
	case float64:
		out := canonicalFloat(v)
		_, same := out.(float64)
		return out, !same
	case map[string]any:
		canonicalMap(v)
		return v, false
	case []any:
		for i, item := range v {
			if out, changed := canonical(item); changed {
				v[i] = out
			}
		}
		return v, false
	}
	return foreign(v), true
}

func canonicalMap(m map[string]any) {
	for k, item := range m {
		out, changed := canonical(item)
		if !utf8.ValidString(k) {
			delete(m, k)
			k, changed = strings.ToValidUTF8(k, "\uFFFD"), true
		}
		if changed {
			m[k] = out
		}
	}
}

// foreign gives a value of a type expressions do not know its form.
func foreign(v any) any {
	switch v := v.(type) {
	case json.Number:
		if i, err := v.Int64(); err == nil {
			return i
		}
		f, err := v.Float64()
		if err != nil {
			return v.String()
		}
		return canonicalFloat(f)
	case int:
		return int64(v)
	case int32:
		return int64(v)
	case uint64:
		if v > math.MaxInt64 {
			return float64(v)
		}
		return int64(v)
	case float32: // the number its digits say, not the one its bits do
		f, _ := strconv.ParseFloat(strconv.FormatFloat(float64(v), 'g', -1, 32), 64)
		return canonicalFloat(f)
	case []byte:
		return strings.ToValidUTF8(string(v), "\uFFFD")
	case time.Time:
		return v.Format(time.RFC3339Nano)
	}
	data, err := json.Marshal(v)
	if err == nil {
		if out, err := DecodeJSON(data); err == nil {
			return out
		}
	}
	return strings.ToValidUTF8(fmt.Sprint(v), "\uFFFD")
}

// int64Limit is 2^63: whole float64 values below it each have an int64 of the
// same value.
const int64Limit = 1 << 63

// canonicalFloat gives the one form every number has outside an expression.
func canonicalFloat(f float64) any {
	switch {
	case math.IsNaN(f):
		return "NaN"
	case math.IsInf(f, 1):
		return "Infinity"
	case math.IsInf(f, -1):
		return "-Infinity"
	case f == math.Trunc(f) && f >= -int64Limit && f < int64Limit:
		return int64(f)
	}
	return f
}
