package confined

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"time"
)

// Worker is the command by which our program becomes a process that calls [Serve].
const Worker = "confined-worker"

// Work is a kind of work: it takes and gives JSON. within is how long it may
// take; a process that goes on longer is killed.
type Work func(within time.Duration, in json.RawMessage) (any, error)

var works = map[string]Work{}

// Register makes a kind of work known by its name. It is called while packages
// are initialised.
func Register(name string, work Work) {
	if works[name] != nil {
		panic("confined: " + name + " is registered twice")
	}
	works[name] = work
}

// Serve does the work that comes in, one a line, and answers each with a line.
// It is what a process of a [Pool] does until its input ends.
func Serve(in io.Reader, out io.Writer) error {
	if err := confine(); err != nil {
		return fmt.Errorf("confined: %w", err)
	}
	calls := json.NewDecoder(bufio.NewReader(in))
	for {
		var c call
		if err := calls.Decode(&c); errors.Is(err, io.EOF) {
			return nil
		} else if err != nil {
			return err
		}
		if err := json.NewEncoder(out).Encode(done(c)); err != nil {
			return err
		}
	}
}

// done does one piece of work.
func done(c call) (a answer) {
	defer func() {
		if p := recover(); p != nil {
			a = answer{Error: fmt.Sprintf("it is damaged: %v", p)}
		}
	}()
	work, known := works[c.Work]
	if !known {
		return answer{Error: "there is no work called " + c.Work}
	}
	out, err := work(c.Within, c.In)
	if err != nil {
		return answer{Error: err.Error()}
	}
	data, err := json.Marshal(out)
	if err != nil {
		return answer{Error: err.Error()}
	}
	return answer{Out: data}
}
