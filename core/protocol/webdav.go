package protocol

import "woolsignal/core/flow"

// WebDAV reaches files (RFC 4918).
type WebDAV struct{ onTheWeb }

// Fields are none.
func (*WebDAV) Fields() []flow.Field { return nil }
