package e2e_test

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"testing"

	"woolsignal/core/run"
	"woolsignal/e2e/harness"
	"woolsignal/server/api"
	"woolsignal/server/engine"
	"woolsignal/standin/shieling"
	"woolsignal/wire"
)

// belongs says of every route with an object in its address to whom that belongs.
// "" is the workspace: the role alone decides. Else the object the test makes is
// Ines's, and these are the roles that reach what is hers.
var belongs = map[string]string{
	"GET /runs/{run}": "owner builder reviewer", "GET /runs/{run}/journal": "owner builder reviewer",
	"GET /workflows/{workflow}/chat/{thread}": "nobody", // one finds a conversation of one's own, which is empty
	"GET /agents/{agent}/chat/{thread}":       "nobody",
	"GET /agents/{agent}":                     "", "POST /agents/{agent}/tasks": "",
	"GET /reviews/{review}": "owner builder reviewer", "POST /reviews/{review}": "owner builder",
	"DELETE /follow-ups/{followUp}": "owner builder reviewer",
	"PUT /facts/{fact}":             "owner builder reviewer",
	"DELETE /facts/{fact}":          "owner builder reviewer",
	"DELETE /tokens/{token}":        "owner", "DELETE /chat-names/{connection}/{handle}": "nobody",

	"GET /workflows/{workflow}": "", "POST /workflows/{workflow}/read": "",
	"POST /workflows/{workflow}/rename-step": "",
	"POST /workflows/{workflow}/bring-out":   "",
	"POST /workflows/{workflow}/work-out":    "",
	"PUT /workflows/{workflow}/draft":        "", "POST /workflows/{workflow}/chat": "",
	"POST /workflows/{workflow}/runs": "",
	"POST /workflows/{workflow}/try":  "", "GET /workflows/{workflow}/samples": "",
	"PUT /workflows/{workflow}/samples/{name}": "", "GET /workflows/{workflow}/versions": "",
	"GET /workflows/{workflow}/before-live": "",
	"GET /workflows/{workflow}/diff":        "", "POST /workflows/{workflow}/revert": "",
	"PUT /workflows/{workflow}/on":      "",
	"POST /workflows/{workflow}/rename": "", "DELETE /workflows/{workflow}": "", "POST /bin/{number}/take-back": "",
	"GET /schemas/{kind}": "", "POST /runs/{run}/stop": "", "POST /runs/{run}/again": "",
	"POST /workflows/{workflow}/delivery": "", "POST /connections/{connection}/new-key": "",
	"GET /definitions/{kind}/{id}": "", "POST /definitions/{kind}/{id}/read": "", "PUT /definitions/{kind}/{id}": "",
	"GET /connections/{connection}": "", "PUT /connections/{connection}/secret": "",
	"POST /connections/{connection}/test": "", "POST /connections/{connection}/sign-in": "",
	"GET /tools/{connection}/{operation}/choices/{argument}": "", "GET /tables/{table}/rows": "",
	"POST /tables/{table}/rows": "", "PUT /tables/{table}/rows/{row}": "", "DELETE /tables/{table}/rows/{row}": "",
	"GET /tables/{table}/csv": "", "POST /tables/{table}/csv": "", "GET /blobs/{hash}": "",
}

// TestWhatIsAnothersIsReachedByNoMethod walks every route with an object in its
// address as every role, with an object of somebody else's, and every path with
// every method it does not have.
func TestWhatIsAnothersIsReachedByNoMethod(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	mine := minesOf(t, s)
	parameter := regexp.MustCompile(`\{(\w+)\}`)
	methods := map[string][]string{}
	for _, route := range (&api.API{}).Routes() {
		methods[route.Path] = append(methods[route.Path], route.Method)
		if !strings.Contains(route.Path, "{") {
			continue
		}
		who, known := belongs[route.Method+" "+route.Path]
		if !known {
			t.Errorf("nothing says to whom the object of %s %s belongs", route.Method, route.Path)
		}
		if who == "" {
			continue
		}
		path := parameter.ReplaceAllStringFunc(route.Path, func(p string) string { return mine[p] })
		for _, p := range append(slices.Clone(s.People), harness.Person{Name: "nobody"}) {
			theirs := slices.Contains(strings.Fields(who), p.Role) && route.Method != "GET"
			if p.Name == s.Person("Ines").Name || theirs {
				continue // hers to do, or theirs by their role, which would take it away from the others
			}
			status, answer := ask(t, s, p, route.Method, path, `{"choice": "Approve"}`)
			empty := strings.HasSuffix(route.Path, "/chat/{thread}") && !strings.Contains(answer, "Cancel")
			reaches := status < 300 && !empty
			if reaches != slices.Contains(strings.Fields(who), p.Role) || status >= 500 {
				t.Errorf("%s %s as %s (%s): %d %s", route.Method, path, p.Name, p.Role, status, answer)
			}
		}
	}
	for path, has := range methods {
		for _, method := range []string{"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS", "TRACE", "BREW"} {
			if slices.Contains(has, method) || method == "HEAD" {
				continue
			}
			at := parameter.ReplaceAllStringFunc(path, func(p string) string { return mine[p] })
			if status, answer := ask(t, s, s.Person("Elin"), method, at, "{}"); status != http.StatusMethodNotAllowed {
				t.Errorf("%s %s, which it does not have: %d %s", method, path, status, answer)
			}
		}
	}
	if r, err := s.As("Ines").Run(harness.Context(t), mine["{run}"]); err != nil || r.Status != run.Waiting {
		t.Errorf("afterwards her run is %s, %v", r.Status, err)
	}
}

// minesOf makes objects of Ines's, by the parameter of a path.
func minesOf(t *testing.T, s *harness.Service) map[string]string {
	t.Helper()
	book(t, s, "hers")
	d := s.Talk("hers", "Cancel it")
	ctx, ines := harness.Context(t), s.As("Ines")
	code, err := ines.NewChatCode(ctx, "shieling")
	if err != nil {
		t.Fatal(err)
	}
	s.Types(shieling.Said{As: "ines", Direct: true, Text: code.Write})
	s.BotSays("", "You are linked")
	var tokens []wire.TokenListed
	if tokens, err = ines.Tokens(ctx); err != nil || len(tokens) == 0 {
		t.Fatal(tokens, err)
	}
	followUp := engine.FollowUpID(comesBack(t, s), 1)
	keepsFact(t, s, "The ford floods in June.")
	known, err := ines.Facts(ctx, "", "", "")
	if err != nil || len(known.Facts) == 0 {
		t.Fatal(known, err)
	}
	return map[string]string{"{followUp}": followUp, "{fact}": known.Facts[0].ID,
		"{workflow}": "depot-slots", "{agent}": "depot-desk", "{thread}": "hers", "{run}": d.ID,
		"{review}": s.OpenReview(d).ID, "{token}": tokens[0].ID, "{connection}": "shieling", "{handle}": "ines",
		"{name}": "x", "{id}": "mishaps", "{number}": "1", "{kind}": "workflow", "{operation}": "write_in",
		"{argument}": "room",
		"{table}":    "mishaps", "{row}": "1", "{hash}": strings.Repeat("0", 64)}
}

func ask(t *testing.T, s *harness.Service, p harness.Person, method, path, body string) (int, string) {
	t.Helper()
	request, err := http.NewRequestWithContext(harness.Context(t), method, s.URL+"/api/v1"+path,
		bytes.NewReader([]byte(body)))
	if err != nil {
		t.Fatal(err)
	}
	if p.Token != "" {
		request.Header.Set("Authorization", "Bearer "+p.Token)
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	answer, _ := io.ReadAll(response.Body)
	if len(answer) > 0 && response.StatusCode >= 400 && !json.Valid(answer) {
		t.Errorf("%s %s answers %d with no problem: %s", method, path, response.StatusCode, answer)
	}
	return response.StatusCode, string(answer)
}
