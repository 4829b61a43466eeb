package engine

import (
	"bytes"
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"testing"

	"woolsignal/core/run"
	"woolsignal/server/testbed"
	"woolsignal/server/tool"
	"woolsignal/standin/carter"
)

// yard is an agent elsewhere that counts what it is told is no longer wanted.
func yard(t *testing.T, told chan<- struct{}) string {
	t.Helper()
	agent := carter.New("key")
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, err := io.ReadAll(r.Body)
		if err != nil {
			t.Error(err)
		}
		r.Body = io.NopCloser(bytes.NewReader(body))
		if bytes.Contains(body, []byte("CancelTask")) {
			told <- struct{}{}
		}
		agent.ServeHTTP(w, r)
	}))
	t.Cleanup(s.Close)
	return s.URL
}

// The other side is told that a call it works on is no longer wanted, once, though the service stops the moment a run
// was stopped, and before it was told.
func TestACallElsewhereIsCalledOffAfterACrash(t *testing.T) {
	told := make(chan struct{}, 10)
	bed := testbed.Open(t, nil)
	bed.Add(t, map[string]string{
		"woolsignal.yaml": "name: Larkrigg\nzone: Europe/London\n",
		"connections/hauliers.yaml": "connection: hauliers\ntitle: Hauliers\naddress: " + yard(t, told) +
			"\nauth: {bearer: kept}\nnetworks: [loopback]\na2a: {within: 2d}\n"})
	bed.Give(t, bed.Workspace.Now().Workspace, "hauliers", "key")
	if _, err := tool.AskOffers(t.Context(), bed.Kit, bed.Workspace.Now().Connections["hauliers"]); err != nil {
		t.Fatal(err)
	}
	files := map[string]string{"workflows/fetch.yaml": "workflow: fetch\ntitle: Fetch\n" + callable + "steps:\n" +
		"  - {tool: hauliers/book, args: {message: 'A lorry for 30 bales on Friday'}}\n"}
	for path, text := range bed.Workspace.Now().Files {
		files[path] = text
	}
	bed.Add(t, files)
	e := restart(t, nil, bed)
	id := call(t, e, "fetch", nil)
	await(t, "the yard works on it", func() bool {
		s, err := e.Fold(context.Background(), id)
		return err == nil && s.Step("0") != nil && s.Step("0").Pending[""].Ref != ""
	})
	e.errands.pause(true) // it is not told in this life
	if err := e.StopRun(context.Background(), id, run.Stop{By: "Ines"}); err != nil {
		t.Fatal(err)
	}
	e = restart(t, e, bed)
	<-told
	await(t, "it is known that it was told", func() bool {
		return counted(t, bed, "SELECT count(*) FROM call_offs") == 0
	})
	restart(t, e, bed)
	if len(told) > 0 {
		t.Error("it is told again at the next start")
	}
}
