package protocol

import "woolsignal/core/flow"

// SQL reaches a database: postgres://host/name, or sqlite:file.
type SQL struct {
	Write bool // statements that change something are allowed
}

// Schemes are those of databases.
func (*SQL) Schemes() ([]string, string) {
	return []string{"postgres", "postgresql", "sqlite"}, "postgres://db.example/wool"
}

// Fields are what it may say.
func (s *SQL) Fields() []flow.Field {
	return []flow.Field{{Name: "write", Into: &s.Write, Help: "Statements that change something are allowed.",
		Example: "true"}}
}
