package step

import (
	"fmt"
	"strings"

	"woolsignal/core/agent"
	"woolsignal/core/expr"
	"woolsignal/core/flow"
	"woolsignal/core/run"
)

// mostHandOffs is how often one task changes hands: two agents that hand it to each
// other come to an end.
const mostHandOffs = 6

// handOver lets another agent go on from here, with what was collected.
func handOver(at *run.At, from *flow.Agent, c *agent.Call) error {
	_, id, _ := flow.CompanyTool(c.Tool)
	to, there := at.Agent(id)
	call := *c
	call.State, call.Ended = agent.Failed, at.Now()
	switch {
	case !there:
		call.Error = "there is no agent " + id
	case at.Off(id):
		call.Error = isOff(to) + "; go on yourself, or say so"
	case len(at.Did.Agent.Acts) >= mostHandOffs:
		call.Error = fmt.Sprintf("this was handed over %d times already; go on yourself", mostHandOffs)
	default:
		call.State, call.Result = agent.Done, map[string]any{"to": to.Title}
	}
	at.Emit(&run.CallChanged{Step: at.Path, Call: &call})
	if call.State == agent.Failed || at.Broken() {
		return nil
	}
	what, _ := c.Args["what"].(string)
	return takesOver(at, to, what, []agent.Message{handed(at.Did.Agent, from, what)})
}

// takesOver makes another agent the one that acts.
func takesOver(at *run.At, to *flow.Agent, why string, said []agent.Message) error {
	system, err := system(at, to)
	if err != nil {
		return fmt.Errorf("instructions of %s: %w", to.ID, err)
	}
	at.Emit(&run.HandedOver{Step: at.Path, To: to.ID, Model: to.Model, System: system, Why: why, Said: said})
	return nil
}

// goesOn lets the agent go on that had the conversation last, where it may still act.
func goesOn(at *run.At) error {
	did := at.Did.Agent
	if !did.Ready || did.Holder == "" || did.Holder == did.Agent || len(did.Turns) > 0 || len(did.Acts) > 0 {
		return nil
	}
	to, there := at.Agent(did.Holder)
	if !there || at.Off(to.ID) {
		return nil
	}
	return takesOver(at, to, "", nil)
}

// handed is what the one who takes over reads first: who had the conversation, what was
// collected, and what was said so far.
func handed(did *agent.State, from *flow.Agent, what string) agent.Message {
	var b strings.Builder
	fmt.Fprintf(&b, "%s hands this conversation over to you. It says: %s\n\nThis was said so far:\n", from.Title, what)
	out := agent.Message{Role: "user"}
	for _, m := range did.Messages[did.From:] {
		who := map[string]string{"user": "They", "assistant": from.Title}[m.Role]
		out.Files = append(out.Files, m.Files...)
		if who != "" && m.Text != "" {
			fmt.Fprintf(&b, "%s: %s\n", who, expr.Text(m.Text))
		}
	}
	out.Text = b.String()
	return out
}

// isOff says that an agent does nothing for anybody.
func isOff(a *flow.Agent) string { return a.Title + " is switched off" }
