package criteria

import (
	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/period"
)

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
		if move, ok := x.(*Arithmetic); ok {
			if n, working := move.MovesWorking(); working { // peeled, so that there is an almanac
				moved, fits := originsOf(span, origin)
				first, last, some := s.calendar.Almanac.Reach(n)
				if !fits || !some || where != period.All {
					return x, span, where
				}
				x, span, where = inner, moved, period.OfDays(first, last)
				continue
			}
		}
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
			if start := s.calendar.StartOf(unit, day); start < day {
				day = s.calendar.Add(unit, start, 1)
			}
			return day.Midnight(), true
		}
	}
	switch e := x.(type) {
	case *UnitOf:
		if Units[e.Unit] == 0 { // of a calendar: there may be none around a day
			return nil, nil, false
		}
		return e.X, upTo(Units[e.Unit]), true
	case *Call:
		switch e.Name {
		case "date_of":
			return e.Args[0], upTo(civil.Day), true
		case "date_in":
			return e.Args[0], func(t civil.DateTime) (civil.DateTime, bool) { return t, true }, true
		case "start_of":
			return e.Args[1], upTo(Units[e.Args[0].(*Text).Value]), true
		}
	case *Arithmetic:
		if n, ok := e.MovesWorking(); ok && s.calendar.Almanac != nil {
			return e.Left, func(t civil.DateTime) (civil.DateTime, bool) { return workingOrigin(s.calendar.Almanac, t, n) }, true
		}
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

// workingOrigin is the earliest day that, moved by n working days, comes to t or later; of a
// time of day the order would not be kept, and beyond the days that are known there is none.
func workingOrigin(a *civil.Almanac, t civil.DateTime, n int) (civil.DateTime, bool) {
	day := t.Date()
	if !t.IsMidnight() || !a.Known(day-1) || !a.Known(day) {
		return 0, false
	}
	first, ok := a.AddWorking(day-1, 1) // the first working day on or after it
	if !ok {
		return 0, false
	}
	at, ok := a.AddWorking(first, -n)
	if ok && n < 0 { // it is what comes after the working day before
		if at, ok = a.AddWorking(at, -1); ok {
			at++
		}
	}
	return at.Midnight(), ok
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

// Dated tells whether an expression is a date or a stretch of time.
func Dated(e Expr) bool {
	t := TypeOf(e)
	return t.IsDate() || t == Period
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
	if unit, ok := side.(*UnitOf); ok && Units[unit.Unit] == 0 {
		side = unit.X // it is compared by the days of the units
	}
	if _, matched := comparison.(*Match); matched {
		return true // it is the comparison itself that needs every record
	}
	_, bare := Origin(side).(*Column)
	return bare
}

// anyAlmanac stands for that of a calendar where only the form of an expression is looked at.
var anyAlmanac = (&civil.Almanac{}).Seal()

// Origin takes off an expression the functions that keep the order of time.
func Origin(e Expr) Expr {
	s := simplifier{civil.Calendar{Zone: civil.UTC, Almanac: anyAlmanac}}
	for {
		inner, _, ok := s.peel(e)
		if !ok {
			return e
		}
		e = inner
	}
}
