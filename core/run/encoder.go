package run

import (
	"bytes"
	"encoding/json"
	"maps"
	"math"
	"slices"
	"strconv"
	"time"
	"unicode/utf8"
)

// encoder writes JSON.
type encoder struct {
	buf []byte
	err error
}

func (b *encoder) raw(s string) { b.buf = append(b.buf, s...) }

func (b *encoder) whole(n int64) { b.buf = strconv.AppendInt(b.buf, n, 10) }

func (b *encoder) signal(s *Signal) {
	b.raw(`{"id":`)
	b.text(s.ID)
	b.raw(`,"source":`)
	b.text(s.Source)
	b.field("in", s.In)
	b.raw(`,"type":`)
	b.text(s.Type)
	b.raw(`,"time":`)
	b.time(s.Time)
	b.field("subject", s.Subject)
	b.raw(`,"kind":`)
	b.text(s.Kind)
	b.raw(`,"trigger":`)
	b.text(s.Trigger)
	b.field("thread", s.Thread)
	b.other("from", s.From, len(s.From) == 0)
	b.field("for", s.For)
	b.field("text", s.Text)
	b.any("body", s.Body)
	b.other("files", s.Files, len(s.Files) == 0)
	b.field("answers", s.Answers)
	if s.Unasked {
		b.raw(`,"unasked":true`)
	}
	b.field("cause", s.Cause)
	if s.Stranger {
		b.raw(`,"stranger":true`)
	}
	if s.Written {
		b.raw(`,"written":true`)
	}
	if s.Draft {
		b.raw(`,"draft":true`)
	}
	b.other("via", s.Via, s.Via == nil)
	b.raw("}")
}

// number writes a number that is not 0.
func (b *encoder) number(name string, n int64) {
	if n != 0 {
		b.raw(`,"`)
		b.raw(name)
		b.raw(`":`)
		b.whole(n)
	}
}

// field writes a text that is not empty.
func (b *encoder) field(name, s string) {
	if s != "" {
		b.raw(`,"`)
		b.raw(name)
		b.raw(`":`)
		b.text(s)
	}
}

// any writes a value that is not nil.
func (b *encoder) any(name string, v any) {
	if v != nil {
		b.raw(`,"`)
		b.raw(name)
		b.raw(`":`)
		b.value(v)
	}
}

// other writes what is rare as encoding/json does.
func (b *encoder) other(name string, v any, empty bool) {
	if empty {
		return
	}
	b.raw(`,"`)
	b.raw(name)
	b.raw(`":`)
	b.marshal(v)
}

func (b *encoder) marshal(v any) {
	var out bytes.Buffer
	e := json.NewEncoder(&out)
	e.SetEscapeHTML(false)
	if err := e.Encode(v); err != nil && b.err == nil {
		b.err = err
	}
	b.buf = append(b.buf, bytes.TrimRight(out.Bytes(), "\n")...)
}

func (b *encoder) time(t time.Time) {
	b.raw(`"`)
	b.buf = t.AppendFormat(b.buf, time.RFC3339Nano)
	b.raw(`"`)
}

// value writes a JSON value, the keys of maps in order.
func (b *encoder) value(v any) {
	switch v := v.(type) {
	case nil:
		b.raw("null")
	case bool:
		b.buf = strconv.AppendBool(b.buf, v)
	case int64:
		b.buf = strconv.AppendInt(b.buf, v, 10)
	case float64:
		if math.IsNaN(v) || math.IsInf(v, 0) || math.Abs(v) >= 1e21 || v != 0 && math.Abs(v) < 1e-6 {
			b.marshal(v)
			return
		}
		b.buf = strconv.AppendFloat(b.buf, v, 'f', -1, 64)
	case string:
		b.text(v)
	case []any:
		b.raw("[")
		for i, item := range v {
			if i > 0 {
				b.raw(",")
			}
			b.value(item)
		}
		b.raw("]")
	case map[string]any:
		b.raw("{")
		keys := slices.AppendSeq(make([]string, 0, 16), maps.Keys(v)) // most have fewer, so nothing is allocated
		slices.Sort(keys)
		for i, key := range keys {
			if i > 0 {
				b.raw(",")
			}
			b.text(key)
			b.raw(":")
			b.value(v[key])
		}
		b.raw("}")
	default:
		b.marshal(v)
	}
}

// text writes a string; one that needs no escapes, as most, byte for byte.
func (b *encoder) text(s string) {
	for i := 0; i < len(s); i++ {
		if c := s[i]; c < ' ' || c == '"' || c == '\\' || c >= utf8.RuneSelf {
			b.marshal(s)
			return
		}
	}
	b.raw(`"`)
	b.raw(s)
	b.raw(`"`)
}
