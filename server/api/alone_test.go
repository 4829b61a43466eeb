package api

import (
	"context"
	"errors"
	"testing"
)

// TestOneLongTextOfAPersonAtATime has somebody ask twice: the second waits for the first, leaves
// when its client does, and holds up nobody else. Nothing is kept of who asked.
func TestOneLongTextOfAPersonAtATime(t *testing.T) {
	var texts turns
	done, err := texts.take(context.Background(), "ines")
	if err != nil {
		t.Fatal(err)
	}
	leaves, leave := context.WithCancel(context.Background())
	waited := make(chan error)
	go func() {
		_, err := texts.take(leaves, "ines")
		waited <- err
	}()
	other, err := texts.take(context.Background(), "elin")
	if err != nil {
		t.Fatal("somebody else is held up:", err)
	}
	other()
	leave()
	if err := <-waited; !errors.Is(err, context.Canceled) {
		t.Errorf("the second, whose client left, gives %v", err)
	}
	done()
	if again, err := texts.take(context.Background(), "ines"); err != nil {
		t.Error("afterwards:", err)
	} else {
		again()
	}
	if len(texts.of) != 0 {
		t.Errorf("%d people are remembered", len(texts.of))
	}
}
