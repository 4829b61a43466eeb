package step

import (
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
	"woolsignal/core/shape"
)

// Say writes in the conversation. Where that is held on a chat server, the
// step ends once the server has taken the message.
type Say struct{ Words }

// Fields are what it may say.
func (s *Say) Fields() []flow.Field { return s.Words.fields() }

// Check checks the message.
func (s *Say) Check(c *flow.Checker, step *flow.Step, names expr.Names) shape.Shape {
	s.Words.check(c, step, names)
	return shape.Map(map[string]shape.Shape{"message_id": shape.Text()})
}

// Tell says what is said.
func (s *Say) Tell(p *flow.Sentence, _ *flow.Step) {
	p.Say("Say ")
	s.Words.tell(p)
}

// Advance writes the message.
func (s *Say) Advance(at *run.At) run.Outcome {
	if at.Did != nil {
		return run.Blocked
	}
	via := at.Signal().Via
	if at.Repeats() {
		return at.Repeat(via.Tool)
	}
	message, err := s.Words.write(at)
	if err != nil {
		return at.Fail("%v", err)
	}
	if via == nil || at.Holds() {
		at.Say(message)
		return at.End(map[string]any{"message_id": at.Run() + "-" + at.Path})
	}
	at.BeginCall(via.Tool, message.Args(via))
	at.Say(message)
	return at.Wait()
}

// Answered is that the server took the message.
func (s *Say) Answered(at *run.At, reply run.Reply) {
	r, is := reply.(*run.Returned)
	if !is {
		return
	}
	if r.Error != "" {
		at.FailReturned(r)
		return
	}
	fields, _ := r.Result.(map[string]any)
	id, _ := fields["id"].(string)
	at.End(map[string]any{"message_id": id})
}

// Outstanding is the message, on its way to a chat server.
func (s *Say) Outstanding(at *run.At) []run.Errand {
	if at.Signal().Via == nil {
		return nil
	}
	return []run.Errand{at.Call(0, at.Signal().Via.Tool)}
}
