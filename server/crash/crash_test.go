package crash_test

import (
	"context"
	"os"
	"os/exec"
	"runtime/pprof"
	"strings"
	"testing"

	"woolsignal/server/crash"
)

// fold calls itself without end, as a reader of nested documents may.
func fold(depth int, more ...byte) int {
	if depth < 0 {
		return 0
	}
	return fold(depth+1, append(more, 1)...) + 1
}

// TestMain ends itself, in the name of some work, where a test asks for it.
func TestMain(m *testing.M) {
	folder := os.Getenv("CRASH_FOLDER")
	if folder == "" {
		os.Exit(m.Run())
	}
	if _, err := crash.Watch(folder, "work"); err != nil {
		panic(err)
	}
	pprof.Do(context.Background(), pprof.Labels("work", `errand "r1":0`), func(context.Context) {
		done := make(chan struct{})
		switch os.Getenv("CRASH_BY") {
		case "overflow":
			go func() { fold(1) }()
		case "panic":
			go func() { panic("a library's own goroutine") }()
		default:
			return
		}
		<-done
	})
}

// The next start knows what work ended the process, and how; a process that
// stopped as it should have has nothing held against it.
func TestTheNextStartKnowsWhatEndedTheProcess(t *testing.T) {
	for by, why := range map[string]string{"overflow": "the stack overflowed, in woolsignal/server/crash_test.fold",
		"panic": "panic: a library's own goroutine", "": ""} {
		folder := t.TempDir()
		self := exec.Command(os.Args[0])
		self.Env = append(os.Environ(), "CRASH_FOLDER="+folder, "CRASH_BY="+by)
		if err := self.Run(); (err == nil) != (by == "") {
			t.Fatalf("%s: %v", by, err)
		}
		report, err := crash.Watch(folder, "work")
		if err != nil {
			t.Fatal(err)
		}
		if by == "" {
			if report != nil {
				t.Errorf("after a clean stop: %+v", report)
			}
			continue
		}
		if report == nil || report.Work != `errand "r1":0` || !strings.HasPrefix(report.Why, why) {
			t.Errorf("%s: %+v", by, report)
			text, _ := os.ReadFile(report.Path)
			t.Logf("%.1500s", text)
		}
		if again, err := crash.Watch(folder, "work"); err != nil || again != nil {
			t.Errorf("%s is told of twice: %+v %v", by, again, err)
		}
	}
}
