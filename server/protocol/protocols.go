// Package protocol has how each protocol of connections is spoken, a folder
// each: its operations with what can be chosen from, and how it is tried.
// Importing it makes all of them known to package tool. What a connection's
// file says of each is core/protocol's.
package protocol

// As drivers register themselves with package database/sql.
import (
	_ "woolsignal/server/protocol/a2a"
	_ "woolsignal/server/protocol/caldav"
	_ "woolsignal/server/protocol/chatserver"
	_ "woolsignal/server/protocol/mail"
	_ "woolsignal/server/protocol/mcp"
	_ "woolsignal/server/protocol/modelserver"
	_ "woolsignal/server/protocol/openapi"
	_ "woolsignal/server/protocol/request"
	_ "woolsignal/server/protocol/search"
	_ "woolsignal/server/protocol/signingkey"
	_ "woolsignal/server/protocol/sql"
	_ "woolsignal/server/protocol/web"
	_ "woolsignal/server/protocol/webdav"
)
