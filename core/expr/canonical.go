package expr

import (
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
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
// The value itself stays as it is: where something in it has another form, its
// lists and maps are copied; where nothing has, it is given back.
func Canonical(v any) any {
	out, _ := canonical(v, false)
	return out
}

// CanonicalMap is [Canonical] for a map.
func CanonicalMap(m map[string]any) map[string]any {
	out, _ := canonicalMap(m, false)
	return out
}

// canonical tells also whether the value has another form now. What is owned,
// because nobody else has it yet, is changed in place.
func canonical(given any, owned bool) (out any, changed bool) {
	switch v := given.(type) {
	case nil, bool, int64:
		return given, false
	case string:
		if utf8.ValidString(v) {
			return given, false
		}
		return strings.ToValidUTF8(v, "\uFFFD"), true
	case float64:
		out := canonicalFloat(v)
		_, same := out.(float64)
		return out, !same
	case map[string]any:
		return canonicalMap(v, owned)
	case []any:
		if out, changed := canonicalList(v, owned); changed {
			return out, true
		}
		return given, false
	}
	return foreign(given), true
}

func canonicalList(list []any, owned bool) (out []any, changed bool) {
	out = list
	for i, item := range list {
		item, differs := canonical(item, owned)
		if !differs {
			continue
		}
		if !owned && !changed {
			out = slices.Clone(list)
		}
		out[i], changed = item, true
	}
	return out, changed && !owned
}

func canonicalMap(m map[string]any, owned bool) (out map[string]any, changed bool) {
	out = m
	for k, item := range m {
		item, differs := canonical(item, owned)
		valid := utf8.ValidString(k)
		if !differs && valid {
			continue
		}
		if !owned && !changed {
			out = maps.Clone(m)
		}
		changed = true
		if !valid {
			delete(out, k)
			k = strings.ToValidUTF8(k, "\uFFFD")
		}
		out[k] = item
	}
	return out, changed && !owned
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
