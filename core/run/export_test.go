package run

// Gate passes a record as every one is passed before it is written.
func Gate(r Record) { r.gate(&gate{}) }
