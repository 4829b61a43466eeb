package e2e_test

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"woolsignal/client"
	"woolsignal/demo"
	"woolsignal/e2e/harness"
	"woolsignal/server/access"
	"woolsignal/server/api"
	"woolsignal/wire"
)

// TestEveryRouteAsEveryRole walks the table of routes: whoever lacks the role
// is refused, and nobody who has it is.
func TestEveryRouteAsEveryRole(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	parameter := regexp.MustCompile(`\{\w+\}`)
	for _, route := range (&api.API{}).Routes() {
		for _, p := range append(s.People, harness.Person{Name: "nobody"}) {
			if route.Path == "/live" {
				continue // a stream that never ends
			}
			body := ""
			if route.In != nil {
				body = "{}"
			}
			status, _ := ask(t, s, p, route.Method, parameter.ReplaceAllString(route.Path, "nosuch"), body)
			allowed := route.Role == "" || access.Role(p.Role).Allows(route.Role)
			signsIn := route.Method == http.MethodPost && (route.Path == "/tokens" || route.Path == "/session")
			refused := status == 403 || status == 401 && !signsIn
			if allowed == refused || status >= 500 {
				t.Errorf("%s %s as %s (%s): %d", route.Method, route.Path, p.Name, p.Role, status)
			}
		}
	}
}

func TestFirstOwnerOfAnEmptyService(t *testing.T) {
	t.Parallel()
	s := harness.Start(t, t.TempDir(), "serve")
	link := regexp.MustCompile(`http://\S+/join\?key=(\S+)`).FindStringSubmatch(s.Output())
	if link == nil {
		t.Fatalf("no link was printed:\n%s", s.Output())
	}
	c := &client.Client{URL: s.URL}
	join := func(j wire.Join) error {
		return c.Do(harness.Context(t), http.MethodPost, "/join", j, nil)
	}
	good := wire.Join{Key: link[1], Name: "Elin Marrack", Email: "elin@larkrigg.example", Password: "a long password"}
	for want, change := range map[string]func(*wire.Join){
		"10 characters":  func(j *wire.Join) { j.Password = "short" },
		"not an e-mail":  func(j *wire.Join) { j.Email = "elin" },
		"a name":         func(j *wire.Join) { j.Name = " " },
		"cannot be used": func(j *wire.Join) { j.Key = "guessed" },
	} {
		bad := good
		change(&bad)
		if err := join(bad); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("joining badly: %v, want %q", err, want)
		}
	}
	if err := join(good); err != nil {
		t.Fatal(err)
	}
	again := good
	again.Email = "other@larkrigg.example"
	if err := join(again); err == nil || !strings.Contains(err.Error(), "used before") {
		t.Errorf("the link worked twice: %v", err)
	}
	if err := c.Do(harness.Context(t), http.MethodPost, "/session",
		wire.SignIn{Email: good.Email, Password: good.Password}, nil); err != nil {
		t.Errorf("signing in with the new account: %v", err)
	}
	if out, _, code := s.Command("", "wrong\n", "login", good.Email); code != 1 || strings.Contains(out, "ws_") {
		t.Errorf("a token for a wrong password: exit %d %q", code, out)
	}
	out, errs, code := s.Command("", good.Password+"\n", "login", good.Email)
	token := regexp.MustCompile(`^export WOOLSIGNAL_TOKEN=(ws_\S+)`).FindStringSubmatch(out)
	if code != 0 || token == nil {
		t.Fatalf("login: exit %d %q %q", code, out, errs)
	}
	if session, err := (&client.Client{URL: s.URL, Token: token[1]}).Session(harness.Context(t)); err != nil ||
		session.Person.Role != "owner" {
		t.Errorf("the token is %+v's, %v", session.Person, err)
	}
	s.Stop()
	if !strings.Contains(s.Output(), "stopped") {
		t.Errorf("Ctrl-C does not stop cleanly:\n%s", s.Output())
	}
	if s = harness.Start(t, s.Data, "serve"); strings.Contains(s.Output(), "join?key") {
		t.Error("a service with an owner printed another first link")
	}
}

// TestBehindAProxy serves under the address people use, which is not the one
// that is listened on.
func TestBehindAProxy(t *testing.T) {
	t.Parallel()
	s := harness.Start(t, t.TempDir(), "serve", "-public-url", "https://wool.example/")
	link := regexp.MustCompile(`https://wool\.example/join\?key=(\S+)`).FindStringSubmatch(s.Output())
	if link == nil {
		t.Fatalf("the first link is not under the public address:\n%s", s.Output())
	}
	in, _ := json.Marshal(wire.Join{Key: link[1], Name: "Elin Marrack", Email: "elin@larkrigg.example",
		Password: "a long password"})
	response, err := http.Post(s.URL+"/api/v1/join", "application/json", bytes.NewReader(in))
	if err != nil {
		t.Fatal(err)
	}
	response.Body.Close()
	cookie := response.Cookies()
	if response.StatusCode != http.StatusOK || len(cookie) != 2 || !cookie[0].Secure ||
		!cookie[1].Secure || !cookie[1].HttpOnly {
		t.Fatalf("joining: %d %v", response.StatusCode, cookie)
	}
	out, _, _ := s.Command("", "a long password\n", "login", "elin@larkrigg.example")
	token := regexp.MustCompile(`ws_\S+`).FindString(out)
	elin := &client.Client{URL: s.URL, Token: token}
	file := "connection: minutes\ntitle: Minutes\naddress: https://files.example\nauth:\n" +
		"  oauth: {authorize: 'https://door.example/a', token: 'https://door.example/t', client: wool}\nwebdav: {}\n"
	if _, err := elin.Apply(harness.Context(t),
		wire.Files{Files: map[string]string{"woolsignal.yaml": "name: Larkrigg\nzone: UTC\n",
			"connections/minutes.yaml": file}}); err != nil {
		t.Fatal(err)
	}
	if c, err := elin.Connection(harness.Context(t), "minutes"); err != nil || c.SignIn == nil ||
		c.SignIn.Redirect != "https://wool.example/oauth/return/minutes" {
		t.Errorf("%+v %v", c.SignIn, err)
	}
	if _, errs, code := s.Command("", "", "serve", "-public-url", "wool.example"); code == 0 ||
		!strings.Contains(errs, "write it as https://") {
		t.Errorf("a public address without its scheme: %d %s", code, errs)
	}
}

func TestSigningInIsLimitedAndCrossSiteRequestsAreRefused(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	post := func(header http.Header, body string) *http.Response {
		t.Helper()
		request, err := http.NewRequest(http.MethodPost, s.URL+"/api/v1/session", strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		for k, v := range header {
			request.Header[k] = v
		}
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		response.Body.Close()
		return response
	}
	ines := s.Person("Ines")
	good := `{"email":"` + ines.Email + `","password":"` + ines.Password + `"}`
	for _, header := range []http.Header{{"Sec-Fetch-Site": {"cross-site"}},
		{"Origin": {"https://elsewhere.example"}}} {
		if r := post(header, good); r.StatusCode != http.StatusForbidden {
			t.Errorf("%v: %d", header, r.StatusCode)
		}
	}
	r := post(http.Header{"Sec-Fetch-Site": {"same-origin"}}, good)
	if r.StatusCode != 200 || len(r.Cookies()) != 2 {
		t.Errorf("signing in: %d %v", r.StatusCode, r.Cookies())
	}
	for _, cookie := range r.Cookies() {
		if !cookie.HttpOnly || cookie.SameSite != http.SameSiteLaxMode {
			t.Errorf("signing in: %v", cookie)
		}
	}
	status := 0
	for range 15 {
		status = post(nil, `{"email":"`+ines.Email+`","password":"guess"}`).StatusCode
	}
	if status != http.StatusTooManyRequests {
		t.Errorf("the fifteenth guess was answered %d", status)
	}
	if csp := r.Header.Get("Content-Security-Policy"); !strings.Contains(csp, "script-src 'self'") {
		t.Errorf("content security policy %q", csp)
	}
}

// TestNoSecretAnywhere runs a full demo and looks for every key in the
// database and its log, in what the program printed, and in every answer of
// the API.
func TestNoSecretAnywhere(t *testing.T) {
	t.Parallel()
	s := harness.Demo(t)
	state, err := demo.LoadState(s.Data)
	if err != nil {
		t.Fatal(err)
	}
	secrets := []string{state.Keys.Bellwether, state.Keys.Almanac, state.Keys.Register, state.Signing,
		strings.TrimPrefix(state.Signing, "whsec_")}
	book(t, s, "t1")
	// A secret that comes back inside a result or a message is masked.
	s.Talk("t1", "My key is "+state.Keys.Register)
	echo := delivery()
	echo.Notes = "key " + state.Keys.Register
	response, err := demo.Post(harness.Context(t), s.URL, "weighbridge", state.Signing, "d-1", echo)
	if err != nil || response.StatusCode != 201 {
		t.Fatal(response, err)
	}
	response.Body.Close()
	seen := map[string][]byte{"what the program printed": []byte(s.Output())}
	page, err := s.As("Ines").Runs(harness.Context(t), client.Filter{})
	if err != nil {
		t.Fatal(err)
	}
	paths := []string{"/session", "/today", "/workflows", "/workflows/depot-slots", "/runs", "/reviews", "/connections",
		"/files", "/people", "/openapi.json", "/workflows/depot-slots/chat/t1"}
	for _, r := range page.Runs {
		paths = append(paths, "/runs/"+r.ID, "/runs/"+r.ID+"/journal")
	}
	for _, path := range paths {
		request, _ := http.NewRequest(http.MethodGet, s.URL+"/api/v1"+path, nil)
		request.Header.Set("Authorization", "Bearer "+s.Person("Elin").Token)
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		if seen[path], err = io.ReadAll(response.Body); err != nil || response.StatusCode != 200 {
			t.Fatalf("%s: %d %v", path, response.StatusCode, err)
		}
		response.Body.Close()
	}
	s.Stop()
	files, err := filepath.Glob(filepath.Join(s.Data, "woolsignal.db*"))
	if err != nil || len(files) == 0 {
		t.Fatalf("no database: %v", err)
	}
	for _, f := range files {
		if seen[f], err = os.ReadFile(f); err != nil {
			t.Fatal(err)
		}
	}
	for where, data := range seen {
		for i, secret := range secrets {
			if bytes.Contains(data, []byte(secret)) {
				t.Errorf("secret %d stands in %s", i, where)
			}
		}
	}
}
