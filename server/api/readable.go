package api

import (
	"context"
	"net/http"

	"woolsignal/core/run"
	"woolsignal/server/access"
	"woolsignal/server/workspace"
	"woolsignal/wire"
)

// conversationOf finds the conversations a run r comes from: its own, and those
// of the runs that called it, that it repeats, or that brought it about.
const conversationOf = `WITH RECURSIVE line (run) AS (
	SELECT r.id
	UNION SELECT x.origin_run FROM line JOIN runs x ON x.id = line.run WHERE x.origin_run IS NOT NULL
	UNION SELECT x.cause FROM line JOIN runs x ON x.id = line.run WHERE x.cause IS NOT NULL
) SELECT 1 FROM line JOIN runs x ON x.id = line.run
	WHERE x.thread IS NOT NULL AND instr(x.thread, ?) != instr(x.thread, ':')`

// shown is the workspace as a person sees it: whoever builds nothing sees what is live, and
// of what is only written neither text nor name.
func (a *API) shown(ctx context.Context) (*workspace.Snapshot, error) {
	if person(ctx).Role.Allows(access.Builder) {
		return a.Workspace.Now(), nil
	}
	return a.Workspace.Published(ctx)
}

// readable is the condition under which a person may read a run r, and its
// arguments: what visitors and colleagues said is for reviewers and up, their own
// conversations for everybody.
func readable(p access.Person) (condition string, args []any) {
	if p.Role.Allows(access.Reviewer) {
		return "1", nil
	}
	own := run.Thread{Conversation: run.Conversation{Source: consoleSource(p)}}
	return "NOT EXISTS (" + conversationOf + ")", []any{own.String()}
}

// mayHear tells whether a person may know what happens in a conversation.
func mayHear(p access.Person, thread string) bool {
	return thread == "" || p.Role.Allows(access.Reviewer) || run.ParseThread(thread).Source == consoleSource(p)
}

// mayRead refuses a run that is not the caller's to read.
func (a *API) mayRead(ctx context.Context, id string) error {
	condition, args := readable(person(ctx))
	var there, fine bool
	err := a.Store.Read().QueryRowContext(ctx, "SELECT count(*) > 0, coalesce(sum("+condition+"), 0) > 0 FROM runs r "+
		"WHERE r.id = ?", append(args, id)...).Scan(&there, &fine)
	if err != nil {
		return err
	}
	if there && !fine {
		return refuse(http.StatusForbidden, "Not yours to read", "This run belongs to somebody's conversation, which "+
			"reviewers, builders and owners may read.")
	}
	return nil
}

// legible leaves out the reviews of conversations that are not the caller's to
// read, unless they are asked themselves.
func (a *API) legible(ctx context.Context, all []wire.Review) ([]wire.Review, error) {
	if person(ctx).Role.Allows(access.Reviewer) {
		return all, nil
	}
	out := []wire.Review{}
	for _, r := range all {
		if r.Yours || a.mayRead(ctx, r.Run) == nil {
			out = append(out, r)
		}
	}
	return out, ctx.Err()
}
