// Package fault keeps a mistake of the service's own, such as a reader that
// trips over a document, within the work it happened in: a step, a look at a
// source, a request. That fails with a plain reason, and everything else goes
// on.
package fault

import (
	"context"
	"fmt"
	"log/slog"
	"runtime/debug"
	"runtime/pprof"
)

// Error is a fault, caught where it happened. Its stack is in the log.
type Error struct{ What any }

func (e *Error) Error() string {
	return fmt.Sprintf("the service itself went wrong over this (%v); the log has the details", e.What)
}

// Catch does something, and gives an *[Error] where it panics. work says in
// whose name, for the log.
func Catch(log *slog.Logger, work string, do func() error) (err error) {
	defer func() {
		if r := recover(); r != nil {
			log.Error("the service itself went wrong", "over", work, "fault", r, "stack", string(debug.Stack()))
			err = &Error{r}
		}
	}()
	return do()
}

// Label is the name of the label that says what a goroutine works on.
const Label = "work"

// Labelled does something in the name of some work. Where it ends the whole
// process, which nothing can catch, what the process leaves behind says whose
// work that was.
func Labelled(work string, do func()) {
	pprof.Do(context.Background(), pprof.Labels(Label, work), func(context.Context) { do() })
}
