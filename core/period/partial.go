package period

import (
	"fmt"

	"pikegate/core/civil"
)

// of is the span in a year; ok is false where that year has no such day.
func (n *partial) of(year int) (s Span, ok bool) {
	if year < civil.MinYear || year > civil.MaxYear {
		return Span{}, false
	}
	if n.months > 0 {
		return OfDays(civil.DateOf(year, n.month, 1), civil.DateOf(year, n.month+n.months, 1)-1), true
	}
	if !civil.Valid(year, n.month, n.day) {
		return Span{}, false
	}
	day := civil.DateOf(year, n.month, n.day)
	return OfDays(day, day), true
}

// complete gives the sides of an interval what they leave out: a start without a year takes
// that of the end, or the one before it where it would be after the end; an end without a
// year is the next one after the start; a start that is a number alone is a day of the end's
// month.
func (p *parser) complete(from, to node) (node, node) {
	if f, ok := from.(*partial); ok {
		if end, ok := to.(*fixed); ok && f.short == nil {
			return p.before(f, end), to
		}
	}
	if t, ok := to.(*partial); ok {
		if start, ok := from.(*fixed); ok && t.short == nil {
			return from, p.after(t, start)
		}
	}
	return from, to
}

func (p *parser) before(n *partial, end *fixed) node {
	last := end.span.LastDay()
	year, month, _ := last.YMD()
	whole := *n
	if n.month == 0 {
		if end.span.Days() != 1 {
			p.failAt(n.mark, "incomplete", "Which month is this a day of?", "Write 1 April to 10 April 2026.")
			return n
		}
		whole.month = month
	}
	s, ok := whole.of(year)
	if ok && s.FirstDay() > last && n.month > 0 {
		year--
		s, ok = whole.of(year)
	}
	return p.found(&whole, year, s, ok)
}

func (p *parser) after(n *partial, start *fixed) node {
	if n.month == 0 {
		p.failAt(n.mark, "incomplete", "Which month is this a day of?", "Write 1 April to 10 April 2026.")
		return n
	}
	first := start.span.FirstDay()
	year := first.Year()
	s, ok := n.of(year)
	if ok && s.LastDay() < first {
		year++
		s, ok = n.of(year)
	}
	return p.found(n, year, s, ok)
}

func (p *parser) found(n *partial, year int, s Span, ok bool) node {
	switch {
	case ok:
		return &fixed{n.mark, s}
	case year < civil.MinYear || year > civil.MaxYear:
		p.failAt(n.mark, "out_of_range", "Years run from 0001 to 9999.", "")
	default:
		p.noSuchDay(n.mark, year, n.month, n.day)
	}
	return n
}

// withoutYear makes a day of a month whose year is left out.
func (p *parser) withoutYear(start, month, day int) node {
	const leap = 2000
	switch {
	case month < 1 || month > 12:
		p.noSuchMonth(p.since(start), 0, month)
		return nil
	case !civil.Valid(leap, month, day):
		p.failAt(p.since(start), "no_such_date", fmt.Sprintf("%s has no day %d.", monthNames[month], day), fmt.Sprintf("It has %d days.", civil.DaysIn(leap, month)))
		return nil
	}
	return &partial{mark: p.since(start), month: month, day: day}
}

// ordinal steps over the letters of 1st, 2nd, 3rd, 4th.
func (p *parser) ordinal() bool {
	if t := p.peek(); t.joined && t.kind == tWord && t.word.role == rOrdinal {
		p.next()
		return true
	}
	if t := p.peek(); t.is('.') && t.joined && !p.ahead(1).joined && p.ahead(1).kind == tWord { // 1. April
		p.next()
		return true
	}
	return false
}

// daysAhead tells whether the day that stands before goes with the month of another one: 1
// to 10 April, 1-10 April, 1st to 10th of April.
func (p *parser) daysAhead() bool {
	at := 1
	switch t := p.peek(); {
	case t.kind == tWord && (t.word.role == rTo || t.word.role == rThrough || t.word.role == rAnd), isDash(t):
	default:
		return false
	}
	if the := p.ahead(at); the.kind == tWord && the.word.role == rThe {
		at++
	}
	if n := p.ahead(at); n.kind != tNumber || n.digits() > 2 {
		return false
	}
	for at++; ; at++ {
		t := p.ahead(at)
		if t.kind != tWord || t.word.role != rOrdinal && t.word.role != rOf {
			return t.kind == tWord && t.word.role == rMonth
		}
	}
}

// isDash tells whether a token can stand between the ends of an interval as a dash.
func isDash(t token) bool { return t.is('-') || t.is('–') || t.is('—') }
