package run

import (
	"bytes"
	"encoding/json"
	"fmt"
	"reflect"
	"sync"
	"time"
)

// Form numbers the form of entries and snapshots. Who reads one of another
// form refuses it: a journal is never guessed at.
const Form = 4

// FormError says that a record or snapshot is of a form this version does not
// know.
type FormError struct{ What string }

func (e *FormError) Error() string {
	return e.What + ", which another version of Wool Signal wrote; start that one to go on with this run"
}

// Entry is one advance of a run as the journal keeps it: everything that
// followed from one event, at one time.
type Entry struct {
	Form    int   // [Form] of who wrote it
	Seq     int64 // from 1
	At      time.Time
	Records []Record
}

// MarshalJSON is [EncodeEntry].
func (e Entry) MarshalJSON() ([]byte, error) { return EncodeEntry(e) }

// UnmarshalJSON is [DecodeEntry].
func (e *Entry) UnmarshalJSON(data []byte) (err error) {
	*e, err = DecodeEntry(data)
	return err
}

// Status is how a run ended with an entry; [Running] where it did not.
func (e Entry) Status() Status {
	for _, r := range e.Records {
		if f, is := r.(*RunFinished); is {
			return f.Status
		}
	}
	return Running
}

// DecodeEntry reads one entry of a journal. Numbers come back in the form
// they had, so that a folded state equals the one that was never written.
func DecodeEntry(data []byte) (Entry, error) {
	var raw struct {
		Form    int               `json:"v"`
		Seq     int64             `json:"seq"`
		At      time.Time         `json:"at"`
		Records []json.RawMessage `json:"records"`
	}
	if err := json.Unmarshal(data, &raw); err != nil {
		return Entry{}, fmt.Errorf("run: this is not a journal entry: %w", err)
	}
	e := Entry{Form: raw.Form, Seq: raw.Seq, At: raw.At}
	if e.Form != Form {
		return e, &FormError{fmt.Sprintf("entry %d is of form %d", e.Seq, e.Form)}
	}
	e.Records = make([]Record, len(raw.Records))
	for i, text := range raw.Records {
		r, err := decodeRecord(e.Seq, text)
		if err != nil {
			return e, err
		}
		e.Records[i] = r
	}
	return e, nil
}

func decodeRecord(seq int64, text []byte) (Record, error) {
	var head struct {
		Do string `json:"do"`
	}
	if err := json.Unmarshal(text, &head); err != nil {
		return nil, fmt.Errorf("run: entry %d: %w", seq, err)
	}
	kind, known := kinds[head.Do]
	if !known {
		return nil, &FormError{fmt.Sprintf("entry %d says %q", seq, head.Do)}
	}
	r := reflect.New(kind).Interface().(Record)
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	if err := d.Decode(r); err != nil {
		return nil, fmt.Errorf("run: entry %d, %s: %w", seq, head.Do, err)
	}
	if !whole(r) {
		return nil, fmt.Errorf("run: entry %d: the record %s is not whole", seq, head.Do)
	}
	r.gate(&gate{})
	return r, nil
}

// whole tells whether a record that was read has what folding needs.
func whole(r Record) bool {
	switch r := r.(type) {
	case *RunAccepted:
		return r.Signal != nil
	case *BlockEntered:
		return !r.Block.IsZero()
	case *ListeningBegan:
		return r.Hearing != nil
	case *SignalHeard:
		return r.Signal != nil
	case *QuestionMoved:
		return r.Asking != nil
	case *CallChanged:
		return r.Call != nil
	case *ReviewAsked:
		return r.Review != nil
	case *ReviewAnswered:
		return r.Review != nil
	}
	return true
}

// EncodeEntry writes an entry for the journal. It is the JSON encoding/json
// would write, with the word of each record as do; what every run writes is
// made by hand, for finding out by reflection which fields are empty was a
// tenth of the service's work under load.
func EncodeEntry(e Entry) ([]byte, error) {
	b := buffers.Get().(*encoder)
	defer buffers.Put(b)
	b.buf, b.err = b.buf[:0], nil
	b.raw(`{"v":`)
	b.whole(int64(e.Form))
	b.raw(`,"seq":`)
	b.whole(e.Seq)
	b.raw(`,"at":`)
	b.time(e.At)
	b.raw(`,"records":[`)
	for i, r := range e.Records {
		if i > 0 {
			b.raw(",")
		}
		b.record(r)
	}
	b.raw("]}")
	if b.err != nil {
		return nil, fmt.Errorf("run: this advance cannot be written: %w", b.err)
	}
	return bytes.Clone(b.buf), nil
}

// buffers are where entries are written before they are known to be whole;
// what is kept of one is as long as it is and no longer.
var buffers = sync.Pool{New: func() any { return &encoder{buf: make([]byte, 0, 4096)} }}

// record writes a record.
func (b *encoder) record(r Record) {
	b.raw(`{"do":"`)
	b.raw(r.word())
	b.raw(`"`)
	switch r := r.(type) {
	case *RunAccepted:
		b.raw(`,"signal":`)
		b.signal(r.Signal)
		b.other("origin", r.Origin, r.Origin == nil)
		b.other("begun", r.Begun, r.Begun == nil)
	case *RunStarted:
	case *RunFinished:
		b.field("status", string(r.Status))
		b.field("why", r.Why)
		b.any("result", r.Result)
	case *StepBegan:
		b.field("step", r.Step)
		b.any("input", r.Input)
		b.number("sending", r.Sending)
		b.field("resend", string(r.Resend))
		b.other("agent", r.Agent, r.Agent == nil)
	case *StepEnded:
		b.field("step", r.Step)
		b.field("status", string(r.Status))
		b.any("input", r.Input)
		b.any("output", r.Output)
		b.field("error", r.Error)
		b.field("effect", string(r.Effect))
		if r.Recorded {
			b.raw(`,"recorded":true`)
		}
		b.field("held", string(r.Held))
	case *BlockEntered:
		b.field("step", r.Step)
		b.field("block", r.Block.String())
		b.other("choice", r.Choice, r.Choice == nil)
	case *BlockLeft:
		b.field("step", r.Step)
		b.field("block", r.Block.String())
		b.field("status", string(r.Status))
		b.any("gives", r.Gives)
		b.field("error", r.Error)
	case *CallerAnswered:
		b.field("step", r.Step)
		b.raw(`,"response":{"status":`)
		b.whole(int64(r.Response.Status))
		b.other("headers", r.Response.Headers, len(r.Response.Headers) == 0)
		b.any("body", r.Response.Body)
		b.raw("}")
	default:
		b.rest(r)
		return
	}
	b.raw("}")
}

// rest writes the fields of a record that is rare, and closes it.
func (b *encoder) rest(r Record) {
	before := len(b.buf)
	b.marshal(r)
	if b.err == nil {
		b.buf[before] = ',' // the brace is open already
	}
}
