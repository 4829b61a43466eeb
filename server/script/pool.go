// Package script runs the small scripts of workflows, each call in a fresh
// runtime, in processes that hold nothing else: no files, no network, no
// secrets. A process that takes too long or too much memory is killed, and
// the script's step fails.
package script

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

	"woolsignal/core/expr"
	"woolsignal/core/flow"
)

// Memory is how much a script's process may hold, in bytes.
const Memory = 256 << 20

// atOnce is how many scripts run at the same time.
const atOnce = 4

// longestAnswer bounds what a process is listened to for, in bytes.
const longestAnswer = 8 << 20

// Pool keeps a few processes warm.
type Pool struct {
	command []string
	idle    chan *worker
	slots   chan struct{}
}

// NewPool makes a pool whose processes are started by a command, which must
// end up in [Serve]. None is started before the first script.
func NewPool(command ...string) *Pool {
	return &Pool{command: command, idle: make(chan *worker, atOnce), slots: make(chan struct{}, atOnce)}
}

// call is one script on its way to a process.
type call struct {
	Code   string         `json:"code"`
	Inputs map[string]any `json:"inputs"`
	Within time.Duration  `json:"within"`
}

// answer is what a process says of a script.
type answer struct {
	Result json.RawMessage `json:"result,omitempty"`
	Error  string          `json:"error,omitempty"`
}

// worker is one process.
type worker struct {
	process *exec.Cmd
	in      io.WriteCloser
	out     *bufio.Reader
}

// Run runs a script on values and gives its value. Errors are written for the
// author of the script.
func (p *Pool) Run(ctx context.Context, code string, inputs map[string]any, within time.Duration) (any, error) {
	select {
	case p.slots <- struct{}{}:
		defer func() { <-p.slots }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	w, err := p.borrow()
	if err != nil {
		return nil, fmt.Errorf("the script's process cannot be started: %w", err)
	}
	got, err := w.run(ctx, call{code, inputs, within})
	if err != nil {
		w.kill()
		return nil, err
	}
	select {
	case p.idle <- w:
	default:
		w.kill()
	}
	if got.Error != "" {
		return nil, errors.New(got.Error)
	}
	return expr.DecodeJSON(got.Result)
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
	cmd := exec.Command(p.command[0], p.command[1:]...)
	cmd.Env = []string{"GOMAXPROCS=1", "GOGC=50"} // nothing of ours
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

// grace is how much longer than allowed a process is waited for: it ends a
// script itself, and says where it stood.
const grace = 500 * time.Millisecond

// watchEvery is how often a process's memory is looked at.
const watchEvery = 20 * time.Millisecond

func (w *worker) run(ctx context.Context, c call) (answer, error) {
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
			if o.err != nil {
				return o.answer, fmt.Errorf("the script's process ended, most likely for lack of memory (%w)", o.err)
			}
			return o.answer, nil
		case <-deadline.C:
			return answer{}, fmt.Errorf("the script took longer than %s and was ended",
				flow.Span{Duration: c.Within}.String())
		case <-watch.C:
			if resident(w.process.Process.Pid) > Memory {
				return answer{}, fmt.Errorf("the script took more than %d MB of memory and was ended", Memory>>20)
			}
		case <-ctx.Done():
			return answer{}, ctx.Err()
		}
	}
}

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
			return a, errors.New("its result is larger than 8 MB")
		}
		if !more {
			return a, json.Unmarshal(line, &a)
		}
	}
}
