package flow

// Budget is what may be spent on models and priced tools, in the workspace's
// currency; 0 is no limit. What would exceed it is not begun.
type Budget struct {
	Run   float64 // one run
	Day   float64 // all runs of one day, in the workspace's zone
	Month float64 // … of one month
}

// Fields are what a workflow's budget may say.
func (b *Budget) Fields() []Field {
	return append([]Field{{Name: "run", Into: &b.Run, Help: "What one run may spend, in the workspace's currency.",
		Example: "0.50"}}, b.periods()...)
}

func (b *Budget) periods() []Field {
	return []Field{
		{Name: "day", Into: &b.Day, Help: "What may be spent in a day, in the workspace's currency.", Example: "5"},
		{Name: "month", Into: &b.Month, Help: "What may be spent in a month, in the workspace's currency.",
			Example: "60"},
	}
}

// wholeBudget is the workspace's own: no run of it is one.
type wholeBudget struct{ Budget }

// Fields are what it may say.
func (b *wholeBudget) Fields() []Field { return b.periods() }
