package protocol

import "woolsignal/core/flow"

// HTTP sends any request to one host.
type HTTP struct{ onTheWeb }

// Fields are none.
func (*HTTP) Fields() []flow.Field { return nil }
