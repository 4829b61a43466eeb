package engine

import (
	"time"

	"woolsignal/core/run"
)

// postPatience is how long a message is kept because words of ours are on their
// way into its conversation; a call of a chat server takes no longer.
const postPatience = time.Minute

// afterPost keeps a message back while a run's words are on their way into the room
// it came from. Who reads them there may answer before the chat server has told us
// that it took them, and the run listens only then. kept is called where the message
// has to wait.
func (e *Engine) afterPost(a arrival, kept func()) {
	thread := e.postedIn(a.signal)
	if thread == "" {
		return
	}
	kept()
	limit := time.NewTimer(postPatience)
	defer limit.Stop()
	news, end := e.Hub.ListenTo(thread)
	defer end()
	for e.posts(e.lanes.mover(thread)) {
		select {
		case <-news:
		case <-limit.C:
			return
		case <-e.ctx.Done():
			return
		}
	}
}

// postedIn is the conversation with a workflow that a message belongs to and a run is
// writing in; "" where none does.
func (e *Engine) postedIn(s *run.Signal) string {
	if s.Kind != "chat" || s.Via == nil {
		return ""
	}
	for workflow := range e.workspace.Now().Workflows {
		thread := run.Thread{Workflow: workflow, Conversation: s.Conversation()}.String()
		if e.posts(e.lanes.mover(thread)) {
			return thread
		}
	}
	return ""
}

// posts tells whether a run's question or read-back is on its way, or was taken and
// that is not durable yet.
func (e *Engine) posts(id string) (is bool) {
	if id == "" {
		return false
	}
	l := e.runs.hold(id)
	defer e.runs.release(l)
	err := e.locked(e.hard, l, func() error {
		is = l.state.Posts() || l.writing > 0 && l.state.Hears()
		return nil
	})
	return err == nil && is
}
