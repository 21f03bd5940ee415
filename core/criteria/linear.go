package criteria

import (
	"math/big"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
)

// rounding is how many places a bound keeps that has no end.
const rounding = 30

// compareNumber moves factors and terms over to the other side, exactly.
func (s simplifier) compareNumber(at Pos, left Expr, op string, n decimal.Decimal) Expr {
	x, factor, term := Linear(left)
	if x == left {
		return &Compare{at, op, left, &Number{at, n}, false}
	}
	bound := new(big.Rat).Sub(n.Rat(), term)
	bound.Quo(bound, factor)
	if factor.Sign() < 0 {
		op = flipped[op]
	}
	return &Compare{at, op, x, &Number{at, tight(x, op, bound)}, false}
}

// tight is the bound as a decimal; for whole numbers one of them, which parts
// them just the same.
func tight(x Expr, op string, bound *big.Rat) decimal.Decimal {
	exact := decimal.NewFromBigRat(bound, rounding)
	if TypeOf(x) != catalog.Integer || op == "=" || op == "<>" || bound.IsInt() {
		return exact
	}
	if op == ">" || op == "<=" {
		return exact.Floor()
	}
	return exact.Ceil()
}

// Linear reads a number as factor * x + term, which are not to be changed; x is the
// expression itself where it is not made that way.
func Linear(e Expr) (x Expr, factor, term *big.Rat) {
	switch e.(type) {
	case *Negative, *Arithmetic:
		if x, factor, term, ok := linear(e); ok {
			return x, factor, term
		}
	}
	return e, one, zero
}

// one and zero are those of an expression that is made of no other, which are most.
var one, zero = big.NewRat(1, 1), new(big.Rat)

// linear reads an expression as factor * x + term.
func linear(e Expr) (x Expr, factor, term *big.Rat, ok bool) {
	switch e := e.(type) {
	case *Negative:
		if x, factor, term, ok = linear(e.X); ok {
			return x, factor.Neg(factor), term.Neg(term), true
		}
	case *Arithmetic:
		if Dated(e.Left) {
			break
		}
		constant, onRight := constantOf(e.Right)
		side := e.Left
		if !onRight {
			constant, ok = constantOf(e.Left)
			if !ok || e.Op == '/' {
				break
			}
			side = e.Right
		}
		if x, factor, term, ok = linear(side); !ok {
			break
		}
		switch {
		case e.Op == '+':
			return x, factor, term.Add(term, constant), true
		case e.Op == '-' && onRight:
			return x, factor, term.Sub(term, constant), true
		case e.Op == '-':
			return x, factor.Neg(factor), term.Sub(constant, term), true
		case constant.Sign() == 0: // 0 * x and x / 0
		case e.Op == '*':
			return x, factor.Mul(factor, constant), term.Mul(term, constant), true
		default:
			return x, factor.Quo(factor, constant), term.Quo(term, constant), true
		}
	}
	if _, constant := constantOf(e); constant {
		return nil, nil, nil, false
	}
	return e, big.NewRat(1, 1), new(big.Rat), true
}

// constantOf works out an expression of numbers only.
func constantOf(e Expr) (*big.Rat, bool) {
	switch e := e.(type) {
	case *Number:
		return e.Value.Rat(), true
	case *Negative:
		if x, ok := constantOf(e.X); ok {
			return x.Neg(x), true
		}
	case *Arithmetic:
		x, ok1 := constantOf(e.Left)
		y, ok2 := constantOf(e.Right)
		if !ok1 || !ok2 {
			return nil, false
		}
		switch e.Op {
		case '+':
			return x.Add(x, y), true
		case '-':
			return x.Sub(x, y), true
		case '*':
			return x.Mul(x, y), true
		}
		if y.Sign() != 0 {
			return x.Quo(x, y), true
		}
	}
	return nil, false
}
