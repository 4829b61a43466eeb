package engine

import (
	"maps"
	"net/http"
	"testing"

	"woolsignal/server/testbed"
)

// among is an engine whose connections reach these peers, with a table of things.
func among(t *testing.T, peers http.RoundTripper, files map[string]string) (*Engine, *testbed.Bed) {
	t.Helper()
	bed := testbed.Open(t, nil)
	bed.Kit.Peers = peers
	all := map[string]string{
		"woolsignal.yaml": "name: Larkrigg\nzone: Europe/London\nmodel: small\n",
		"connections/models.yaml": "connection: models\ntitle: Models\naddress: http://models.example/v1\n" +
			"networks: [private]\nmodel_server:\n  protocol: chat-completions\n  models:\n    small: {name: small}\n",
		"tables/things.yaml": "table: things\ntitle: Things\npurpose: Things.\ncolumns: [{name: name, type: text}]\n",
	}
	maps.Copy(all, files)
	bed.Add(t, all)
	return restart(t, nil, bed), bed
}
