package run

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"time"
	"unicode/utf8"
)

// EncodeEntry writes an entry for the journal. It is the JSON that
// encoding/json would write, made by hand where every run passes: a tenth of
// the service's work under load was finding out by reflection which of a
// record's many fields are empty.
func EncodeEntry(e Entry) ([]byte, error) {
	b := encoder{buf: make([]byte, 0, 2048)}
	b.raw(`{"v":`)
	b.buf = strconv.AppendInt(b.buf, int64(e.Form), 10)
	b.raw(`,"seq":`)
	b.buf = strconv.AppendInt(b.buf, e.Seq, 10)
	b.raw(`,"at":`)
	b.time(e.At)
	b.raw(`,"records":[`)
	for i := range e.Records {
		if i > 0 {
			b.raw(",")
		}
		b.record(&e.Records[i])
	}
	b.raw("]}")
	if b.err != nil {
		return nil, fmt.Errorf("run: this advance cannot be written: %w", b.err)
	}
	return b.buf, nil
}

type encoder struct {
	buf []byte
	err error
}

func (b *encoder) raw(s string) { b.buf = append(b.buf, s...) }

func (b *encoder) record(r *Record) {
	b.raw(`{"do":`)
	b.text(r.Do)
	b.field("step", r.Step)
	b.field("status", string(r.Status))
	if r.Signal != nil {
		b.raw(`,"signal":`)
		b.signal(r.Signal)
	}
	b.other("origin", r.Origin, r.Origin == nil)
	b.other("begun", r.Begun, r.Begun == nil)
	b.any("input", r.Input)
	b.any("output", r.Output)
	b.field("error", r.Error)
	b.field("block", r.Block)
	if r.Confidence != 0 {
		b.raw(`,"confidence":`)
		b.value(r.Confidence)
	}
	b.field("effect", string(r.Effect))
	b.field("resend", string(r.Resend))
	if r.Sending != 0 {
		b.raw(`,"sending":`)
		b.buf = strconv.AppendInt(b.buf, r.Sending, 10)
	}
	if !r.Until.IsZero() {
		b.raw(`,"until":`)
		b.time(r.Until)
	}
	b.other("hearing", r.Hearing, r.Hearing == nil)
	b.field("child", r.Child)
	if r.Recorded {
		b.raw(`,"recorded":true`)
	}
	b.other("agent", r.Agent, r.Agent == nil)
	b.other("said", r.Said, len(r.Said) == 0)
	b.field("text", r.Text)
	b.field("about", r.About)
	b.field("name", r.Name)
	b.other("labels", r.Labels, len(r.Labels) == 0)
	b.other("facts", r.Facts, len(r.Facts) == 0)
	b.other("offered", r.Offered, len(r.Offered) == 0)
	b.other("turn", r.Turn, r.Turn == nil)
	b.other("call", r.Call, r.Call == nil)
	b.other("review", r.Review, r.Review == nil)
	b.other("message", r.Message, r.Message == nil)
	b.other("asking", r.Asking, r.Asking == nil)
	if r.Answer != nil {
		b.raw(`,"answer":{"status":`)
		b.buf = strconv.AppendInt(b.buf, int64(r.Answer.Status), 10)
		b.other("headers", r.Answer.Headers, len(r.Answer.Headers) == 0)
		b.any("body", r.Answer.Body)
		b.raw("}")
	}
	b.raw("}")
}

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
	b.field("text", s.Text)
	b.any("body", s.Body)
	b.other("files", s.Files, len(s.Files) == 0)
	b.field("answers", s.Answers)
	b.field("cause", s.Cause)
	if s.Draft {
		b.raw(`,"draft":true`)
	}
	b.other("via", s.Via, s.Via == nil)
	b.raw("}")
}

// field writes a text that is not empty.
func (b *encoder) field(name, s string) {
	if s != "" {
		b.raw(`,"` + name + `":`)
		b.text(s)
	}
}

// any writes a value that is not nil.
func (b *encoder) any(name string, v any) {
	if v != nil {
		b.raw(`,"` + name + `":`)
		b.value(v)
	}
}

// other writes what is rare as encoding/json does.
func (b *encoder) other(name string, v any, empty bool) {
	if empty {
		return
	}
	b.raw(`,"` + name + `":`)
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
