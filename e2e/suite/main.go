// Command suite runs the tests of the whole project, side by side where they share
// nothing, and tells what took longest. It is what make test and make quick run.
//
// What has concurrency is tested under the race detector; what has none is not, as
// it would only take longer.
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"
)

// console is what is built of the console, and stands in the program.
const console = "console/dist/index.html"

// windows is how many tests of the whole service go on at once: most of their time
// they wait.
const windows = "4"

func main() {
	quick := flag.Bool("quick", false, "only what changed since main, what imports it, and three walks")
	race := flag.Bool("race", true, "test what has concurrency under the race detector; needs a C compiler")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	s := &suite{ctx: ctx, race: *race, began: time.Now()}
	err := s.run(*quick)
	stop()
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	s.tally.print(os.Stdout, time.Since(s.began))
	if s.tally.failed > 0 || len(s.broken) > 0 {
		for _, b := range s.broken {
			fmt.Println("FAILED:", b)
		}
		os.Exit(1)
	}
}

// suite is one run of the tests.
type suite struct {
	ctx   context.Context
	race  bool
	began time.Time
	tally tally

	mu     sync.Mutex // guards broken
	broken []string
}

// run does everything; the error says that it could not begin.
func (s *suite) run(quick bool) error {
	packages, err := list(s.ctx)
	if err != nil {
		return err
	}
	what := "lint"
	if quick {
		changed, err := changedFiles(s.ctx)
		if err != nil {
			return err
		}
		// The console's types stand in its folder, and fit what Go says they are.
		if !slices.ContainsFunc(changed, func(f string) bool { return strings.HasPrefix(f, "console/") }) {
			what = "lint-go"
		}
	}
	// The program has the console inside: what is linted must not change meanwhile.
	if !s.make(console) {
		return nil
	}
	var lint sync.WaitGroup
	lint.Go(func() { s.make(what) })
	defer lint.Wait()
	if !s.make("build") {
		return nil
	}
	built, err := filepath.Abs("bin/woolsignal")
	if err != nil {
		return err
	}
	if err := os.Setenv("WOOLSIGNAL_PROGRAM", built); err != nil {
		return err
	}
	remove, err := scratch()
	if err != nil {
		return err
	}
	defer remove()
	if quick {
		return s.quick(packages)
	}
	raced, plain := split(packages)
	var outside sync.WaitGroup
	outside.Go(func() { s.test("-parallel", windows, "-count", "1", "./e2e") })
	outside.Go(func() { s.test(append(s.detecting(), raced...)...) })
	s.test(plain...)
	outside.Wait()
	return nil
}

// walks are the tests of the whole service that go through the middle of it.
const walks = "TestConsoleFromChatToBooking|TestKilledAtEveryKindOfMoment|TestEveryRouteAnswersAsDescribed"

// quick tests what changed and what imports it.
func (s *suite) quick(packages []*pkg) error {
	changed, err := since(s.ctx, packages)
	if err != nil {
		return err
	}
	var outside sync.WaitGroup
	outside.Go(func() { s.test("-parallel", windows, "-count", "1", "-run", walks, "./e2e") })
	outside.Go(func() {
		s.test("-run", "Seeds", simulation, "-seeds", "20", "-first", fmt.Sprint(time.Now().Unix()))
	})
	if len(changed) > 0 {
		s.test(changed...)
	}
	outside.Wait()
	return nil
}

// detecting are the arguments of tests that look for races in our code. SQLite is a
// translation of C that keeps its own locks: watching it took most of the time. Only
// that package is left out: code that shares generic functions with ours would bring
// copies of them that are not watched either.
func (s *suite) detecting() []string {
	if s.race {
		return []string{"-race", "-gcflags=modernc.org/sqlite/lib=-race=false -d=checkptr=0"}
	}
	return nil
}

// test runs go test with some arguments.
func (s *suite) test(args ...string) {
	args = append([]string{"test", "-json", "-vet=off", "-timeout", "20m", "-p", "1"}, args...) // make lint vets
	cmd := exec.CommandContext(s.ctx, "go", args...)
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err == nil {
		err = cmd.Start()
	}
	if err == nil {
		err = s.tally.read(out)
	}
	if err == nil {
		err = cmd.Wait()
	}
	if err != nil {
		s.note("go test: " + err.Error())
	}
}

// make makes something, and prints what was said where that did not go well.
func (s *suite) make(what string) bool {
	began := time.Now()
	out, err := exec.CommandContext(s.ctx, "make", "--no-print-directory", what).CombinedOutput()
	if err != nil {
		fmt.Printf("%s\n", out)
		s.note("make " + what)
		return false
	}
	fmt.Printf("ok  \tmake %s\t%.1fs\n", what, time.Since(began).Seconds())
	return true
}

func (s *suite) note(what string) {
	s.mu.Lock()
	s.broken = append(s.broken, what)
	s.mu.Unlock()
}
