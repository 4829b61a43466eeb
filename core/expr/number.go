package expr

import (
	"math"

	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"
)

func number(f float64) ref.Val {
	if whole, ok := canonicalFloat(f).(int64); ok {
		return types.Int(whole)
	}
	return types.Double(f)
}

// asFloat reports the value of a CEL number, and whether it is one.
func asFloat(v ref.Val) (float64, bool) {
	switch n := v.(type) {
	case types.Int:
		return float64(n), true
	case types.Uint:
		return float64(n), true
	case types.Double:
		return float64(n), true
	}
	return 0, false
}

// mixed reports whether two values are numbers that are not both whole.
func mixed(lhs, rhs ref.Val) (l, r float64, ok bool) {
	if lhs.Type() == types.IntType && rhs.Type() == types.IntType {
		return 0, 0, false
	}
	l, lok := asFloat(lhs)
	r, rok := asFloat(rhs)
	return l, r, lok && rok
}

func add(lhs, rhs ref.Val) ref.Val {
	if l, r, ok := mixed(lhs, rhs); ok {
		return number(l + r)
	}
	if a, ok := lhs.(traits.Adder); ok {
		return a.Add(rhs)
	}
	return types.MaybeNoSuchOverloadErr(lhs)
}

func subtract(lhs, rhs ref.Val) ref.Val {
	if l, r, ok := mixed(lhs, rhs); ok {
		return number(l - r)
	}
	if s, ok := lhs.(traits.Subtractor); ok {
		return s.Subtract(rhs)
	}
	return types.MaybeNoSuchOverloadErr(lhs)
}

func multiply(lhs, rhs ref.Val) ref.Val {
	if l, r, ok := mixed(lhs, rhs); ok {
		return number(l * r)
	}
	if m, ok := lhs.(traits.Multiplier); ok {
		return m.Multiply(rhs)
	}
	return types.MaybeNoSuchOverloadErr(lhs)
}

func divide(lhs, rhs ref.Val) ref.Val {
	l, lok := asFloat(lhs)
	r, rok := asFloat(rhs)
	if !lok || !rok {
		return types.MaybeNoSuchOverloadErr(lhs)
	}
	if r == 0 {
		return types.NewErr("division by zero")
	}
	if a, ok := lhs.(types.Int); ok {
		if b, ok := rhs.(types.Int); ok && a%b == 0 {
			return a.Divide(b)
		}
	}
	return number(l / r)
}

func modulo(lhs, rhs ref.Val) ref.Val {
	if l, r, ok := mixed(lhs, rhs); ok {
		if r == 0 {
			return types.NewErr("division by zero")
		}
		return number(math.Mod(l, r))
	}
	if m, ok := lhs.(traits.Modder); ok {
		if rhs == types.IntZero {
			return types.NewErr("division by zero")
		}
		return m.Modulo(rhs)
	}
	return types.MaybeNoSuchOverloadErr(lhs)
}

func negate(v ref.Val) ref.Val {
	if n, ok := v.(traits.Negater); ok {
		return n.Negate()
	}
	return types.MaybeNoSuchOverloadErr(v)
}

// roundTo rounds half away from zero to a number of decimal places.
func roundTo(v, places ref.Val) ref.Val {
	f, ok := asFloat(v)
	p, pok := asFloat(places)
	if !ok || !pok {
		return types.MaybeNoSuchOverloadErr(v)
	}
	scale := math.Pow(10, math.Trunc(p))
	return number(math.Round(f*scale) / scale)
}
