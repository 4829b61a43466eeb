package expr

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
	"time"

	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"
)

// DecodeJSON reads one JSON value in the form expressions use: whole numbers
// become int64, whichever way they are written, others float64.
func DecodeJSON(data []byte) (any, error) {
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	var v any
	if err := d.Decode(&v); err != nil {
		return nil, err
	}
	if _, err := d.Token(); err != io.EOF {
		return nil, fmt.Errorf("there is more after the end of the JSON value, at byte %d", d.InputOffset())
	}
	v, _ = canonical(v, true)
	return v, nil
}

// Texts is a list of texts as expressions hold it.
func Texts(list []string) []any {
	out := make([]any, len(list))
	for i, text := range list {
		out[i] = text
	}
	return out
}

// Kind names a value's kind as messages to people do.
func Kind(v any) string {
	switch v.(type) {
	case nil:
		return "nothing (null)"
	case bool:
		return "a yes or no"
	case int, int64, float64:
		return "a number"
	case string:
		return "a text"
	case []any:
		return "a list"
	case map[string]any:
		return "a map"
	}
	return fmt.Sprintf("a %T", v)
}

// Text prints a value as it stands in a text: null prints nothing, lists one
// item a line, maps JSON.
func Text(v any) string {
	switch v := v.(type) {
	case nil:
		return ""
	case string:
		return v
	case bool:
		return strconv.FormatBool(v)
	case int:
		return strconv.Itoa(v)
	case int64:
		return strconv.FormatInt(v, 10)
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64)
	case []any:
		lines := make([]string, len(v))
		for i, item := range v {
			lines[i] = Text(item)
		}
		return strings.Join(lines, "\n")
	}
	out, err := json.Marshal(v)
	if err != nil {
		return fmt.Sprint(v)
	}
	return string(out)
}

func fromCEL(v ref.Val, zone *time.Location) (any, error) {
	switch v := v.(type) {
	case types.Null:
		return nil, nil
	case types.Bool:
		return bool(v), nil
	case types.Int:
		return int64(v), nil
	case types.Uint:
		if uint64(v) > math.MaxInt64 {
			return float64(v), nil
		}
		return int64(v), nil
	case types.Double:
		if f := float64(v); math.IsNaN(f) || math.IsInf(f, 0) {
			return nil, &Error{Message: "the result is not a number JSON can hold"}
		}
		return canonicalFloat(float64(v)), nil
	case types.String:
		return string(v), nil
	case types.Bytes:
		return string(v), nil
	case types.Timestamp:
		return v.Time.In(zone).Format(time.RFC3339Nano), nil
	case types.Duration:
		return v.Duration.String(), nil
	case *types.Optional:
		if !v.HasValue() {
			return nil, nil
		}
		return fromCEL(v.GetValue(), zone)
	case traits.Mapper:
		out := map[string]any{}
		for it := v.Iterator(); it.HasNext() == types.True; {
			key := it.Next()
			k, err := fromCEL(key, zone)
			if err != nil {
				return nil, err
			}
			item, err := fromCEL(v.Get(key), zone)
			if err != nil {
				return nil, err
			}
			out[Text(k)] = item
		}
		return out, nil
	case traits.Lister:
		out := []any{}
		for it := v.Iterator(); it.HasNext() == types.True; {
			item, err := fromCEL(it.Next(), zone)
			if err != nil {
				return nil, err
			}
			out = append(out, item)
		}
		return out, nil
	}
	return nil, &Error{Message: fmt.Sprintf("a value of type %s cannot leave an expression", v.Type().TypeName())}
}
