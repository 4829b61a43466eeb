package step_test

import (
	"fmt"
	"strings"
	"testing"

	"woolsignal/core/flow"
)

const blocks = `workflow: w
title: W
inputs: {type: object, properties: {lots: {type: array, items: {type: number}}}}
steps:
  - id: sort
    decide:
      cases:
        - when: size(inputs.lots) > 2
          do:
            - id: many
              compute: {kg: '380'}
          gives: {lane: split}
      otherwise:
        do:
          - compute: {a: '1'}
  - each:
      of: inputs.lots
      do:
        - id: net
          section:
            do:
              - id: reckoned
                compute: {kg: item - 20.0}
  - id: both
    together:
      branches:
        - id: heavy
          do:
            - id: h
              compute: {yes: 'true'}
          gives: {yes: '${h.yes}'}
        - id: late
          do:
            - id: l
              compute: {yes: 'true'}
  - id: end
    compute: {all: '1'}
`

// TestAValueIsBroughtOutOfItsBlocks reads values at places outside the blocks they
// are of: each block on the way gives them, by a name that is free, once.
func TestAValueIsBroughtOutOfItsBlocks(t *testing.T) {
	m := (&flow.Workspace{Workflows: map[string]*flow.Workflow{}}).Meaning("w", blocks, noTools)
	end := "/steps/3/compute/all"
	for _, c := range []struct{ code, from, to, want string }{
		{"many.kg", "0/case-1/0", end, "/steps/0/decide/cases/0/gives/kg=${many.kg} sort.kg"},
		{"many", "0/case-1/0", end, "/steps/0/decide/cases/0/gives/many=${many} sort.many"},
		{"many.lane", "0/case-1/0", end, "/steps/0/decide/cases/0/gives/lane_2=${many.lane} sort.lane_2"},
		{"reckoned.kg", "1/item/0/inside/0", end, "/steps/1/each/do/0/section/gives/kg=${reckoned.kg} " +
			"/steps/1/each/gives/kg=${net.kg} /steps/1/id=each_kg each_kg.results.map(one, one.kg)"},
		{"h.yes", "2/way-1/0", end, "both.heavy.yes"},
		{"l.yes", "2/way-2/0", end, "/steps/2/together/branches/1/gives/yes=${l.yes} both.late.yes"},
		{"sort.lane", "0", end, "sort.lane"},
		{"many.kg", "0/case-1/0", "/steps/0/decide/cases/0/gives/lane", "many.kg"},
		{"h.yes", "2/way-1/0", "/steps/2/together/branches/1/do/0/compute/yes", "refused"},
		{"many.kg", "0/case-1/0", "/steps/0/decide/otherwise/do/0/compute/a", "refused"},
		{"l.yes", "2/way-2/0", "/steps/1/each/do/0/section/do/0/compute/kg", "refused"},
		{"many.kg", "0/case-1/0", "/steps/0/decide/cases/0/when", "refused"},
		{"x", "7", end, "refused"}, {"x", "0/case-9/0", end, "refused"}, {"x", "", end, "refused"},
	} {
		out, err := m.BringOut(c.code, c.from, c.to)
		var got []string
		for _, w := range out.Writes {
			got = append(got, fmt.Sprintf("%s=%s", w.Field, w.Text))
		}
		if got = append(got, out.Code); err != nil {
			got = []string{"refused"}
		}
		if said := strings.Join(got, " "); said != c.want {
			t.Errorf("%s of %s at %s: %s, want %s", c.code, c.from, c.to, said, c.want)
		}
	}
}
