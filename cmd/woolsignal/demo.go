package main

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"time"

	"woolsignal/client"
	"woolsignal/demo"
	"woolsignal/server"
	"woolsignal/standin"
)

// startDemo starts the stand-ins here and the service as a process of its
// own: so it can be killed at any moment, is started again, and shows that
// nothing was lost.
func startDemo(ctx context.Context, a *app, args []string) error {
	f := a.flags("demo")
	data := f.String("data", "demo-data", "folder that keeps everything; made where it is missing")
	addr := f.String("addr", defaultAddress, "address to listen on")
	readyFile := f.String("ready-file", "", "write address, token, people and stand-ins here once everything answers")
	freePorts := f.Bool("free-ports", false, "let the stand-ins take any free ports")
	history := f.Bool("history", true, "give a new demo a morning's work")
	pace := f.Duration("pace", 25*time.Millisecond, "how long the stand-in for a model takes for a word")
	if _, err := parse(f, args, 0, 0); err != nil {
		return err
	}
	_, err := os.Stat(filepath.Join(*data, "standins.json"))
	fresh := errors.Is(err, os.ErrNotExist)
	if err := os.MkdirAll(*data, 0o700); err != nil {
		return err
	}
	state, err := demo.LoadState(*data)
	if err != nil {
		return err
	}
	standins, err := standin.Start(standin.Options{Keys: state.Keys, FreePorts: *freePorts, Pace: *pace,
		Rules: filepath.Join(*data, "rules")})
	if err != nil {
		return err
	}
	defer standin.Stop(standins)
	people, err := prepare(ctx, *data, state, standins)
	if err != nil {
		return err
	}
	child := &service{data: *data, out: a.errs}
	if err := child.startAt(ctx, *addr); err != nil {
		return err
	}
	url := "http://" + child.address
	if err := demo.Introduce(ctx, url, standins); err != nil {
		return errors.Join(err, child.stop())
	}
	token := map[string]string{}
	for _, p := range people {
		token[p.Role] = p.Token
	}
	if fresh && *history {
		if err := demo.History(ctx, &client.Client{URL: url, Token: token["builder"]}, state.Signing); err != nil {
			return errors.Join(err, child.stop())
		}
	}
	where := map[string]string{}
	for _, one := range standins {
		where[one.Name] = one.URL
	}
	a.welcome(url, people, standins, *data)
	tell := func() error {
		err := writeReady(*readyFile, ready{URL: url, PID: child.pid(), Token: token["owner"], People: people,
			Standins: where})
		if err != nil {
			return errors.Join(err, child.stop())
		}
		return nil
	}
	if err := tell(); err != nil {
		return err
	}
	for {
		select {
		case <-ctx.Done():
			return child.stop()
		case <-child.died:
			fmt.Fprintln(a.out, "\nThe service was killed. Starting it again; what was open goes on.")
			if err := child.startAt(ctx, child.address); err != nil {
				return err
			}
			if err := tell(); err != nil {
				return err
			}
		}
	}
}

// prepare fills the data folder before the service opens it.
func prepare(ctx context.Context, data string, state demo.State, standins []*standin.One) ([]demo.Person, error) {
	s, err := server.Open(ctx, server.Options{Data: data, Log: slog.New(slog.DiscardHandler)})
	if err != nil {
		return nil, err
	}
	people, err := demo.Prepare(ctx, s, data, state, standins)
	return people, errors.Join(err, s.Close())
}

// fix turns a free port into a certain one, so that a service started again
// is where the first one was.
func fix(addr string) (string, error) {
	l, err := net.Listen("tcp", addr)
	if err != nil {
		return "", fmt.Errorf("%w; choose another address with -addr", err)
	}
	return l.Addr().String(), l.Close()
}

// service is `woolsignal serve` as a child process.
type service struct {
	data, address string
	out           io.Writer
	cmd           *exec.Cmd
	died          chan struct{}
}

func (s *service) pid() int { return s.cmd.Process.Pid }

// startLimit is how long the service may take to answer.
const startLimit = 30 * time.Second

// startTries is how often a start is tried: a port that was free a moment ago may be
// taken by a connection that somebody makes just now.
const startTries = 5

// startAt starts the service at an address, or at another where any free port will do
// and that one was taken meanwhile.
func (s *service) startAt(ctx context.Context, addr string) error {
	for try := 1; ; try++ {
		address, err := fix(addr)
		if err == nil {
			s.address = address
			err = s.start(ctx)
		}
		if err == nil || try == startTries || ctx.Err() != nil {
			return err
		}
		if _, taken := fix(cmp.Or(address, addr)); taken == nil {
			return err // it is not for the port that it did not start
		}
		select {
		case <-time.After(200 * time.Millisecond):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// start starts the service and waits until it answers.
func (s *service) start(ctx context.Context) error {
	self, err := os.Executable()
	if err != nil {
		return err
	}
	file := filepath.Join(s.data, "serve-ready.json")
	if err := os.Remove(file); err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	s.cmd = exec.Command(self, "serve", "-quiet", "-allow-command", sensorsByPipe+"="+self+" "+sensorsByPipe, "-data",
		s.data, "-addr", s.address, "-ready-file", file)
	s.cmd.Stdout, s.cmd.Stderr = s.out, s.out
	s.cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM} // Ctrl-C is ours to pass on
	if err := s.cmd.Start(); err != nil {
		return err
	}
	died := make(chan struct{})
	s.died = died
	go func() { _ = s.cmd.Wait(); close(died) }()
	limit := time.NewTimer(startLimit)
	defer limit.Stop()
	for {
		var r ready
		if data, err := os.ReadFile(file); err == nil && json.Unmarshal(data, &r) == nil && r.PID == s.pid() {
			return nil
		}
		select {
		case <-time.After(10 * time.Millisecond):
		case <-died:
			return errors.New("the service ended while it was starting; its words stand above")
		case <-limit.C:
			return errors.Join(errors.New("the service does not answer"), s.stop())
		case <-ctx.Done():
			return errors.Join(ctx.Err(), s.stop())
		}
	}
}

// stop ends the service cleanly.
func (s *service) stop() error {
	if err := s.cmd.Process.Signal(syscall.SIGTERM); err != nil && !errors.Is(err, os.ErrProcessDone) {
		return err
	}
	<-s.died
	return nil
}

// welcome says where everything is and how to begin.
func (a *app) welcome(url string, people []demo.Person, standins []*standin.One, data string) {
	fmt.Fprintf(a.out, "\nWool Signal is ready at  %s\n\nSign in as\n", url)
	for _, p := range people {
		fmt.Fprintf(a.out, "  %-13s %-9s %-24s %s\n", p.Name, p.Role, p.Email, p.Password)
	}
	fmt.Fprintf(a.out, "\nFor the command line, in another terminal\n  export WOOLSIGNAL_URL=%s\n", url)
	for _, p := range people {
		fmt.Fprintf(a.out, "  export WOOLSIGNAL_TOKEN=%s   # %s\n", p.Token, p.Name)
	}
	fmt.Fprintln(a.out, "\nThe simulated outside world")
	for _, s := range standins {
		fmt.Fprintf(a.out, "  %-40s %s\n", s.Title, s.URL)
	}
	workspace := filepath.Join(data, "workspace")
	fmt.Fprintf(a.out,
		"\nThe workspace's files are in %s; after editing them:\n  woolsignal apply %s\n\nCtrl-C stops everything.\n",
		workspace, workspace)
}
