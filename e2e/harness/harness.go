// Package harness starts the real binary on loopback for the end-to-end
// tests: the demo with its stand-ins, or the bare service.
package harness

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"woolsignal/client"
	"woolsignal/core/run"
	"woolsignal/demo"
	"woolsignal/server"
	"woolsignal/standin/ledger"
	"woolsignal/wire"
)

// Binary is the program that make test built, or one that is built once for all
// tests of a process.
var Binary = sync.OnceValues(func() (string, error) {
	if built := os.Getenv("WOOLSIGNAL_PROGRAM"); built != "" {
		return built, nil
	}
	folder, err := os.MkdirTemp("", "woolsignal-e2e-")
	if err != nil {
		return "", err
	}
	path := filepath.Join(folder, "woolsignal")
	if out, err := exec.Command("go", "build", "-o", path, "woolsignal/cmd/woolsignal").CombinedOutput(); err != nil {
		return "", fmt.Errorf("building: %w\n%s", err, out)
	}
	return path, nil
})

// Person is one of the demo's people.
type Person struct{ Name, Email, Password, Role, Token string }

// Ready is what a ready file says.
type Ready struct {
	URL      string
	PID      int
	Token    string
	People   []Person
	Standins map[string]string
}

// Service is a started program.
type Service struct {
	Ready
	Data string // its data folder
	t    testing.TB
	cmd  *exec.Cmd
	out  *bytes.Buffer
	file string
	died chan struct{}
}

// accounts is a data folder in which the demo's people have their accounts already:
// to hash their passwords takes as long as all else of a demo's start. It is made
// once for all tests of a process, which leave it as it is.
var accounts = sync.OnceValues(func() (map[string][]byte, error) {
	folder, err := os.MkdirTemp("", "woolsignal-e2e-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(folder)
	ctx := context.Background()
	s, err := server.Open(ctx, server.Options{Data: folder, Log: slog.New(slog.DiscardHandler)})
	if err != nil {
		return nil, err
	}
	if err := errors.Join(demo.AddPeople(ctx, s.Access), s.Close()); err != nil {
		return nil, err
	}
	files := map[string][]byte{}
	for _, name := range []string{"woolsignal.db", "vault.key"} {
		if files[name], err = os.ReadFile(filepath.Join(folder, name)); err != nil {
			return nil, err
		}
	}
	return files, nil
})

// Demo starts the demo on free ports, without its morning's history.
func Demo(t testing.TB, flags ...string) *Service {
	t.Helper()
	files, err := accounts()
	if err != nil {
		t.Fatal(err)
	}
	data := t.TempDir()
	for name, content := range files {
		if err := os.WriteFile(filepath.Join(data, name), content, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	return Start(t, data, append([]string{"demo", "-free-ports", "-history=false", "-pace=0"}, flags...)...)
}

// Start runs a command that writes a ready file, and stops it with the test.
func Start(t testing.TB, data string, args ...string) *Service {
	t.Helper()
	binary, err := Binary()
	if err != nil {
		t.Fatal(err)
	}
	s := &Service{Data: data, t: t, out: &bytes.Buffer{}, file: filepath.Join(t.TempDir(), "ready.json"),
		died: make(chan struct{})}
	addr := "127.0.0.1:0"
	for i, a := range args {
		if a == "-addr" {
			addr = args[i+1]
		}
	}
	s.cmd = exec.Command(binary, append(args, "-data", data, "-addr", addr, "-ready-file", s.file)...)
	s.cmd.Stdout, s.cmd.Stderr = s.out, s.out
	if err := s.cmd.Start(); err != nil {
		t.Fatal(err)
	}
	go func() { _ = s.cmd.Wait(); close(s.died) }()
	t.Cleanup(func() {
		s.Stop()
		if t.Failed() {
			t.Logf("the program said of what went wrong:\n%s", s.complaints())
		}
	})
	s.awaitReady(func(Ready) bool { return true })
	return s
}

// complaints are the last lines the program wrote that are neither news of its work nor
// what a demo says as it begins: those who read of a failure read its reason first.
func (s *Service) complaints() string {
	var out []string
	for line := range strings.Lines(s.out.String()) {
		ordinary := strings.Contains(line, `"level":"INFO"`) || strings.TrimSpace(line) == "" ||
			strings.HasPrefix(line, "  ") || strings.HasPrefix(line, "Wool Signal is ready")
		if !ordinary {
			out = append(out, line)
		}
	}
	return strings.Join(out[max(0, len(out)-mostComplaints):], "")
}

// mostComplaints is how many lines of a program a failed test tells.
const mostComplaints = 60

// awaitReady waits for a ready file that is as wished.
func (s *Service) awaitReady(fits func(Ready) bool) {
	s.t.Helper()
	Eventually(s.t, "the service is ready", func() bool {
		select {
		case <-s.died:
			s.t.Fatalf("the program ended while it was starting:\n%s", s.out)
		default:
		}
		var r Ready
		data, err := os.ReadFile(s.file)
		if err != nil || json.Unmarshal(data, &r) != nil || !fits(r) {
			return false
		}
		s.Ready = r
		return true
	})
}

// Stop ends the program as Ctrl-C does and waits for it.
func (s *Service) Stop() {
	_ = s.cmd.Process.Signal(os.Interrupt)
	select {
	case <-s.died:
	case <-time.After(20 * time.Second):
		_ = s.cmd.Process.Kill()
		s.t.Errorf("the program did not stop:\n%s", s.out)
	}
}

// Output is what the program printed so far.
func (s *Service) Output() string { return s.out.String() }

// Kill ends the demo's service with SIGKILL and waits until the demo has
// started it again.
func (s *Service) Kill() { s.t.Helper(); s.end(syscall.SIGKILL) }

// Terminate asks the demo's service to stop, and waits until the demo has
// started it again.
func (s *Service) Terminate() { s.t.Helper(); s.end(syscall.SIGTERM) }

func (s *Service) end(signal syscall.Signal) {
	s.t.Helper()
	before := s.PID
	if err := syscall.Kill(before, signal); err != nil {
		s.t.Fatal(err)
	}
	s.awaitReady(func(r Ready) bool { return r.PID != before })
}

// As gives a client for one of the demo's people, by first name.
func (s *Service) As(first string) *client.Client {
	s.t.Helper()
	return &client.Client{URL: s.URL, Token: s.Person(first).Token}
}

// Person finds one of the demo's people by first name.
func (s *Service) Person(first string) Person {
	s.t.Helper()
	for _, p := range s.People {
		if strings.HasPrefix(p.Name, first+" ") {
			return p
		}
	}
	s.t.Fatalf("nobody is called %s", first)
	return Person{}
}

// Talk says something as Ines and waits until the run has settled.
func (s *Service) Talk(thread, text string) wire.Detail {
	s.t.Helper()
	c := s.As("Ines")
	heard, err := c.Say(Context(s.t), "depot-slots", thread, text)
	if err != nil {
		s.t.Fatal(err)
	}
	d, err := c.Settled(Context(s.t), heard.Run)
	if err != nil {
		s.t.Fatal(err)
	}
	return d
}

// Said gives what the agent said in a run.
func (s *Service) Said(thread, id string) string {
	s.t.Helper()
	talk, err := s.As("Ines").Thread(Context(s.t), "depot-slots", thread)
	if err != nil {
		s.t.Fatal(err)
	}
	var words []string
	for _, m := range talk.Messages {
		if m.Run == id && m.Who == "agent" {
			words = append(words, m.Text)
		}
	}
	return strings.Join(words, "\n")
}

// Ended waits until a run has ended.
func (s *Service) Ended(id string) wire.Detail {
	s.t.Helper()
	var d wire.Detail
	Eventually(s.t, "run "+id+" ends", func() bool {
		var err error
		d, err = s.As("Ines").Run(Context(s.t), id)
		return err == nil && d.Status.Ended()
	})
	return d
}

// OpenReview gives the review a run waits for.
func (s *Service) OpenReview(d wire.Detail) run.Review {
	s.t.Helper()
	for _, r := range d.Reviews {
		if r.Choice == "" {
			return r
		}
	}
	s.t.Fatalf("run %s is %s %s and waits for nobody", d.ID, d.Status, d.Because)
	return run.Review{}
}

// Ledger reads what a stand-in was asked.
func (s *Service) Ledger(standin string) []ledger.Entry {
	s.t.Helper()
	response, err := http.Get(s.Standins[standin] + "/_ledger")
	if err != nil {
		s.t.Fatal(err)
	}
	defer response.Body.Close()
	var entries []ledger.Entry
	if err := json.NewDecoder(response.Body).Decode(&entries); err != nil {
		s.t.Fatal(err)
	}
	return entries
}

// Count counts the requests of a stand-in's ledger with a method and status.
func (s *Service) Count(standin, method string, statuses ...int) int {
	s.t.Helper()
	return s.CountAt(standin, method, "", statuses...)
}

// CountAt is Count for addresses that hold a text.
func (s *Service) CountAt(standin, method, path string, statuses ...int) int {
	s.t.Helper()
	n := 0
	for _, e := range s.Ledger(standin) {
		if e.Method == method && strings.Contains(e.Path, path) &&
			(len(statuses) == 0 || slices.Contains(statuses, e.Status)) {
			n++
		}
	}
	return n
}

// Misbehave gives a stand-in an order.
func (s *Service) Misbehave(standin string, o ledger.Order) {
	s.t.Helper()
	data, err := json.Marshal(o)
	if err != nil {
		s.t.Fatal(err)
	}
	response, err := http.Post(s.Standins[standin]+"/_misbehave", "application/json", bytes.NewReader(data))
	if err != nil {
		s.t.Fatal(err)
	}
	response.Body.Close()
}

// Command runs the command line as a person and gives what it printed and its
// exit code.
func (s *Service) Command(first, input string, args ...string) (stdout, stderr string, code int) {
	s.t.Helper()
	binary, err := Binary()
	if err != nil {
		s.t.Fatal(err)
	}
	cmd := exec.CommandContext(Context(s.t), binary, args...)
	cmd.Env = append(os.Environ(), "WOOLSIGNAL_URL="+s.URL, "WOOLSIGNAL_TOKEN=")
	if first != "" {
		cmd.Env = append(cmd.Env, "WOOLSIGNAL_TOKEN="+s.Person(first).Token)
	}
	var out, errs bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = strings.NewReader(input), &out, &errs
	err = cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		s.t.Fatal(err)
	}
	return out.String(), errs.String(), cmd.ProcessState.ExitCode()
}

// Context gives a context that ends with patience.
func Context(t testing.TB) context.Context {
	ctx, cancel := context.WithTimeout(context.Background(), 2*time.Minute)
	t.Cleanup(cancel)
	return ctx
}

// Eventually waits until something holds.
func Eventually(t testing.TB, what string, holds func() bool) {
	t.Helper()
	limit := time.Now().Add(2 * time.Minute)
	for pause := 5 * time.Millisecond; !holds(); pause = min(2*pause, 200*time.Millisecond) {
		if time.Now().After(limit) {
			t.Fatalf("waited in vain: %s", what)
		}
		time.Sleep(pause)
	}
}
