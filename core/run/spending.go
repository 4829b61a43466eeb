package run

import (
	"slices"

	"woolsignal/core/money"
)

// Cost is what an entry says was spent by the run itself. What a run it called spent
// stands in that one's journal.
func (e Entry) Cost() (sum money.Micros) {
	for _, r := range e.Records {
		switch r := r.(type) {
		case *ModelAnswered:
			sum += r.Turn.Cost
		case *CallWeighed:
			sum += r.Cost
		case *SpentInVain:
			sum += r.Cost
		case *CallPriced:
			if !r.Child {
				sum += r.Cost
			}
		}
	}
	return sum
}

// wasted is what an answer cost that nobody waits for any more; nil where it cost
// nothing.
func wasted(e Event) *SpentInVain {
	answer, is := e.(*Answer)
	if !is {
		return nil
	}
	r := &SpentInVain{Step: answer.Step}
	switch reply := answer.Reply.(type) {
	case *Answered:
		r.Use, r.Cost = reply.Turn.Use, reply.Turn.Cost
	case *Returned:
		if reply.Child == "" {
			r.Cost = reply.Cost
		}
	}
	if r.Cost == 0 && r.Input == 0 && r.Output == 0 {
		return nil
	}
	return r
}

// tooLate notes what an answer cost that nobody waits for any more, unless a person said before
// that its call happened, which was paid for then.
func (m *machine) tooLate(e Event, spent *SpentInVain) error {
	if doubt := m.doubtOf(e); doubt != nil && spent.Cost > 0 {
		if !doubt.open() {
			return ErrStale
		}
		spent.Review = doubt.ID
	}
	m.emit(spent)
	return m.broken
}

// doubtOf is the review that asks whether the call happened that an answer is of, or of which
// a person said so; nil where there is none.
func (m *machine) doubtOf(e Event) *Review {
	answer, is := e.(*Answer)
	if !is {
		return nil
	}
	step := m.state.Step(answer.Step)
	if step == nil || step.Sending != answer.Sending {
		return nil
	}
	if answer.CallID != "" && !step.sent(answer) {
		return nil
	}
	for _, id := range step.Reviews {
		r := m.state.Reviews[id]
		if r.Kind == OfDoubt && (r.open() || r.Choice == Happened) && r.Call == answer.CallID {
			return r
		}
	}
	return nil
}

// paid notes that a call in doubt is paid for, whatever a person says of it.
func (s *State) paid(review string) {
	if open := s.Reviews[review]; open != nil {
		paid := *open
		paid.Price = 0
		s.Reviews[review] = &paid
	}
}

// happened notes what a call costs of which a person says that it happened.
func (m *machine) happened(step *Step, review *Review) {
	if review.Price > 0 {
		m.emit(&CallPriced{Step: step.Path, Call: review.Call, Cost: review.Price})
	}
}

// priceOf is what a call of a tool costs, as far as that is known without its results.
func (m *machine) priceOf(tool string) money.Micros {
	spec, _ := m.def.Tools(tool)
	return money.FromUnits(spec.Price)
}

// Doubts tells whether an entry changes what calls in doubt may have cost.
func (e Entry) Doubts() bool {
	return slices.ContainsFunc(e.Records, func(r Record) bool {
		switch r := r.(type) {
		case *ReviewAsked:
			return r.Review.Price > 0
		case *ReviewAnswered:
			return r.Review.Price > 0
		}
		return false
	})
}
