package run

// Status is how far a run or a step is.
type Status string

// The states of a run; a step may also be skipped, uncertain, or about to
// begin again.
const (
	Queued    Status = "queued"
	Running   Status = "running"
	Waiting   Status = "waiting"
	Done      Status = "done"
	Failed    Status = "failed"
	Stopped   Status = "stopped"
	Skipped   Status = "skipped"
	Uncertain Status = "uncertain"
	Retrying  Status = "retrying"
)

// Ended tells whether nothing more will happen.
func (s Status) Ended() bool { return s == Done || s == Failed || s == Stopped }

// Effect says what is known of the effect of a call that did not go well.
type Effect string

// What can be known. Without any of these, nothing was done.
const (
	Unsure    Effect = "unsure"   // it may or may not have happened
	TookPlace Effect = "happened" // it happened, and what it gave is lost
)
