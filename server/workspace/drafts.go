package workspace

import (
	"woolsignal/core/run"
	"woolsignal/core/trigger"
)

// DraftWebhook finds the webhook of a path among what is written, whether or
// not it is live.
func (h *Holder) DraftWebhook(path string) (Webhook, bool) {
	s := h.Now()
	for id, w := range s.Workflows {
		for _, t := range w.Triggers {
			hook, is := t.Is.(*trigger.Webhook)
			if !is || hook.Path != path {
				continue
			}
			return Webhook{Workflow: id, Trigger: t, Hook: hook, Draft: true,
				Definition: &run.Definition{Workflow: w, Agents: s.Agents, Tools: s.Find, Models: h.model, Off: h.off,
					Zone: s.Zone, Holidays: s.Holidays, Model: s.Model}}, true
		}
	}
	return Webhook{}, false
}
