package intake

import (
	"bytes"
	"encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"net/http"
	"net/url"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/clbanning/mxj/v2"
	cloudevents "github.com/cloudevents/sdk-go/v2"
	cehttp "github.com/cloudevents/sdk-go/v2/protocol/http"
	"github.com/go-json-experiment/json/jsontext"
	"golang.org/x/text/encoding/htmlindex"

	"woolsignal/core/expr"
	"woolsignal/core/run"
	"woolsignal/core/schema"
	"woolsignal/server/problem"
	"woolsignal/server/tool"
	"woolsignal/server/workspace"
)

// maxBody is how large a webhook's body may be, in bytes; deepest how deep
// its values may be nested.
const (
	maxBody = 1 << 20
	deepest = 100
)

// sentFile is a file of a delivery that is not kept yet.
type sentFile struct {
	run.File
	data []byte
}

// read checks a delivery from the outside in: method, size, signature, type,
// form, schema. Only once it is taken are its files kept.
func (h *Webhooks) read(t workspace.Webhook, w http.ResponseWriter, r *http.Request) (*run.Signal, *problem.Details) {
	if r.Method != http.MethodPost {
		w.Header().Set("Allow", http.MethodPost)
		return nil, &problem.Details{Status: http.StatusMethodNotAllowed, Title: "Wrong method",
			Detail: "Send this delivery with POST, not " + r.Method + "."}
	}
	kind, params, err := mime.ParseMediaType(r.Header.Get("Content-Type"))
	if err != nil || !readable(kind) {
		return nil, &problem.Details{Status: http.StatusUnsupportedMediaType, Title: "Wrong content type",
			Detail: "Send JSON with Content-Type: application/json; forms, XML and plain text are taken too."}
	}
	body, refusal := whole(w, r)
	if refusal != nil {
		return nil, refusal
	}
	key := h.Workspace.Now().Connections[t.Hook.Verify]
	if signingKey(key) == nil {
		return nil, noKey("The signing key " + t.Hook.Verify + " is gone.")
	}
	id, refusal := verify(h.Secrets, key, r.Header, body)
	if refusal != nil {
		return nil, refusal
	}
	signal := &run.Signal{ID: id, Source: t.Source(), Type: "webhook." + t.Hook.Path,
		Time: time.Now().UTC().Truncate(time.Millisecond), Kind: "webhook", Trigger: t.ID}
	if signingKey(key).Scheme != "bearer" && r.Header.Get("Ce-Specversion") != "" {
		return nil, &problem.Details{Status: http.StatusBadRequest, Title: "Its attributes are not signed",
			Detail: "Send a CloudEvent in structured mode: in binary mode its attributes stand in headers, which the " +
				"signature does not cover."}
	}
	files, refusal := fill(r, signal, kind, params, body)
	if refusal != nil {
		return nil, refusal
	}
	if id := idIn(signal.Body, signingKey(key).IDField); id != "" {
		signal.ID = id
	}
	if t.Hook.Accepts != nil {
		var invalid *schema.Error
		if err := t.Hook.Accepts.Validate(signal.Body); errors.As(err, &invalid) {
			return nil, &problem.Details{Status: http.StatusUnprocessableEntity,
				Title:  "The delivery does not fit its schema",
				Detail: invalid.Error(), More: map[string]any{"errors": invalid.Mismatches}}
		} else if err != nil {
			return nil, &problem.Details{Status: http.StatusUnprocessableEntity,
				Title: "The delivery does not fit its schema", Detail: err.Error()}
		}
	}
	if t.Hook.Subject != nil {
		if signal.Subject, err = t.Definition.About(t.Hook.Subject, signal); err != nil {
			return nil, &problem.Details{Status: http.StatusUnprocessableEntity,
				Title: "The delivery does not say what it is about", Detail: err.Error()}
		}
	}
	for _, f := range files {
		if _, err := h.Kit.Keep(r.Context(), f.Name, f.Type, f.data); err != nil {
			h.Log.Error("a file could not be kept", "error", err)
			return nil, &problem.Details{Status: http.StatusServiceUnavailable, Title: "Not taken",
				Detail: "A file could not be kept just now; send the delivery again in a minute."}
		}
		signal.Files = append(signal.Files, f.File)
	}
	return signal, nil
}

// readable tells whether bodies of a media type can be read.
func readable(kind string) bool {
	switch kind {
	case "application/json", "application/x-www-form-urlencoded", "multipart/form-data",
		"application/xml", "text/xml", "text/plain":
		return true
	}
	return strings.HasSuffix(kind, "+json") || strings.HasSuffix(kind, "+xml")
}

// idIn is what a body calls its delivery, at a dotted place; "" where it does
// not.
func idIn(body any, place string) string {
	if place == "" {
		return ""
	}
	for name := range strings.SplitSeq(place, ".") {
		m, is := body.(map[string]any)
		if !is {
			return ""
		}
		body = m[name]
	}
	switch body.(type) {
	case string, int64:
		if id := expr.Text(body); len(id) <= 200 {
			return id
		}
	}
	return ""
}

// whole reads a body that may not be too large.
func whole(w http.ResponseWriter, r *http.Request) ([]byte, *problem.Details) {
	body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, maxBody))
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		return nil, &problem.Details{Status: http.StatusRequestEntityTooLarge, Title: "Too large",
			Detail: fmt.Sprintf("A delivery may have %d bytes.", maxBody)}
	} else if err != nil {
		return nil, &problem.Details{Status: http.StatusBadRequest, Title: "The body broke off",
			Detail: "Send the whole delivery again."}
	}
	return body, nil
}

// fill reads a body into a signal, by its type, and gives the files that came
// with it. A CloudEvent (structured or binary) brings its own attributes.
func fill(r *http.Request, signal *run.Signal, kind string, params map[string]string, body []byte) ([]sentFile,
	*problem.Details) {
	switch {
	case kind == "application/cloudevents+json" || r.Header.Get("Ce-Specversion") != "":
		return nil, cloudEvent(r, signal, body)
	case kind == "multipart/form-data":
		return multipartForm(signal, params["boundary"], body)
	}
	v, refusal := value(kind, params["charset"], body)
	signal.Body = v
	if s, ok := v.(string); ok {
		signal.Text = s
	}
	return nil, refusal
}

// value reads a body by its media type.
func value(kind, charset string, body []byte) (any, *problem.Details) {
	switch {
	case kind == "application/json" || strings.HasSuffix(kind, "+json"):
		if charset != "" && !strings.EqualFold(charset, "utf-8") {
			return nil, &problem.Details{Status: http.StatusUnsupportedMediaType, Title: "Wrong character set",
				Detail: "JSON is sent as UTF-8, not " + charset + "."}
		}
		return jsonValue(body)
	case kind == "application/x-www-form-urlencoded":
		values, err := url.ParseQuery(string(body))
		if err != nil || !utf8.Valid(body) {
			return nil, &problem.Details{Status: http.StatusBadRequest, Title: "This is not a form",
				Detail: "Send name=value&name=value, percent-encoded UTF-8."}
		}
		return fields(values), nil
	case kind == "text/plain":
		return decoded(charset, body)
	}
	return xmlValue(charset, body)
}

// jsonValue reads JSON strictly (RFC 8259): no name twice, valid UTF-8, not
// nested beyond reason. What one reader takes the first of, another takes the
// last of, and a signature covers both.
func jsonValue(body []byte) (any, *problem.Details) {
	notJSON := func(detail string) *problem.Details {
		return &problem.Details{Status: http.StatusBadRequest, Title: "This is not JSON", Detail: detail}
	}
	if depth(body) > deepest {
		return nil, notJSON(fmt.Sprintf("It is nested more than %d deep.", deepest))
	}
	if !jsontext.Value(body).IsValid() {
		return nil, notJSON(jsonDetail(body))
	}
	v, err := expr.DecodeJSON(body)
	if err != nil {
		return nil, notJSON(err.Error() + ".")
	}
	return v, nil
}

// depth counts how deep brackets are nested, texts left out.
func depth(body []byte) int {
	now, most, inText := 0, 0, false
	for i := 0; i < len(body); i++ {
		switch c := body[i]; {
		case inText && c == '\\':
			i++
		case c == '"':
			inText = !inText
		case inText:
		case c == '{' || c == '[':
			now++
			most = max(most, now)
		case c == '}' || c == ']':
			now--
		}
	}
	return most
}

func jsonDetail(body []byte) string {
	d := jsontext.NewDecoder(bytes.NewReader(body))
	for {
		if _, err := d.ReadToken(); errors.Is(err, io.EOF) {
			var v any
			err = json.Unmarshal(body, &v)
			return fmt.Sprintf("%v.", err)
		} else if err != nil {
			return strings.TrimPrefix(err.Error(), "jsontext: ") + "."
		}
	}
}

// fields makes a map of a form; a name that came more than once is a list.
func fields(values map[string][]string) map[string]any {
	out := map[string]any{}
	for name, all := range values {
		if len(all) == 1 {
			out[name] = all[0]
			continue
		}
		list := make([]any, len(all))
		for i, v := range all {
			list[i] = v
		}
		out[name] = list
	}
	return out
}

// decoded reads text in a character set.
func decoded(charset string, body []byte) (string, *problem.Details) {
	if charset == "" || strings.EqualFold(charset, "utf-8") {
		if !utf8.Valid(body) {
			return "", &problem.Details{Status: http.StatusBadRequest, Title: "This is not UTF-8",
				Detail: "Say which character set it is in: Content-Type: text/plain; charset=…"}
		}
		return string(body), nil
	}
	set, err := htmlindex.Get(charset)
	if err != nil {
		return "", &problem.Details{Status: http.StatusUnsupportedMediaType, Title: "Wrong character set",
			Detail: "Nobody here knows the character set " + charset + "; send UTF-8."}
	}
	out, err := set.NewDecoder().Bytes(body)
	if err != nil {
		return "", &problem.Details{Status: http.StatusBadRequest, Title: "This is not " + charset, Detail: err.Error()}
	}
	return string(out), nil
}

// xmlValue reads XML as maps: attributes with a hyphen before their name,
// text beside them under #text. Entities a document declares for itself are
// refused, and so is deep nesting: both are how documents swell.
func xmlValue(charset string, body []byte) (any, *problem.Details) {
	notXML := func(detail string) *problem.Details {
		return &problem.Details{Status: http.StatusBadRequest, Title: "This is not XML", Detail: detail}
	}
	text, refusal := decoded(charset, body)
	if refusal != nil {
		return nil, refusal
	}
	d := xml.NewDecoder(strings.NewReader(text))
	d.CharsetReader = func(label string, in io.Reader) (io.Reader, error) {
		set, err := htmlindex.Get(label)
		if err != nil {
			return nil, err
		}
		return set.NewDecoder().Reader(in), nil
	}
	for now := 0; ; {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return nil, notXML(err.Error() + ".")
		}
		switch t := token.(type) {
		case xml.StartElement:
			if now++; now > deepest {
				return nil, notXML(fmt.Sprintf("It is nested more than %d deep.", deepest))
			}
		case xml.EndElement:
			now--
		case xml.Directive:
			if bytes.Contains(bytes.ToUpper(t), []byte("ENTITY")) {
				return nil, notXML("It declares entities of its own, which are not taken.")
			}
		}
	}
	m, err := mxj.NewMapXml([]byte(text))
	if err != nil {
		return nil, notXML(err.Error() + ".")
	}
	return map[string]any(m), nil
}

// cloudEvent reads a CloudEvent (CloudEvents 1.0, HTTP binding).
func cloudEvent(r *http.Request, signal *run.Signal, body []byte) *problem.Details {
	wrong := func(detail string) *problem.Details {
		return &problem.Details{Status: http.StatusBadRequest, Title: "This is not a CloudEvent", Detail: detail}
	}
	copied := r.Clone(r.Context())
	copied.Body = io.NopCloser(bytes.NewReader(body))
	event, err := cehttp.NewEventFromHTTPRequest(copied)
	if err == nil {
		err = event.Validate()
	}
	if err != nil {
		return wrong(err.Error() + ".")
	}
	signal.ID, signal.Type, signal.Subject = event.ID(), event.Type(), event.Subject()
	signal.In, signal.Source = signal.Source, event.Source()
	if !event.Time().IsZero() {
		signal.Time = event.Time().UTC().Truncate(time.Millisecond)
	}
	kind, params, err := mime.ParseMediaType(event.DataContentType())
	if err != nil {
		kind = cloudevents.ApplicationJSON
	}
	if len(event.Data()) == 0 {
		signal.Body = map[string]any{}
		return nil
	}
	if !readable(kind) || kind == "multipart/form-data" {
		return wrong("Its data is " + kind + "; send JSON, a form, XML or text.")
	}
	v, refusal := value(kind, params["charset"], event.Data())
	signal.Body = v
	return refusal
}

// multipartForm reads a form with files (RFC 7578).
func multipartForm(signal *run.Signal, boundary string, body []byte) (files []sentFile, refusal *problem.Details) {
	values, files, err := parts(multipart.NewReader(bytes.NewReader(body), boundary))
	if err == nil && len(values)+len(files) == 0 {
		err = errors.New("the form broke off, or has no fields")
	}
	if err != nil {
		return nil, &problem.Details{Status: http.StatusBadRequest, Title: "This is not a form", Detail: err.Error() +
			"."}
	}
	signal.Body = fields(values)
	return files, nil
}

// mostFields bounds how many parts a form may have.
const mostFields = 200

// parts reads the parts of a form whose size is bounded already.
func parts(form *multipart.Reader) (map[string][]string, []sentFile, error) {
	values := map[string][]string{}
	var files []sentFile
	for n := 0; ; n++ {
		part, err := form.NextPart()
		if errors.Is(err, io.EOF) {
			return values, files, nil
		} else if err != nil {
			return nil, nil, fmt.Errorf("the form broke off: %w", err)
		}
		if n == mostFields {
			return nil, nil, fmt.Errorf("it has more than %d fields", mostFields)
		}
		data, err := io.ReadAll(part)
		if err != nil {
			return nil, nil, fmt.Errorf("the form broke off: %w", err)
		}
		switch {
		case part.FileName() != "":
			file := tool.Describe(part.FileName(), part.Header.Get("Content-Type"), data)
			file.Field = part.FormName()
			files = append(files, sentFile{file, data})
		case !utf8.Valid(data):
			return nil, nil, fmt.Errorf("%s is not UTF-8", part.FormName())
		default:
			values[part.FormName()] = append(values[part.FormName()], string(data))
		}
	}
}
