// Package demo is the Larkrigg Fleece Co-operative: a workspace as anybody
// could have written it, its people, and the outside world it talks to.
package demo

import (
	"bytes"
	"context"
	"crypto/rand"
	"embed"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"woolsignal/client"
	"woolsignal/core/flow"
	"woolsignal/server"
	"woolsignal/server/access"
	workspaces "woolsignal/server/workspace"
	"woolsignal/standin"
)

//go:embed workspace
var files embed.FS

// Files gives the workspace as it is shipped, text by path.
func Files() (map[string]string, error) {
	out := map[string]string{}
	root, err := fs.Sub(files, "workspace")
	if err != nil {
		return nil, err
	}
	err = fs.WalkDir(root, ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		text, err := fs.ReadFile(root, path)
		out[path] = string(text)
		return err
	})
	return out, err
}

// shipped are the addresses the shipped files name, by stand-in.
var shipped = map[string]string{
	"bellwether": "http://127.0.0.1:7421", "almanac": "http://127.0.0.1:7422",
	"clip-register": "http://127.0.0.1:7423", "barn-sensors": "http://127.0.0.1:7424",
	"postbag": "http://127.0.0.1:7425", "postbag-imap": "imap://127.0.0.1:7426",
	"postbag-smtp": "smtp://127.0.0.1:7427", "shieling": "http://127.0.0.1:7428", "loft": "http://127.0.0.1:7429",
	"gatehouse": "http://127.0.0.1:7430",
	"hill-line": "http://127.0.0.1:7431", "gazette": "http://127.0.0.1:7432", "carter": "http://127.0.0.1:7433",
}

// Person is somebody of the co-operative with an account.
type Person struct {
	Name     string `json:"name"`
	Email    string `json:"email"`
	Password string `json:"password"`
	Role     string `json:"role"`
	Token    string `json:"token,omitempty"` // for programs that act as this person
}

// People are the accounts of the demo. Its passwords are no secret.
var People = []Person{
	{"Ines Faro", "ines@larkrigg.example", "shearling-office", string(access.Builder), ""},
	{"Tobias Quill", "tobias@larkrigg.example", "shearling-grade", string(access.Reviewer), ""},
	{"Elin Marrack", "elin@larkrigg.example", "shearling-depot", string(access.Owner), ""},
	{"Owen Thrale", "owen@larkrigg.example", "shearling-haul", string(access.Reader), ""},
}

// State is what the demo keeps beside the service's data, so that the next
// start finds the same keys: what the stand-ins ask for, and where they were.
type State struct {
	Keys      standin.Keys      `json:"keys"`
	Signing   string            `json:"signing"` // whsec_…, signs the weighbridge's deliveries
	Addresses map[string]string `json:"addresses"`
	Tokens    map[string]string `json:"tokens"` // by e-mail; the same at every start
}

// stateFile is its name. It belongs to the simulated outside world.
const stateFile = "standins.json"

// LoadState reads the state of a data folder, or makes a fresh one.
func LoadState(folder string) (State, error) {
	data, err := os.ReadFile(filepath.Join(folder, stateFile))
	s := State{Addresses: maps.Clone(shipped), Tokens: map[string]string{}}
	if err == nil {
		err = json.Unmarshal(data, &s)
	} else if errors.Is(err, fs.ErrNotExist) {
		err = nil
	}
	if err != nil {
		return s, fmt.Errorf("demo: %s: %w", stateFile, err)
	}
	// A folder of an earlier demo lacks the keys of what came since.
	for key, prefix := range map[*string]string{&s.Keys.Bellwether: "bw-", &s.Keys.Almanac: "al-",
		&s.Keys.Register: "cr-", &s.Keys.Postbag: "pb-",
		&s.Keys.Shieling: "sh-", &s.Keys.Gatehouse: "gh-", &s.Keys.HillLine: "hl-", &s.Keys.Carter: "ca-"} {
		if *key == "" {
			*key = prefix + random()
		}
	}
	for _, key := range []*string{&s.Signing, &s.Keys.Events} {
		if *key == "" {
			*key = "whsec_" + base64.StdEncoding.EncodeToString([]byte(random()))
		}
	}
	return s, nil
}

func (s State) save(folder string) error {
	data, err := json.MarshalIndent(s, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(folder, stateFile), data, 0o600)
}

func random() string {
	b := make([]byte, 24)
	if _, err := rand.Read(b); err != nil {
		panic(err) // crypto/rand never fails on a working system
	}
	return base64.RawURLEncoding.EncodeToString(b)
}

// addSecrets gives connections the stand-ins' keys, for where the files have them.
func addSecrets(ctx context.Context, s *server.Server, state State, workspace map[string]string) error {
	files, _ := flow.Decode(workspace) // what is wrong with them is said when they are applied
	for connection, secret := range map[string]string{"models": state.Keys.Bellwether,
		"reading-models": state.Keys.Bellwether, "depot-calendar": state.Keys.Almanac,
		"clip-register": state.Keys.Register, "weighbridge-key": state.Signing,
		"office-mail": state.Keys.Postbag, "shieling": state.Keys.Shieling, "shieling-events": state.Keys.Events,
		"loft": state.Keys.Gatehouse, "minutes": state.Keys.Gatehouse,
		"hill-line-key": state.Keys.HillLine, "carter": state.Keys.Carter, "co-op-calendar": state.Keys.Almanac} {
		c := files.Connections[connection]
		if c == nil {
			continue // somebody took it out
		}
		place := c.SecretFor()
		if s.Secrets.Has(connection, place) {
			continue // a key somebody gave since is theirs
		}
		if err := s.Secrets.Put(ctx, connection, place, secret); err != nil {
			return fmt.Errorf("demo: %w", err)
		}
	}
	return nil
}

// Prepare fills a data folder: people, secrets and the workspace with the
// stand-ins' real addresses. The workspace is also written as files to
// folder/workspace, for editing and applying again; files that are already
// there are kept but for the addresses. It gives the people, each with the
// token they had at the last start.
func Prepare(ctx context.Context, s *server.Server, folder string, state State, standins []*standin.One) ([]Person,
	error) {
	if err := AddPeople(ctx, s.Access); err != nil {
		return nil, err
	}
	workspace, err := writeWorkspace(filepath.Join(folder, "workspace"), state.Addresses, standins)
	if err != nil {
		return nil, fmt.Errorf("demo: %w", err)
	}
	if err := addSecrets(ctx, s, state, workspace); err != nil {
		return nil, err
	}
	state.Addresses = map[string]string{}
	for _, one := range standins {
		state.Addresses[one.Name] = one.URL
	}
	if problems, err := s.Workspace.Apply(ctx, workspaces.Change{Files: workspace, By: "the demo"}); err != nil {
		lines := []string{}
		for _, p := range problems {
			if p.Severity == flow.Wrong {
				lines = append(lines, p.String())
			}
		}
		return nil, fmt.Errorf("demo: the files in %s: %w\n%s", filepath.Join(folder, "workspace"), err,
			strings.Join(lines, "\n"))
	}
	for id := range s.Workspace.Now().Workflows {
		if s.Workspace.Now().Live[id] != nil {
			continue // somebody else publishes from here on
		}
		if _, _, err := s.Workspace.Publish(ctx, id, "as the demo ships it", "the demo"); err != nil {
			return nil, fmt.Errorf("demo: %s: %w", id, err)
		}
	}
	accounts, err := s.Access.People(ctx)
	if err != nil {
		return nil, fmt.Errorf("demo: %w", err)
	}
	people := slices.Clone(People)
	for i := range people {
		at := slices.IndexFunc(accounts, func(a access.Person) bool { return a.Email == people[i].Email })
		if at < 0 {
			continue
		}
		kept := state.Tokens[people[i].Email]
		if _, err := s.Access.ByToken(ctx, kept); errors.Is(err, access.ErrNotSignedIn) {
			kept, err = s.Access.NewToken(ctx, accounts[at], "demo")
			if err != nil {
				return nil, fmt.Errorf("demo: %w", err)
			}
		} else if err != nil {
			return nil, fmt.Errorf("demo: %w", err)
		}
		people[i].Token, state.Tokens[people[i].Email] = kept, kept
	}
	if err := state.save(folder); err != nil {
		return nil, fmt.Errorf("demo: %w", err)
	}
	return people, nil
}

// AddPeople gives those an account who have none yet.
func AddPeople(ctx context.Context, a *access.Access) error {
	there, err := a.People(ctx)
	if err != nil {
		return fmt.Errorf("demo: %w", err)
	}
	for _, p := range People {
		if slices.ContainsFunc(there, func(one access.Person) bool { return one.Email == p.Email }) {
			continue // a password takes a while to hash
		}
		if _, err := a.AddPerson(ctx, p.Email, p.Name, access.Role(p.Role), p.Password); err != nil {
			return fmt.Errorf("demo: %s: %w", p.Name, err)
		}
	}
	return nil
}

// host is an address without its scheme.
func host(address string) string {
	_, rest, _ := strings.Cut(address, "://")
	return rest
}

// writeWorkspace puts the demo's files into a folder, or takes those that are
// there, with the addresses the stand-ins have now.
func writeWorkspace(folder string, before map[string]string, standins []*standin.One) (map[string]string, error) {
	used, err := client.ReadFolder(folder)
	if errors.Is(err, fs.ErrNotExist) {
		used, err = Files()
		before = shipped
	}
	if err != nil {
		return nil, err
	}
	var moved []string
	for _, one := range standins {
		moved = append(moved, host(before[one.Name]), host(one.URL))
	}
	replacer := strings.NewReplacer(moved...) // all at once: one may be where another was
	for path, text := range used {
		text = replacer.Replace(text)
		used[path] = text
		at := filepath.Join(folder, filepath.FromSlash(path))
		if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
			return nil, err
		}
		if err := os.WriteFile(at, []byte(text), 0o644); err != nil {
			return nil, err
		}
	}
	return used, nil
}

// Introduce tells the stand-ins that call us where the service is: the chat
// its events, the telephone its line, the sign-in server where it may send
// people back to.
func Introduce(ctx context.Context, service string, standins []*standin.One) error {
	tell := map[string]struct {
		path string
		body any
	}{
		"shieling": {"/_events", map[string]string{"url": service + "/events/shieling"}},
		"hill-line": {"/_line", map[string]string{"url": service + "/call/hill-line",
			"notes": service + "/in/voice-note"}},
		"gatehouse": {"/_clients", map[string]any{"id": "woolsignal",
			"redirects": []string{service + "/oauth/return/minutes"}}},
	}
	for _, one := range standins {
		what, ok := tell[one.Name]
		if !ok {
			continue
		}
		body, err := json.Marshal(what.body)
		if err != nil {
			return fmt.Errorf("demo: %w", err)
		}
		request, err := http.NewRequestWithContext(ctx, http.MethodPost, one.URL+what.path, bytes.NewReader(body))
		if err != nil {
			return fmt.Errorf("demo: %w", err)
		}
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			return fmt.Errorf("demo: %s: %w", one.Name, err)
		}
		if err := response.Body.Close(); err != nil {
			return fmt.Errorf("demo: %w", err)
		}
	}
	return nil
}
