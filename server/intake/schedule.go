package intake

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"time"

	"woolsignal/core/calendar"
	"woolsignal/core/run"
	"woolsignal/core/trigger"
	"woolsignal/server/engine"
	"woolsignal/server/store"
	"woolsignal/server/workspace"
)

// Schedules starts runs every so often. Each due time is a delivery with its
// own id, so it starts one run however often the service stops around it.
// What becomes of times missed while the service was down, or everything was
// paused, is the schedule's choice; those while its workflow was off are skipped.
type Schedules struct {
	Workspace *workspace.Holder
	Engine    *engine.Engine
	Store     *store.Store
	Log       *slog.Logger

	owed map[string][]time.Time // due times whose start did not succeed yet, by trigger
}

// Run fires schedules until the context ends.
func (s *Schedules) Run(ctx context.Context) {
	for {
		next := s.fire(ctx, time.Now())
		timer := time.NewTimer(time.Until(next))
		select {
		case <-timer.C:
		case <-s.Workspace.Changed():
		case <-s.Engine.Resumed:
		case <-ctx.Done():
			timer.Stop()
			return
		}
		timer.Stop()
	}
}

// longestSleep bounds how long a clock that jumps goes unnoticed.
const longestSleep = time.Minute

// fire starts what is due and gives the time of the next look. While everything is
// paused nothing is: what became due meanwhile was missed, as while the service was down.
func (s *Schedules) fire(ctx context.Context, now time.Time) time.Time {
	look := now.Add(longestSleep)
	if s.Engine.Paused() {
		return look
	}
	for id, w := range s.Workspace.Live() {
		for _, t := range w.Triggers {
			timed, is := t.Is.(*trigger.Schedule)
			if !is {
				continue
			}
			rule, calendar := timed.Rule, s.Workspace.Now().Calendar()
			rule.Holidays = calendar.Holidays
			if rule.Zone == nil {
				rule.Zone = calendar.Zone
			}
			if err := rule.Ready(); err != nil {
				s.Log.Error("a schedule cannot be read", "workflow", id, "error", err)
				continue
			}
			due, err := s.due(ctx, id+"/"+t.ID, &rule, now)
			if err != nil {
				s.Log.Error("a schedule could not be read", "workflow", id, "error", err)
				continue
			}
			if !due.After(now) {
				due = s.catchUp(ctx, id, t.ID, timed.Missed, &rule, due, now)
			}
			if due.Before(look) {
				look = due
			}
		}
	}
	return look
}

// startAgain is how soon a start that did not succeed is tried again.
const startAgain = 5 * time.Second

// catchUp starts what is due of one schedule and gives the time of the next
// look. The schedule does not move past a start that did not succeed: that is
// owed, however late it gets meanwhile.
func (s *Schedules) catchUp(ctx context.Context, workflow, id, missed string, rule *calendar.Rule, due,
	now time.Time) time.Time {
	source := workflow + "/" + id
	owed := append(s.owed[source], starts(rule, missed, due, now)...)
	slices.SortFunc(owed, time.Time.Compare)
	owed = slices.CompactFunc(owed, time.Time.Equal)
	for len(owed) > 0 && s.start(ctx, workflow, id, owed[0]) {
		owed = owed[1:]
	}
	if s.owed == nil {
		s.owed = map[string][]time.Time{}
	}
	if s.owed[source] = owed; len(owed) > 0 {
		return now.Add(startAgain)
	}
	next := rule.Next(now)
	if err := s.keep(ctx, source, next); err != nil {
		s.Log.Error("a schedule could not be kept; what is due starts once all the same", "workflow", workflow, "error",
			err)
		return now.Add(startAgain)
	}
	return next
}

// late is how long after its time a run may still be started as if in time.
const late = time.Minute

// mostMissed is how many missed times are made up for.
const mostMissed = 1000

// starts lists the times to start runs for, of those due since one: all that
// are in time, and of those missed what the schedule says.
func starts(rule *calendar.Rule, missed string, due, now time.Time) []time.Time {
	var all []time.Time
	for t := due; !t.IsZero() && !t.After(now); t = rule.Next(t) {
		if all = append(all, t); len(all) > mostMissed {
			all = all[1:]
		}
	}
	switch missed {
	case "all":
		return all
	case "once":
		return all[len(all)-1:]
	}
	return slices.DeleteFunc(all, func(t time.Time) bool { return now.Sub(t) > late })
}

// due gives the next time of a schedule. What was kept by another rule, one
// that was changed since, counts no more.
func (s *Schedules) due(ctx context.Context, source string, rule *calendar.Rule, now time.Time) (time.Time, error) {
	var ms int64
	err := s.Store.Read().QueryRowContext(ctx, "SELECT coalesce((SELECT next FROM schedules WHERE source = ?), 0)",
		source).Scan(&ms)
	if err != nil {
		return time.Time{}, err
	}
	due := store.FromTime(ms)
	if next := rule.Next(now); ms == 0 || due.After(next) || !rule.Next(due.Add(-time.Millisecond)).Equal(due) {
		due = next
		return due, s.keep(ctx, source, due)
	}
	return due, nil
}

func (s *Schedules) keep(ctx context.Context, source string, next time.Time) error {
	var b store.Batch
	b.Do("INSERT INTO schedules (source, next) VALUES (?, ?) ON CONFLICT (source) DO UPDATE SET next = excluded.next",
		source, store.Time(next))
	return s.Store.Write(ctx, b)
}

// start starts the run of a due time and tells whether there is nothing more
// to do about it.
func (s *Schedules) start(ctx context.Context, workflow, trigger string, due time.Time) bool {
	zone := s.Workspace.Now().Zone
	_, err := s.Engine.Accept(ctx, engine.Admission{Workflow: workflow,
		Signal: &run.Signal{ID: due.Format(time.RFC3339Nano), Source: "/schedule", Type: "schedule.due",
			Time: due, Kind: "schedule", Trigger: trigger,
			Subject: fmt.Sprintf("due %s", due.In(zone).Format("15:04:05"))}})
	switch {
	case err == nil:
		return true
	case errors.Is(err, workspace.ErrOff), errors.Is(err, workspace.ErrNotLive), errors.Is(err,
		workspace.ErrNoWorkflow):
		return true // it was switched off a moment ago
	case ctx.Err() == nil:
		s.Log.Error("a scheduled run could not be started; it is tried again", "workflow", workflow, "due", due,
			"error", err)
	}
	return false
}
