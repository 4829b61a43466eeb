package workspace

import (
	"sync"

	"woolsignal/core/flow"
)

// found is what was looked up in a workspace, each once: agents ask for it at every turn.
type found struct {
	bundles sync.Map // hash → *bundle, read in the light of this workspace
	tasks   sync.Map // what tells the tasks of agents apart → hash
	company sync.Map // name → flow.Tool, of what agents are offered beside tools
	models  sync.Map // name → offeredModel
}

type offeredModel struct {
	connection *flow.Connection
	model      flow.Model
}

// Find finds a tool of the workspace, and what agents are offered beside.
func (s *Snapshot) Find(name string) (flow.Tool, bool) {
	kind, id, beside := flow.CompanyTool(name)
	if !beside {
		return s.Tools.Find(name)
	}
	if kept, ok := s.found.company.Load(name); ok {
		return kept.(flow.Tool), true
	}
	now := name
	if kind == flow.WorkflowTools {
		now = kind + "/" + s.Current(id) // it may have been renamed since
	}
	t, ok := s.WithCompany(s.Tools.Find)(now)
	if ok {
		t.Name = name
		s.found.company.Store(name, t)
	}
	return t, ok
}

// FindModel is [flow.Workspace.FindModel].
func (s *Snapshot) FindModel(name string) (connection *flow.Connection, model flow.Model, ok bool) {
	if kept, ok := s.found.models.Load(name); ok {
		m := kept.(offeredModel)
		return m.connection, m.model, true
	}
	if connection, model, ok = s.Workspace.FindModel(name); ok {
		s.found.models.Store(name, offeredModel{connection, model})
	}
	return connection, model, ok
}
