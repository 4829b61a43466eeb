package fault_test

import (
	"bytes"
	"errors"
	"log/slog"
	"strings"
	"testing"

	"woolsignal/server/fault"
)

func TestAFaultIsAnErrorAndItsStackIsLogged(t *testing.T) {
	var logged bytes.Buffer
	log := slog.New(slog.NewTextHandler(&logged, nil))
	err := fault.Catch(log, "a look", func() error {
		var sheep []string
		_ = sheep[3]
		return nil
	})
	var broken *fault.Error
	if !errors.As(err, &broken) || !strings.Contains(err.Error(), "index out of range [3]") {
		t.Errorf("it became %v", err)
	}
	if out := logged.String(); !strings.Contains(out, "a look") || !strings.Contains(out, "fault_test.go") {
		t.Errorf("logged is %s", out)
	}
	plain := errors.New("no")
	if err := fault.Catch(log, "a look", func() error { return plain }); err != plain {
		t.Errorf("a plain error became %v", err)
	}
}
