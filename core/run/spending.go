package run

import "woolsignal/core/money"

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

// happened notes what a call costs of which a person says that it happened.
func (m *machine) happened(step *Step, tool, call string) {
	if spec, ok := m.def.Tools(tool); ok && spec.Price > 0 {
		m.emit(&CallPriced{Step: step.Path, Call: call, Cost: money.FromUnits(spec.Price)})
	}
}
