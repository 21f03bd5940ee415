package criteria

import (
	"math/big"
	"unicode/utf8"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/period"
)

// Simplify rewrites a condition whose questions have their answers (no
// Parameter and no quoted period is left in it) so that columns stand bare
// wherever an equivalent exists, and an index or a partition can be used:
//
//	year(d) = 2026                d within 2026
//	date_of(t) <= a day           t <= that day
//	issued_on + 30 days < a day   issued_on < that day - 30 days
//	toll_pence / 100 > 5          toll_pence > 500
//
// What is left is made of Logic, Not, Bool, Compare, In, Within, Match, IsBlank
// and Known. Places stay those of what the author wrote.
func Simplify(e Expr, ctx civil.Context) Expr {
	s := simplifier{ctx}
	return s.condition(e)
}

type simplifier struct{ ctx civil.Context }

func (s simplifier) condition(e Expr) Expr {
	switch e := e.(type) {
	case *Logic:
		return s.logic(e)
	case *Not:
		return negated(true, e.Pos, s.condition(e.X))
	case *Meets:
		return s.condition(e.X)
	case *Compare:
		return s.compare(e)
	case *Between:
		return negated(e.Not, e.Pos, both(e.Pos,
			s.compare(&Compare{e.Pos, ">=", e.X, e.Low, false}),
			s.compare(&Compare{e.Pos, "<=", e.X, e.High, false})))
	case *Within:
		if span, ok := e.Period.(*Span); ok {
			return negated(e.Not, e.Pos, s.compareDate(e.Pos, e.X, "=", span.Span))
		}
		return negated(e.Not, e.Pos, &Within{e.Pos, e.X, e.Period, false})
	case *In:
		return negated(e.Not, e.Pos, s.in(e))
	case *Match:
		return negated(e.Not, e.Pos, &Match{e.Pos, e.Op, e.X, e.Y, false, e.Fold})
	case *IsBlank:
		return negated(e.Not, e.Pos, &IsBlank{e.Pos, e.X, false})
	case *Spans:
		if span, ok := e.Period.(*Span); ok {
			return negated(e.Not, e.Pos, s.spans(e, span.Span))
		}
		return negated(e.Not, e.Pos, &Spans{e.Pos, e.Op, e.From, e.Until, e.Period, false})
	}
	return e
}

// logic leaves out what decides nothing, and is what decides it all.
func (s simplifier) logic(e *Logic) Expr {
	terms := make([]Expr, 0, len(e.Terms))
	for _, t := range e.Terms {
		term := s.condition(t)
		if b, ok := term.(*Bool); ok {
			if b.Value == e.Or {
				return b
			}
			continue
		}
		terms = append(terms, term)
	}
	switch len(terms) {
	case 0:
		return &Bool{e.Pos, !e.Or}
	case 1:
		return terms[0]
	}
	return &Logic{e.Pos, e.Or, terms}
}

func negated(yes bool, at Pos, e Expr) Expr {
	if !yes {
		return e
	}
	if b, ok := e.(*Bool); ok {
		return &Bool{at, !b.Value}
	}
	return &Not{at, e}
}

func both(at Pos, a, b Expr) Expr {
	x, constant := a.(*Bool)
	if !constant {
		a, b = b, a
		x, constant = a.(*Bool)
	}
	switch {
	case constant && x.Value:
		return b
	case constant:
		return a
	}
	return &Logic{at, false, []Expr{b, a}}
}

var flipped = map[string]string{"=": "=", "<>": "<>", "<": ">", "<=": ">=", ">": "<", ">=": "<="}

// Holds tells whether a comparison holds between two values, the first of which
// comes before the second, is equal to it or comes after it: order is negative,
// 0 or positive.
func Holds(order int, op string) bool {
	switch op {
	case "=":
		return order == 0
	case "<>":
		return order != 0
	case "<":
		return order < 0
	case "<=":
		return order <= 0
	case ">":
		return order > 0
	}
	return order >= 0
}

// Flip is the comparison with its sides exchanged.
func Flip(op string) string { return flipped[op] }

func (s simplifier) compare(e *Compare) Expr {
	left, right, op := e.Left, e.Right, e.Op
	if isConstant(left) && !isConstant(right) {
		left, right, op = right, left, flipped[op]
	}
	switch constant := right.(type) {
	case *Span:
		return s.compareDate(e.Pos, left, op, constant.Span)
	case *Number:
		if span, x, ok := s.year(left, constant.Value); ok {
			return s.compareDate(e.Pos, x, op, span)
		}
		if TypeOf(left).IsNumber() {
			return s.compareNumber(e.Pos, left, op, constant.Value)
		}
	}
	return &Compare{e.Pos, op, left, right, e.Fold}
}

func isConstant(e Expr) bool {
	switch e.(type) {
	case *Span, *Number, *Text, *Bool:
		return true
	}
	return false
}

// compareDate compares a date with a stretch of time: before it is before its
// start, after it is after its end, equal is within. An end that is open
// bounds nothing, for blanks as well.
func (s simplifier) compareDate(at Pos, x Expr, op string, span period.Span) Expr {
	x, span, where := s.bare(x, span)
	made := boundBy(at, x, op, span)
	if _, constant := made.(*Bool); constant || where == period.All {
		return made
	}
	return &Known{at, made, boundBy(at, x, "=", where)}
}

// boundBy compares a date with a stretch of time by its ends.
func boundBy(at Pos, x Expr, op string, span period.Span) Expr {
	bound := func(op string, t civil.DateTime) Expr {
		if t == civil.Start || t == civil.End {
			return &Bool{at, (t == civil.Start) == (op == ">=")}
		}
		return &Compare{at, op, x, &Span{Pos: at, Span: period.Span{From: t, Until: t}}, false}
	}
	switch op {
	case "<":
		return bound("<", span.From)
	case ">=":
		return bound(">=", span.From)
	case "<=":
		return bound("<", span.Until)
	case ">":
		return bound(">=", span.Until)
	case "<>":
		return negated(true, at, boundBy(at, x, "=", span))
	}
	low, high := bound(">=", span.From), bound("<", span.Until)
	if _, open := low.(*Bool); open {
		return both(at, low, high)
	}
	if _, open := high.(*Bool); open {
		return both(at, low, high)
	}
	return &Within{at, x, &Span{Pos: at, Span: span}, false}
}

// bare takes functions that keep the order of time off x, and moves the bounds
// of the span to where they come from: f(x) >= t just where x >= its bound. A
// date that is moved out of the years that are accepted is none; where tells
// which x stay in them.
func (s simplifier) bare(x Expr, span period.Span) (_ Expr, _, where period.Span) {
	where = period.All
	for {
		inner, origin, ok := s.peel(x)
		if !ok {
			return x, span, where
		}
		limits := where
		if _, moves := x.(*Arithmetic); moves {
			limits.From, limits.Until = max(where.From, everything.From), min(where.Until, everything.Until)
		}
		moved, ok1 := originsOf(span, origin)
		limits, ok2 := originsOf(limits, origin)
		if !ok1 || !ok2 {
			return x, span, where
		}
		if limits.From != civil.Start && limits.From <= everything.From { // every date is
			limits.From = civil.Start
		}
		if limits.Until != civil.End && limits.Until >= everything.Until {
			limits.Until = civil.End
		}
		x, span, where = inner, moved, limits
	}
}

// everything is the years that are accepted.
var everything = period.Span{From: civil.DateOf(civil.MinYear, 1, 1).Midnight(), Until: catalog.Beyond}

// originsOf moves both ends of a span to where they come from.
func originsOf(span period.Span, origin func(civil.DateTime) (civil.DateTime, bool)) (_ period.Span, ok bool) {
	moved := span
	ok = true
	if !span.OpenStart() && span.From != civil.End {
		moved.From, ok = origin(span.From)
	}
	if ok && !span.OpenEnd() && span.Until != civil.Start {
		moved.Until, ok = origin(span.Until)
	}
	return moved, ok
}

// peel takes the outermost function off x, and tells the earliest time from
// which on it gives t or more.
func (s simplifier) peel(x Expr) (Expr, func(t civil.DateTime) (civil.DateTime, bool), bool) {
	upTo := func(unit civil.Unit) func(t civil.DateTime) (civil.DateTime, bool) {
		return func(t civil.DateTime) (civil.DateTime, bool) {
			day := t.Date()
			if !t.IsMidnight() {
				day++
			}
			if start := s.ctx.StartOf(unit, day); start < day {
				day = unit.Add(start, 1)
			}
			return day.Midnight(), true
		}
	}
	switch e := x.(type) {
	case *UnitOf:
		return e.X, upTo(Units[e.Unit]), true
	case *Call:
		switch e.Name {
		case "date_of":
			return e.Args[0], upTo(civil.Day), true
		case "start_of":
			return e.Args[1], upTo(Units[e.Args[0].(*Text).Value]), true
		}
	case *Arithmetic:
		if length, n, ok := e.Moves(); ok {
			return e.Left, func(t civil.DateTime) (civil.DateTime, bool) { return originOf(t, length, n) }, true
		}
	}
	return nil, nil, false
}

// originOf is the earliest time that, moved n lengths, comes to t or later.
// Months end at different days, so it is looked for near the guess; at a time
// of day the order would not be kept, and it is not found.
func originOf(t civil.DateTime, length period.Length, n int) (civil.DateTime, bool) {
	at := func(x civil.DateTime) civil.DateTime {
		return length.Move(period.Span{From: x, Until: civil.End}, n).From
	}
	if length.Months() == 0 {
		return length.Move(period.Span{From: t, Until: civil.End}, -n).From, true
	}
	if !t.IsMidnight() {
		return 0, false
	}
	const day = civil.DateTime(24 * 60 * 60)
	guess := length.Move(period.Span{From: t, Until: civil.End}, -n).From
	for at(guess) < t {
		guess += day
	}
	for at(guess-day) >= t {
		guess -= day
	}
	return guess, true
}

// year tells whether the comparison is of year(x) with a whole number, and
// which stretch that year is.
func (s simplifier) year(left Expr, n decimal.Decimal) (period.Span, Expr, bool) {
	call, ok := left.(*Call)
	if !ok || call.Name != "year" || !n.IsInteger() || n.LessThan(decimal.New(civil.MinYear, 0)) || n.GreaterThan(decimal.New(civil.MaxYear-1, 0)) {
		return period.Span{}, nil, false
	}
	year := int(n.IntPart())
	return period.OfDays(civil.DateOf(year, 1, 1), civil.DateOf(year, 12, 31)), call.Args[0], true
}

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

// Dated tells whether an expression is a date or a stretch of time.
func Dated(e Expr) bool {
	t := TypeOf(e)
	return t.IsDate() || t == Period
}

// Linear reads a number as factor * x + term; x is the expression itself where
// it is not made that way.
func Linear(e Expr) (x Expr, factor, term *big.Rat) {
	if x, factor, term, ok := linear(e); ok {
		return x, factor, term
	}
	return e, big.NewRat(1, 1), new(big.Rat)
}

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

// in takes lists of dates and of years apart, and moves numbers over.
func (s simplifier) in(e *In) Expr {
	list := &In{e.Pos, e.X, nil, false, e.Fold}
	or := &Logic{Pos: e.Pos, Or: true}
	whole := !isConstant(e.X) // or the sides would change places
	for _, item := range e.Items {
		term := s.compare(&Compare{e.Pos, "=", e.X, item, e.Fold})
		if b, ok := term.(*Bool); ok && b.Value {
			return b
		}
		or.Terms = append(or.Terms, term)
		same, ok := term.(*Compare)
		if !ok || !isConstant(same.Right) {
			whole = false
			continue
		}
		list.X = same.Left
		list.Items = append(list.Items, same.Right)
	}
	switch {
	case whole:
		return list
	case len(or.Terms) == 1:
		return or.Terms[0]
	}
	return or
}

// TextAfter is the least text, by code points, that is more than every text
// with the prefix; false where there is none.
func TextAfter(prefix string) (string, bool) {
	runes := []rune(prefix)
	for i := len(runes) - 1; i >= 0; i-- {
		if runes[i] == utf8.MaxRune {
			continue
		}
		next := runes[i] + 1
		if next == 0xD800 { // no characters until here: the surrogates
			next = 0xE000
		}
		return string(runes[:i]) + string(next), true
	}
	return "", false
}

// spans says what a span of two dates has to do with a period by its ends.
func (s simplifier) spans(e *Spans, span period.Span) Expr {
	goingOn := func(ended Expr) Expr {
		if b, ok := ended.(*Bool); ok && b.Value {
			return ended
		}
		blank := &IsBlank{e.Pos, e.Until, false}
		if b, ok := ended.(*Bool); ok && !b.Value {
			return blank
		}
		return &Logic{e.Pos, true, []Expr{blank, ended}}
	}
	switch e.Op {
	case "overlaps":
		return both(e.Pos, s.compareDate(e.Pos, e.From, "<=", span), goingOn(s.compareDate(e.Pos, e.Until, ">=", span)))
	case "inside":
		ended := s.compareDate(e.Pos, e.Until, "<=", span)
		if _, open := ended.(*Bool); !open { // what goes on is not inside what ends
			ended = &Logic{e.Pos, false, []Expr{&Not{e.Pos, &IsBlank{e.Pos, e.Until, false}}, ended}}
		}
		return both(e.Pos, s.compareDate(e.Pos, e.From, ">=", span), ended)
	}
	if span.OpenStart() {
		return &Bool{e.Pos, false}
	}
	first, last := span.Part("from"), span.Part("through")
	ended := Expr(&Bool{e.Pos, false})
	if !span.OpenEnd() {
		ended = s.compareDate(e.Pos, e.Until, ">=", last)
	}
	return both(e.Pos, s.compareDate(e.Pos, e.From, "<=", first), goingOn(ended))
}

// SimplifyWithin simplifies the conditions inside a value, as those of if.
func SimplifyWithin(e Expr, ctx civil.Context) Expr {
	return Simplify(Map(e, func(e Expr) Expr {
		if call, ok := e.(*Call); ok && call.Name == "if" {
			call.Args[0] = Simplify(call.Args[0], ctx)
		}
		return e
	}), ctx)
}

// BecomesBare tells whether a side of a comparison is a bare column, or will be
// one once the questions in the comparison have their answers.
func BecomesBare(comparison, side Expr) bool {
	if TypeOf(side).IsNumber() {
		if call, ok := side.(*Call); ok && call.Name == "year" {
			side = call.Args[0]
		} else {
			side, _, _ = Linear(side)
		}
	}
	if _, matched := comparison.(*Match); matched {
		return true // it is the comparison itself that needs every record
	}
	_, bare := Origin(side).(*Column)
	return bare
}

// Origin takes off an expression the functions that keep the order of time.
func Origin(e Expr) Expr {
	s := simplifier{civil.Context{Zone: civil.UTC}}
	for {
		inner, _, ok := s.peel(e)
		if !ok {
			return e
		}
		e = inner
	}
}
