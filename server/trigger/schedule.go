package trigger

import (
	"context"
	"fmt"
	"log/slog"
	"time"

	"woolsignal/core/run"
	"woolsignal/server/engine"
	"woolsignal/server/store"
	"woolsignal/server/workspace"
)

// Schedules starts runs every so often. Each due time is a delivery with its
// own id, so it starts one run however often the service stops around it.
// Times missed while the service was down are skipped.
type Schedules struct {
	Workspace *workspace.Holder
	Engine    *engine.Engine
	Store     *store.Store
	Log       *slog.Logger
}

// Run fires schedules until the context ends.
func (s *Schedules) Run(ctx context.Context) {
	for {
		next := s.fire(ctx, time.Now())
		timer := time.NewTimer(time.Until(next))
		select {
		case <-timer.C:
		case <-s.Workspace.Changed():
		case <-ctx.Done():
			timer.Stop()
			return
		}
		timer.Stop()
	}
}

// longestSleep bounds how long a clock that jumps goes unnoticed.
const longestSleep = time.Minute

// fire starts what is due and gives the time of the next look.
func (s *Schedules) fire(ctx context.Context, now time.Time) time.Time {
	look := now.Add(longestSleep)
	for id, w := range s.Workspace.Live() {
		for _, t := range w.Triggers {
			if t.Schedule == nil {
				continue
			}
			due, err := s.due(ctx, id+"/"+t.ID, t.Schedule.Every, now)
			if err != nil {
				s.Log.Error("a schedule could not be read", "workflow", id, "error", err)
				continue
			}
			if !due.After(now) {
				s.start(ctx, id, t.ID, due)
				due = following(now, t.Schedule.Every)
				if err := s.keep(ctx, id+"/"+t.ID, due); err != nil {
					s.Log.Error("a schedule could not be kept", "workflow", id, "error", err)
				}
			}
			if due.Before(look) {
				look = due
			}
		}
	}
	return look
}

// following is the next whole multiple of an interval; those that divide a day
// are counted from midnight UTC.
func following(now time.Time, every time.Duration) time.Time {
	return now.Truncate(every).Add(every).UTC()
}

// due gives the next time of a schedule. One that is long past was missed,
// and one farther away than its interval belongs to an interval of before.
func (s *Schedules) due(ctx context.Context, source string, every time.Duration, now time.Time) (time.Time, error) {
	var ms int64
	err := s.Store.Read().QueryRowContext(ctx, "SELECT coalesce((SELECT next FROM schedules WHERE source = ?), 0)", source).Scan(&ms)
	if err != nil {
		return time.Time{}, err
	}
	due := store.FromTime(ms)
	if ms == 0 || now.Sub(due) > every || due.Sub(now) > every {
		due = following(now, every)
		return due, s.keep(ctx, source, due)
	}
	return due, nil
}

func (s *Schedules) keep(ctx context.Context, source string, next time.Time) error {
	var b store.Batch
	b.Do("INSERT INTO schedules (source, next) VALUES (?, ?) ON CONFLICT (source) DO UPDATE SET next = excluded.next", source, store.Time(next))
	return s.Store.Write(ctx, b)
}

func (s *Schedules) start(ctx context.Context, workflow, trigger string, due time.Time) {
	zone := s.Workspace.Now().Zone
	_, err := s.Engine.Accept(ctx, engine.Admission{Workflow: workflow, Signal: &run.Signal{ID: due.Format(time.RFC3339Nano), Source: "/schedule", Type: "schedule.due",
		Time: due, Kind: "schedule", Trigger: trigger, Subject: fmt.Sprintf("due %s", due.In(zone).Format("15:04:05"))}})
	if err != nil && ctx.Err() == nil {
		s.Log.Error("a scheduled run could not be started", "workflow", workflow, "due", due, "error", err)
	}
}
