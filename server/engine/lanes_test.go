package engine

import (
	"context"
	"fmt"
	"testing"
	"time"
)

// idleLanes are lanes of an engine that begins nothing by itself.
func idleLanes(t *testing.T) *lanes {
	t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	stop() // what is kicked later finds the engine stopped
	return newLanes(&Engine{ctx: ctx, Now: time.Now})
}

func TestBeginningsAMinuteAreBounded(t *testing.T) {
	s := idleLanes(t)
	began := 0
	for i := range 10 {
		if s.enter(fmt.Sprint(i), place{workflow: "w", perMinute: 4}) {
			began++
		}
	}
	if began != 4 {
		t.Errorf("%d began at once, want 4", began)
	}
	s.begins["w"].recent[0] = s.engine.now().Add(-time.Minute) // the oldest is a minute ago
	if next := s.leave("0"); len(next) != 1 || next[0] != "4" {
		t.Errorf("a minute later %v began, want the one that waited longest", next)
	}
}

// TestItIsQuietThoughTheClockIsPutBack puts the clock back by an hour while a run waits for
// a younger one.
func TestItIsQuietThoughTheClockIsPutBack(t *testing.T) {
	s, at := idleLanes(t), time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	s.engine.Now = func() time.Time { return at }
	if s.enter("a", place{workflow: "w", key: "k", quietFor: 10 * time.Second, accepted: at}) {
		t.Fatal("it began before it was quiet")
	}
	at = at.Add(-time.Hour)
	if next := s.ready("w"); len(next) != 0 {
		t.Errorf("%v began before it was quiet", next)
	}
	at = at.Add(10 * time.Second)
	if next := s.ready("w"); len(next) != 1 {
		t.Errorf("%v began ten seconds after the clock was put back, want the one that waits", next)
	}
}

func TestAKeyHeldBackHoldsNobodyElse(t *testing.T) {
	s := idleLanes(t)
	at := func(id, key string) bool {
		return s.enter(id, place{workflow: "w", key: key, perKey: 1, atOnce: 2})
	}
	if !at("a1", "a") || at("a2", "a") || at("a3", "a") || !at("b1", "b") || at("c1", "c") {
		t.Fatal("the wrong ones began")
	}
	if next := s.leave("b1"); len(next) != 1 || next[0] != "c1" {
		t.Errorf("%v began when there was room for one, want c1: a's turn is taken", next)
	}
	if next := s.leave("a1"); len(next) != 1 || next[0] != "a2" {
		t.Errorf("%v began when a was free, want a2, the oldest of it", next)
	}
	s.leave("a3") // it was stopped while it waited
	s.leave("c1")
	s.leave("a2")
	if len(s.runs)+len(s.moving)+len(s.queues)+len(s.waits) != 0 {
		t.Errorf("something is left: %v %v %v %v", s.runs, s.moving, s.queues, s.waits)
	}
}

// TestManyHeldBackWakeOnce asks again and again while there is no room.
func TestManyHeldBackWakeOnce(t *testing.T) {
	var m minute
	woken := make(chan struct{}, 100)
	at := time.Now()
	m.took(at.Add(-time.Minute + 20*time.Millisecond))
	for range 100 {
		if m.room(at, 1, func() { woken <- struct{}{} }) {
			t.Fatal("there is room for two where one is allowed")
		}
	}
	<-woken
	if n := len(woken); n != 0 {
		t.Errorf("%d more were told to look again", n)
	}
	if m.woken(); !m.room(at.Add(time.Second), 1, nil) {
		t.Error("a minute later there is no room")
	}
}
