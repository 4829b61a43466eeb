// Package hillline plays the telephone: a gateway that speaks VoiceXML 2.1,
// with a page to call from. What is typed is what was said.
package hillline

import (
	_ "embed"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"

	"woolsignal/standin/ledger"
)

//go:embed page.html
var page []byte

// Call is a call that goes on.
type Call struct {
	ID     string   `json:"id"`
	From   string   `json:"from"`
	Spoken []string `json:"spoken"` // by either side, in order
	Ended  bool     `json:"ended"`
	Held   int      `json:"held"` // how often the caller was told to hold on
	vars   map[string]string
	next   string
}

// Gateway brings calls to a line.
type Gateway struct {
	key    string
	client *http.Client

	mu    sync.Mutex // guards what follows
	line  string     // where calls are answered
	notes string     // where messages on the answering machine are put into words
	calls map[string]*Call
}

// New makes the gateway; key is its bearer key at the line.
func New(key string) http.Handler {
	g := &Gateway{key: key, client: &http.Client{Timeout: 20 * time.Second}, calls: map[string]*Call{}}
	r := chi.NewRouter()
	r.Get("/", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_, _ = w.Write(page)
	})
	r.Post("/_line", g.setLine)
	r.Post("/calls", g.dial)
	r.Post("/calls/{id}", g.say)
	r.Post("/notes", g.record)
	return ledger.Wrap(r)
}

func (g *Gateway) setLine(w http.ResponseWriter, r *http.Request) {
	var in struct{ URL, Notes string }
	if err := json.NewDecoder(r.Body).Decode(&in); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	g.mu.Lock()
	defer g.mu.Unlock()
	g.line, g.notes = in.URL, in.Notes
	w.WriteHeader(http.StatusNoContent)
}

// dial begins a call; its first turn is silence.
func (g *Gateway) dial(w http.ResponseWriter, r *http.Request) {
	var in struct{ From, Text string }
	if err := json.NewDecoder(r.Body).Decode(&in); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	g.mu.Lock()
	c := &Call{ID: fmt.Sprintf("call-%d-%d", time.Now().UnixMilli(), len(g.calls)+1), From: in.From, next: g.line,
		Spoken: []string{}, vars: map[string]string{}}
	g.calls[c.ID] = c
	g.mu.Unlock()
	c.vars["call"], c.vars["from"] = c.ID, c.From
	g.turn(w, c, in.Text)
}

func (g *Gateway) say(w http.ResponseWriter, r *http.Request) {
	var in struct{ Text string }
	if err := json.NewDecoder(r.Body).Decode(&in); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	g.mu.Lock()
	c := g.calls[chi.URLParam(r, "id")]
	g.mu.Unlock()
	if c == nil || c.Ended {
		http.Error(w, "there is no such call, or it is over", http.StatusNotFound)
		return
	}
	g.turn(w, c, in.Text)
}

// document is what a gateway needs of VoiceXML.
type document struct {
	Form struct {
		Vars []struct {
			Name string `xml:"name,attr"`
			Expr string `xml:"expr,attr"`
		} `xml:"var"`
		Block *struct {
			Prompt words     `xml:"prompt"`
			Submit *submit   `xml:"submit"`
			End    *struct{} `xml:"disconnect"`
		} `xml:"block"`
		Field *struct {
			Name   string `xml:"name,attr"`
			Prompt words  `xml:"prompt"`
			Submit submit `xml:"filled>submit"`
		} `xml:"field"`
	} `xml:"form"`
}

type words struct {
	Sentences []string `xml:"voice>prosody>s"`
}

type submit struct {
	Next  string `xml:"next,attr"`
	Names string `xml:"namelist,attr"`
}

// turn brings what was said to the line and follows its documents until it is
// the caller's turn again.
func (g *Gateway) turn(w http.ResponseWriter, c *Call, said string) {
	if said != "" {
		c.Spoken = append(c.Spoken, "> "+said)
	}
	c.vars["said"] = said
	delete(c.vars, "waiting")
	for range 60 {
		d, err := g.post(c)
		if err != nil {
			http.Error(w, err.Error(), http.StatusBadGateway)
			return
		}
		for _, v := range d.Form.Vars {
			c.vars[v.Name] = strings.NewReplacer(`\'`, "'", `\\`, `\`).Replace(strings.Trim(v.Expr, "'"))
		}
		if f := d.Form.Field; f != nil {
			c.Spoken = append(c.Spoken, f.Prompt.Sentences...)
			c.next = resolve(c.next, f.Submit.Next)
			break
		}
		if b := d.Form.Block; b != nil {
			c.Spoken = append(c.Spoken, b.Prompt.Sentences...)
			if b.Submit == nil {
				c.Ended = true
				break
			}
			c.Held++
			c.next = resolve(c.next, b.Submit.Next)
		}
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(c)
}

func resolve(base, next string) string {
	b, err := url.Parse(base)
	if err != nil {
		return next
	}
	n, err := b.Parse(next)
	if err != nil {
		return next
	}
	return n.String()
}

func (g *Gateway) post(c *Call) (*document, error) {
	form := url.Values{}
	for name, v := range c.vars {
		form.Set(name, v)
	}
	request, err := http.NewRequest(http.MethodPost, c.next, strings.NewReader(form.Encode()))
	if err != nil {
		return nil, err
	}
	request.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	request.Header.Set("Authorization", "Bearer "+g.key)
	response, err := g.client.Do(request)
	if err != nil {
		return nil, err
	}
	defer response.Body.Close()
	data, err := io.ReadAll(response.Body)
	if err != nil {
		return nil, err
	}
	if response.StatusCode != http.StatusOK {
		return nil, fmt.Errorf("the line answered %s: %s", response.Status, data)
	}
	var d document
	if err := xml.Unmarshal(data, &d); err != nil {
		return nil, fmt.Errorf("the line answered something that is no VoiceXML: %w", err)
	}
	return &d, nil
}
