// Package confined does work on what came from outside (scripts, documents) in
// processes that hold nothing else: no files, no network, no secrets. A process
// that takes too long or too much memory, or that what it reads trips up, ends
// alone; the work it had fails and says why.
package confined

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"time"

	"woolsignal/core/flow"
)

// Memory is how much a process may hold, in bytes.
const Memory = 256 << 20

// atOnce is how many pieces of work are done at the same time.
const atOnce = 4

// longestAnswer bounds what a process is listened to for, in bytes.
const longestAnswer = 32 << 20

// ErrBroke says that the work was ended: it took too long, took too much
// memory, or its process broke down under it.
var ErrBroke = errors.New("it was ended")

// Pool keeps a few processes warm.
type Pool struct {
	command []string
	idle    chan *worker
	slots   chan struct{}
}

// NewPool makes a pool whose processes are started by a command, which must
// end up in [Serve]. None is started before there is work.
func NewPool(command ...string) *Pool {
	return &Pool{command: command, idle: make(chan *worker, atOnce), slots: make(chan struct{}, atOnce)}
}

// call is one piece of work on its way to a process.
type call struct {
	Work   string          `json:"work"`
	Within time.Duration   `json:"within"`
	In     json.RawMessage `json:"in"`
}

// answer is what a process says of it.
type answer struct {
	Out   json.RawMessage `json:"out,omitempty"`
	Error string          `json:"error,omitempty"`
}

// worker is one process.
type worker struct {
	process *exec.Cmd
	in      io.WriteCloser
	out     *bufio.Reader
}

// Do has one of the works that are registered done: in goes as JSON, what it
// gives comes back into out. An error of the work itself comes back with its
// words; one that is [ErrBroke] says that the work was ended.
//
// A nil pool has no process, and says so.
func (p *Pool) Do(ctx context.Context, work string, within time.Duration, in, out any) error {
	if p == nil {
		return errors.New("there is no confined process here that could read this")
	}
	data, err := json.Marshal(in)
	if err != nil {
		return fmt.Errorf("confined: %w", err)
	}
	select {
	case p.slots <- struct{}{}:
		defer func() { <-p.slots }()
	case <-ctx.Done():
		return ctx.Err()
	}
	w, err := p.borrow()
	if err != nil {
		return fmt.Errorf("the confined process cannot be started: %w", err)
	}
	got, err := w.do(ctx, call{work, within, data})
	if err != nil {
		w.kill()
		return err
	}
	select {
	case p.idle <- w:
	default:
		w.kill()
	}
	if got.Error != "" {
		return errors.New(got.Error)
	}
	return json.Unmarshal(got.Out, out)
}

// Close ends the processes that are idle.
func (p *Pool) Close() {
	for {
		select {
		case w := <-p.idle:
			w.kill()
		default:
			return
		}
	}
}

func (p *Pool) borrow() (*worker, error) {
	select {
	case w := <-p.idle:
		return w, nil
	default:
	}
	if len(p.command) == 0 {
		return nil, errors.New("no command was given")
	}
	cmd := exec.Command(p.command[0], p.command[1:]...)
	cmd.Env = []string{"GOMAXPROCS=1", "GOGC=50", "MALLOC_ARENA_MAX=1"} // nothing of ours
	cmd.Dir = os.TempDir()
	in, err := cmd.StdinPipe()
	if err != nil {
		return nil, err
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	return &worker{process: cmd, in: in, out: bufio.NewReaderSize(out, 64<<10)}, nil
}

func (w *worker) kill() {
	_ = w.process.Process.Kill()
	_ = w.in.Close()
	_ = w.process.Wait() // it was killed; that is no news
}

// grace is how much longer than allowed a process is waited for: some work
// ends itself, and says where it stood.
const grace = 500 * time.Millisecond

// watchEvery is how often a process's memory is looked at.
const watchEvery = 20 * time.Millisecond

func (w *worker) do(ctx context.Context, c call) (answer, error) {
	type outcome struct {
		answer answer
		err    error
	}
	done := make(chan outcome, 1)
	go func() {
		var o outcome
		if o.err = json.NewEncoder(w.in).Encode(c); o.err == nil {
			o.answer, o.err = w.listen()
		}
		done <- o
	}()
	deadline := time.NewTimer(c.Within + grace)
	defer deadline.Stop()
	watch := time.NewTicker(watchEvery)
	defer watch.Stop()
	for {
		select {
		case o := <-done:
			if errors.Is(o.err, errTooLong) {
				return o.answer, o.err
			}
			if o.err != nil {
				return o.answer, fmt.Errorf("%w: its process broke down, most likely for lack of memory", ErrBroke)
			}
			return o.answer, nil
		case <-deadline.C:
			return answer{}, fmt.Errorf("%w: it took longer than %s", ErrBroke, flow.Span{Duration: c.Within}.String())
		case <-watch.C:
			if resident(w.process.Process.Pid) > allowed {
				return answer{}, fmt.Errorf("%w: it took more than %d MB of memory", ErrBroke, Memory>>20)
			}
		case <-ctx.Done():
			return answer{}, ctx.Err()
		}
	}
}

// errTooLong says that an answer has no end.
var errTooLong = fmt.Errorf("%w: its result is larger than %d MB", ErrBroke, longestAnswer>>20)

// listen reads one line, which must not be endless.
func (w *worker) listen() (answer, error) {
	var a answer
	var line []byte
	for {
		part, more, err := w.out.ReadLine()
		if err != nil {
			return a, err
		}
		if line = append(line, part...); len(line) > longestAnswer {
			return a, errTooLong
		}
		if !more {
			return a, json.Unmarshal(line, &a)
		}
	}
}
