package intake

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"time"

	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/trigger"
	"woolsignal/server/store"
	"woolsignal/server/table"
	"woolsignal/server/tool"
)

// rowSource is a table of the workspace. Its cursor is the number of the last
// change that was seen.
type rowSource struct{ *table.Table }

func newRowSource(s *store.Store, t *flow.Table, zone *time.Location) *rowSource {
	return &rowSource{&table.Table{Of: t, Store: s, Zone: zone}}
}

// rows looks at a table of the workspace, or at a list that a tool gives.
func (w *Watches) rows(t flow.Trigger) *looking {
	of, now := t.Is.(*trigger.Row), w.Workspace.Now()
	if of.Table != "" {
		table := now.Tables[of.Table]
		if table == nil {
			return nil
		}
		return &looking{"table " + table.ID, "rows of the table " + table.ID, rowLook,
			newRowSource(w.Store, table, now.Zone)}
	}
	args, err := json.Marshal(fixedArgs(of.Args))
	if err != nil || of.List == nil {
		return nil
	}
	key := fmt.Sprintf("rows %s %s %s %s", of.Tool, args, of.List.Source, of.Unique)
	return &looking{key, "rows that " + of.Tool + " gives", of.Every, &listSource{w.Kit, now.Tools, of}}
}

// rowLook is how often tables are looked at, beside being told of their
// changes.
const rowLook = time.Minute

// mostChanges is how many changes one look takes.
const mostChanges = 200

func (s *rowSource) look(ctx context.Context, cursor json.RawMessage) ([]any, any, bool, error) {
	if cursor == nil {
		last, err := s.LastChange(ctx)
		return nil, last, false, err
	}
	var after int64
	if err := json.Unmarshal(cursor, &after); err != nil {
		return nil, nil, false, err
	}
	changes, err := s.Changes(ctx, after, mostChanges)
	if err != nil {
		return nil, nil, false, err
	}
	var found []any
	for _, c := range changes {
		found, after = append(found, c), c.N
	}
	return found, after, len(changes) == mostChanges, nil
}

func (s *rowSource) signal(t flow.Trigger, found any) (*run.Signal, error) {
	c := found.(table.Change)
	of := t.Is.(*trigger.Row)
	if !of.Starts(of.Table, c.Did) {
		return nil, nil
	}
	return &run.Signal{ID: fmt.Sprint(c.N), Type: "row." + c.Did,
		Subject: fmt.Sprintf("%s, row %d", s.Of.Title, c.Row.N), Time: c.Row.Changed.UTC(), Cause: c.Run,
		Body: picked(of, s.Value(c.Row))}, nil
}

// picked leaves of a row what the builder wants to travel on.
func picked(t *trigger.Row, row map[string]any) map[string]any {
	if len(t.Columns) == 0 {
		return row
	}
	out := map[string]any{}
	for _, c := range t.Columns {
		if v, ok := row[c]; ok {
			out[c] = v
		}
	}
	return out
}

// listSource is a list that a tool gives. Its cursor is the rows that stood
// there, by key with a hash of what travels on.
type listSource struct {
	kit   *tool.Kit
	tools tool.Catalogue
	of    *trigger.Row
}

type listFound struct {
	key, did, hash string
	row            map[string]any
}

// fixedArgs are the arguments of a watched list: there is no signal yet that
// they could depend on.
func fixedArgs(entries []flow.Entry) map[string]any {
	args, err := flow.EvalEntries(entries, expr.Scope{Names: map[string]any{}, Now: time.Now()})
	if err != nil {
		return map[string]any{}
	}
	return expr.CanonicalMap(args)
}

func (s *listSource) look(ctx context.Context, cursor json.RawMessage) ([]any, any, bool, error) {
	var before map[string]string
	if cursor != nil {
		if err := json.Unmarshal(cursor, &before); err != nil {
			return nil, nil, false, err
		}
	}
	got, err := s.tools.Call(ctx, s.kit, s.of.Tool, fixedArgs(s.of.Args), tool.Sending{})
	if err != nil {
		return nil, nil, false, err
	}
	v, err := s.of.List.Eval(expr.Scope{Names: map[string]any{"result": got}, Now: time.Now()})
	if err != nil {
		return nil, nil, false, fmt.Errorf("of: %w", err)
	}
	list, ok := expr.Canonical(v).([]any)
	if !ok {
		return nil, nil, false, fmt.Errorf("list: %s gives %s, and rows are a list", s.of.List.Source, expr.Kind(v))
	}
	now, found := map[string]string{}, []any{}
	for _, item := range list {
		row, ok := item.(map[string]any)
		key := expr.Text(row[s.of.Unique])
		if !ok || key == "" {
			return nil, nil, false, fmt.Errorf("a row has no %s to tell it apart by", s.of.Unique)
		}
		data, err := json.Marshal(picked(s.of, row))
		if err != nil {
			return nil, nil, false, err
		}
		now[key] = short(string(data))
		if cursor == nil {
			continue
		}
		switch hash, known := before[key]; {
		case !known:
			found = append(found, listFound{key, "added", now[key], row})
		case hash != now[key]:
			found = append(found, listFound{key, "changed", now[key], row})
		}
	}
	return found, now, false, nil
}

func (s *listSource) comesBack() {} // rows become again what they were

func (s *listSource) signal(t flow.Trigger, found any) (*run.Signal, error) {
	f := found.(listFound)
	of := t.Is.(*trigger.Row)
	if of.Happens != "either" && of.Happens != f.did {
		return nil, nil
	}
	return &run.Signal{ID: f.key + "@" + f.hash, Type: "row." + f.did, Subject: f.key,
		Body: maps.Clone(picked(of, f.row))}, nil
}
