package workspace

import (
	"woolsignal/core/run"
	"woolsignal/core/schema"
)

// DraftWebhook finds the webhook of a path among what is written, whether or
// not it is live.
func (h *Holder) DraftWebhook(path string) (Webhook, bool) {
	s := h.Now()
	for id, w := range s.Workflows {
		for _, t := range w.Triggers {
			if t.Webhook == nil || t.Webhook.Path != path {
				continue
			}
			out := Webhook{Workflow: id, Trigger: t, Draft: true,
				Definition: &run.Definition{Workflow: w, Agents: s.Agents, Tools: s.Tools.Find, Zone: s.Zone, Holidays: s.Holidays, Model: s.Model}}
			if doc := s.Schemas[t.Webhook.Accepts]; doc != nil {
				out.Accepts, _ = schema.Compile(doc) // the checker has said where it does not
			}
			return out, true
		}
	}
	return Webhook{}, false
}
