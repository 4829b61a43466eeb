package expr

import (
	"fmt"
	"strings"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
)

// Claim is a comparison of one value with something that stands in the
// expression: kg > 200, answer == "yes".
type Claim struct {
	Value    string // as the expression writes it
	operator string
	text     string  // what it is compared with …
	number   float64 // … or this, where isNumber
	isNumber bool
}

// Claims reads a condition as comparisons that must all hold. whole tells
// whether the condition is those and nothing else.
func (p *Program) Claims() (claims []Claim, whole bool) {
	parsed := p.plain()
	if parsed == nil {
		return nil, false
	}
	whole = true
	var walk func(e ast.Expr)
	walk = func(e ast.Expr) {
		if e.Kind() == ast.CallKind && e.AsCall().FunctionName() == operators.LogicalAnd {
			walk(e.AsCall().Args()[0])
			walk(e.AsCall().Args()[1])
			return
		}
		c, ok := claimOf(e)
		if whole = whole && ok; ok {
			claims = append(claims, c)
		}
	}
	walk(parsed.Expr())
	return claims, whole
}

// turned has each ordering as it reads from the other side.
var turned = map[string]string{operators.Less: operators.Greater, operators.Greater: operators.Less,
	operators.LessEquals: operators.GreaterEquals, operators.GreaterEquals: operators.LessEquals,
	operators.Equals: operators.Equals, operators.NotEquals: operators.NotEquals}

func claimOf(e ast.Expr) (Claim, bool) {
	if e.Kind() != ast.CallKind || len(e.AsCall().Args()) != 2 {
		return Claim{}, false
	}
	operator, of, with := e.AsCall().FunctionName(), e.AsCall().Args()[0], e.AsCall().Args()[1]
	if turned[operator] == "" {
		return Claim{}, false
	}
	if of.Kind() == ast.LiteralKind {
		operator, of, with = turned[operator], with, of
	}
	c := Claim{Value: written(of), operator: operator}
	if strings.Contains(c.Value, "this") || with.Kind() != ast.LiteralKind {
		return Claim{}, false
	}
	if text, ok := stringLiteral(with); ok {
		c.text = text
		return c, operator == operators.Equals || operator == operators.NotEquals
	}
	v, err := fromCEL(with.AsLiteral(), nil)
	if err != nil {
		return Claim{}, false
	}
	switch v := v.(type) {
	case int64:
		c.number, c.isNumber = float64(v), true
	case float64:
		c.number, c.isNumber = v, true
	}
	return c, c.isNumber
}

// IsText gives the text a value must be; false where the claim is another one.
func (c Claim) IsText() (string, bool) {
	return c.text, !c.isNumber && c.operator == operators.Equals
}

// holds tells whether the claim is true of a number.
func (c Claim) holds(n float64) bool {
	switch c.operator {
	case operators.Equals:
		return n == c.number
	case operators.NotEquals:
		return n != c.number
	case operators.Less:
		return n < c.number
	case operators.LessEquals:
		return n <= c.number
	case operators.Greater:
		return n > c.number
	}
	return n >= c.number
}

// around are numbers that tell any two claims about these bounds apart.
func around(bounds ...float64) []float64 {
	var out []float64
	for _, b := range bounds {
		out = append(out, b-1e9, b, b+1e9)
		for _, other := range bounds {
			out = append(out, (b+other)/2)
		}
	}
	return out
}

// contradicts tells whether two claims about one value cannot both hold.
func (c Claim) contradicts(other Claim) bool {
	switch {
	case c.Value != other.Value || c.isNumber != other.isNumber:
		return false
	case !c.isNumber:
		same := c.text == other.text
		equal, also := c.operator == operators.Equals, other.operator == operators.Equals
		return equal && also && !same || equal != also && same
	}
	for _, n := range around(c.number, other.number) {
		if c.holds(n) && other.holds(n) {
			return false
		}
	}
	return true
}

// Implies tells whether another claim holds wherever this one does.
func (c Claim) Implies(other Claim) bool {
	if c.Value != other.Value || c.isNumber != other.isNumber {
		return false
	}
	if !c.isNumber {
		return c.operator == other.operator && c.text == other.text ||
			c.operator == operators.Equals && other.operator == operators.NotEquals && c.text != other.text
	}
	for _, n := range around(c.number, other.number) {
		if c.holds(n) && !other.holds(n) {
			return false
		}
	}
	return true
}

// String writes the claim in plain words.
func (c Claim) String() string {
	with := fmt.Sprintf("%q", c.text)
	if c.isNumber {
		with = Text(c.number)
		if c.number == float64(int64(c.number)) {
			with = Text(int64(c.number))
		}
	}
	return c.Value + comparisons[c.operator].words + with
}

// Contradiction finds two claims of a condition that cannot both hold; ok is
// false where there are none.
func (p *Program) Contradiction() (a, b Claim, ok bool) {
	claims, _ := p.Claims()
	for i, c := range claims {
		for _, other := range claims[:i] {
			if c.contradicts(other) {
				return other, c, true
			}
		}
	}
	return Claim{}, Claim{}, false
}
