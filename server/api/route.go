package api

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	jsonv2 "github.com/go-json-experiment/json"
	jsonv1 "github.com/go-json-experiment/json/v1"

	"woolsignal/server/access"
)

// Route is one address of the API.
type Route struct {
	Method   string
	Path     string      // below /api/v1, in chi's form
	Role     access.Role // least role; "" for everybody
	Summary  string
	Query    []Parameter
	In, Out  reflect.Type // of the bodies; nil where there is none
	Produces string       // the media type of an answer that is none of ours
	Later    string       // what a 202 says; "" where there is none
	Most     int64        // how large a body may be, in bytes; 0 is the usual [maxBody]
	Audited  string       // what is done by it, where that changes or exports something; see [audit.Event]
	Hourly   bool         // that is noted once an hour a person and address
	handle   func(http.ResponseWriter, *http.Request) error
}

// Parameter is one value in the query.
type Parameter struct {
	Name, Description string
	Holds             string // integer, number, boolean or date-time; "" is any text
}

// none is the body of a request or an answer without one.
type none struct{}

// request is what a handler works with: the request, and what of the answer
// stands beside its body.
type request struct {
	*http.Request
	header http.Header // of the answer
	status int         // of the answer; 0 is the usual one
}

// touchedKey finds what a request touched beside what its address says.
type touchedKey struct{}

// touches notes for the audit trail what a request does, beside what its address says.
func (r *request) touches(what string) {
	if about, is := r.Context().Value(touchedKey{}).(*string); is {
		*about = what
	}
}

// Param is a part of the address.
func (r *request) Param(name string) string { return chi.URLParam(r.Request, name) }

// on makes a route: its body is decoded, its answer encoded, and an error is a
// problem, here and nowhere else.
func on[In, Out any](method, path string, role access.Role, summary string, do func(*request, In) (Out, error),
	query ...Parameter) Route {
	route := Route{Method: method, Path: path, Role: role, Summary: summary, Query: query, In: body[In](),
		Out: body[Out]()}
	route.handle = func(w http.ResponseWriter, r *http.Request) error {
		var in In
		if route.In != nil {
			var err error
			if in, err = decode[In](r); err != nil {
				return err
			}
		}
		q := &request{Request: r, header: w.Header()}
		out, err := do(q, in)
		if err != nil {
			return err
		}
		if route.Out == nil {
			w.WriteHeader(http.StatusNoContent)
			return nil
		}
		return reply(w, q.status, out)
	}
	return route
}

// raw makes a route whose answer is a stream or a file of some media type.
func raw(method, path string, role access.Role, summary, produces string,
	handle func(http.ResponseWriter, *http.Request) error, query ...Parameter) Route {
	return Route{Method: method, Path: path, Role: role, Summary: summary, Query: query, Produces: produces,
		handle: handle}
}

// later says that the route may also answer 202, and what that means.
func (route Route) later(what string) Route {
	route.Later = what
	return route
}

// upTo lets the body be larger than others.
func (route Route) upTo(bytes int64) Route {
	route.Most = bytes
	return route
}

// audited has the route kept in the audit trail, as something that is done.
func (route Route) audited(did string) Route {
	route.Audited = did
	return route
}

// hourly has it kept once an hour: it is what somebody does again and again.
func (route Route) hourly() Route {
	route.Hourly = true
	return route
}

// body is the type of a body; nil where there is none.
func body[T any]() reflect.Type {
	t := reflect.TypeFor[T]()
	if t == reflect.TypeFor[none]() {
		return nil
	}
	return t
}

// asked refuses values in the query that nothing reads, or that are of another
// type than they should be.
func (route Route) asked(r *http.Request) error {
	for name, values := range r.URL.Query() {
		i := slices.IndexFunc(route.Query, func(p Parameter) bool { return p.Name == name })
		if i < 0 {
			return refuse(http.StatusBadRequest, "The address asks for too much", "Nothing here reads "+name+
				" in the query.")
		}
		for _, v := range values {
			if why := route.Query[i].unfit(v); why != "" {
				return refuse(http.StatusBadRequest, "The address cannot be read", name+" is "+why+".")
			}
		}
	}
	return nil
}

// unfit says what a value should be; "" where it is, or is empty.
func (p Parameter) unfit(v string) string {
	var err error
	why := ""
	switch p.Holds {
	case "integer":
		_, err = strconv.ParseInt(v, 10, 64)
		why = "a whole number"
	case "number":
		_, err = strconv.ParseFloat(v, 64)
		why = "a number such as 0.05"
	case "boolean":
		_, err = strconv.ParseBool(v)
		why = "true or false"
	case "date-time":
		_, err = time.Parse(time.RFC3339, v)
		why = "a time such as 2026-11-23T14:30:00Z"
	}
	if v == "" || err == nil {
		return ""
	}
	return why
}

// unread says in words what is wrong with a body.
func unread(err error) string {
	var other *json.UnmarshalTypeError
	var syntax *json.SyntaxError
	switch {
	case errors.As(err, &other) && other.Field == "":
		return "The body must be " + inWords(other.Type) + ", and is " + article(other.Value) + "."
	case errors.As(err, &other):
		return other.Field + " must be " + inWords(other.Type) + ", and is " + article(other.Value) + "."
	case errors.As(err, &syntax):
		return fmt.Sprintf("It is not JSON: %v, at byte %d.", syntax, syntax.Offset)
	case errors.Is(err, io.EOF):
		return "There is no body; send JSON."
	case errors.Is(err, io.ErrUnexpectedEOF):
		return "It is not JSON: it ends too early."
	}
	return strings.TrimPrefix(err.Error(), "json: ") + "."
}

// inWords says what JSON a type is read from.
func inWords(t reflect.Type) string {
	switch t.Kind() {
	case reflect.Bool:
		return "true or false"
	case reflect.String:
		return "a text"
	case reflect.Slice, reflect.Array:
		return "a list"
	case reflect.Map, reflect.Struct:
		return "a map"
	case reflect.Pointer:
		return inWords(t.Elem())
	}
	return "a number"
}

// article puts one before JSON's word for a kind of value.
func article(kind string) string {
	switch {
	case strings.HasPrefix(kind, "number "), kind == "bool":
		return kind
	case kind == "array", kind == "object":
		return "an " + kind
	}
	return "a " + kind
}

// decode reads a JSON body; unknown fields are a mistake worth telling.
func decode[T any](r *http.Request) (T, error) {
	var v T
	d := json.NewDecoder(r.Body)
	d.DisallowUnknownFields()
	if err := d.Decode(&v); err != nil {
		var large *http.MaxBytesError
		if errors.As(err, &large) {
			return v, err
		}
		return v, refuse(http.StatusBadRequest, "The request cannot be read", unread(err))
	}
	if _, err := d.Token(); err != io.EOF {
		return v, refuse(http.StatusBadRequest, "The request cannot be read", "there is more behind the JSON value")
	}
	return v, nil
}

// neverNull writes lists and maps that hold nothing as such: whoever reads
// them need not ask first whether they are there.
var neverNull = jsonv2.JoinOptions(jsonv1.DefaultOptionsV1(), jsonv1.FormatByteArrayAsArray(false),
	jsonv2.FormatNilSliceAsNull(false), jsonv2.FormatNilMapAsNull(false))

// reply answers with JSON.
func reply(w http.ResponseWriter, status int, v any) error {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	if status != 0 {
		w.WriteHeader(status)
	}
	return jsonv2.MarshalWrite(w, v, neverNull)
}
