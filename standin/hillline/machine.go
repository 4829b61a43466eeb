package hillline

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
)

// Note is what the display shows of a message on the answering machine.
type Note struct {
	Wants   string `json:"wants"`
	Summary string `json:"summary"`
}

// record leaves a message on the answering machine: it goes to whoever puts messages
// into words, and what comes back is shown on the display.
func (g *Gateway) record(w http.ResponseWriter, r *http.Request) {
	var in struct{ From, Text string }
	if err := json.NewDecoder(r.Body).Decode(&in); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	g.mu.Lock()
	notes := g.notes
	g.mu.Unlock()
	status, answer, err := g.put(notes, map[string]string{"phone": in.From, "said": in.Text})
	if err != nil {
		http.Error(w, err.Error(), http.StatusBadGateway)
		return
	}
	var note Note
	if status == http.StatusOK && json.Unmarshal(answer, &note) != nil {
		http.Error(w, "the display cannot show "+string(answer), http.StatusBadGateway)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_, _ = w.Write(answer) // who went away reads nothing
}

// put posts JSON with the gateway's key.
func (g *Gateway) put(address string, body any) (status int, answer []byte, err error) {
	text, err := json.Marshal(body)
	if err != nil {
		return 0, nil, err
	}
	request, err := http.NewRequest(http.MethodPost, address, bytes.NewReader(text))
	if err != nil {
		return 0, nil, err
	}
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("Authorization", "Bearer "+g.key)
	response, err := g.client.Do(request)
	if err != nil {
		return 0, nil, err
	}
	defer response.Body.Close()
	answer, err = io.ReadAll(response.Body)
	return response.StatusCode, answer, err
}
