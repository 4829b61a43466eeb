package confined

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"os"
	"strings"
	"testing"
	"time"
)

func init() {
	Register("echo", func(_ time.Duration, in json.RawMessage) (any, error) { return in, nil })
	Register("refuse", func(time.Duration, json.RawMessage) (any, error) { return nil, errors.New("not this one") })
	Register("hang", func(time.Duration, json.RawMessage) (any, error) { time.Sleep(time.Hour); return nil, nil })
	Register("spin", func(time.Duration, json.RawMessage) (any, error) {
		n := 0
		for end := time.Now().Add(time.Hour); time.Now().Before(end); n++ {
		}
		return n, nil
	})
	Register("panic", func(time.Duration, json.RawMessage) (any, error) { panic("torn") })
	Register("deep", func(time.Duration, json.RawMessage) (any, error) { return deep(0), nil })
	Register("hold", func(time.Duration, json.RawMessage) (any, error) {
		var all [][]byte
		for len(all) < 1000 {
			all = append(all, bytes.Repeat([]byte{1}, 8<<20))
		}
		return len(all), nil
	})
	Register("leap", func(time.Duration, json.RawMessage) (any, error) {
		all := make([]byte, 6<<30)
		for at := 0; at < len(all); at += 4096 {
			all[at] = 1
		}
		return len(all), nil
	})
	Register("talk", func(time.Duration, json.RawMessage) (any, error) { return strings.Repeat("a", 33<<20), nil })
	Register("exit", func(time.Duration, json.RawMessage) (any, error) { os.Exit(3); return nil, nil })
}

// deep calls itself till the stack is full.
func deep(n int) int {
	if n == 1<<40 {
		return 0
	}
	return deep(n+1) + 1
}

// TestMain makes this test's own binary the confined process.
func TestMain(m *testing.M) {
	if len(os.Args) > 1 && os.Args[1] == "confined" {
		if err := Serve(os.Stdin, os.Stdout); err != nil {
			os.Exit(1)
		}
		return
	}
	os.Exit(m.Run())
}

func pool(t *testing.T) *Pool {
	t.Helper()
	self, err := os.Executable()
	if err != nil {
		t.Fatal(err)
	}
	p := NewPool(self, "confined")
	t.Cleanup(p.Close)
	return p
}

// TestWorkThatGoesWrongEndsAlone does what foreign bytes have a reader do: the
// pool goes on.
func TestWorkThatGoesWrongEndsAlone(t *testing.T) {
	p := pool(t)
	for work, want := range map[string]string{"refuse": "not this one", "panic": "torn", "hang": "longer than 1 second",
		"spin": "longer than 1 second", "deep": "", "hold": "", "leap": "", "talk": "larger than 32 MB",
		"exit": "broke down", "nothing": "no work called nothing"} {
		var out any
		within := time.Second
		if work == "talk" || work == "hold" || work == "deep" || work == "leap" {
			within = time.Minute // what they take is not time
		}
		err := p.Do(context.Background(), work, within, 1, &out)
		if err == nil || !strings.Contains(err.Error(), want) || want == "" && !errors.Is(err, ErrBroke) {
			t.Errorf("%s: %v, want %q", work, err, want)
		}
		if err := p.Do(context.Background(), "echo", time.Second, "still here", &out); err != nil ||
			out != "still here" {
			t.Errorf("after %s: %v %v", work, out, err)
		}
	}
}

// TestACallerWhoLeavesEndsTheWork has the caller vanish.
func TestACallerWhoLeavesEndsTheWork(t *testing.T) {
	p := pool(t)
	ctx, leave := context.WithCancel(context.Background())
	time.AfterFunc(50*time.Millisecond, leave)
	if err := p.Do(ctx, "hang", time.Minute, 1, nil); !errors.Is(err, context.Canceled) {
		t.Errorf("%v", err)
	}
	var out int
	if err := p.Do(context.Background(), "echo", time.Second, 7, &out); err != nil || out != 7 {
		t.Errorf("afterwards: %d %v", out, err)
	}
}

func TestAProcessSeesNothingOfOurs(t *testing.T) {
	t.Setenv("WOOLSIGNAL_SECRET", "whsec_secret")
	w, err := pool(t).borrow()
	if err != nil {
		t.Fatal(err)
	}
	defer w.kill()
	if env, _ := json.Marshal(w.process.Env); strings.Contains(string(env), "secret") {
		t.Errorf("its environment is %s", env)
	}
}
