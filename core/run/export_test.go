package run

// Gated is a record as it passes through the gate of all values.
func Gated(r Record) Record {
	r.canonical()
	return r
}
