package period

import (
	"fmt"
	"slices"
	"strings"

	"pikegate/core/civil"
)

// Whole is what a period can be asked to be made of: a unit of the calendar, or the periods
// of a name of the organisation's own.
type Whole struct {
	// Unit is 0 where it is a name.
	Unit civil.Unit
	own  civil.NamedPeriod
}

var wholes = map[string]civil.Unit{
	"day": civil.Day, "week": civil.Week, "month": civil.Month, "quarter": civil.Quarter, "half": civil.Half, "year": civil.Year,
	"fiscal week": civil.FiscalWeek, "fiscal period": civil.FiscalPeriod, "fiscal month": civil.FiscalPeriod,
	"fiscal quarter": civil.FiscalQuarter, "fiscal year": civil.FiscalYear,
}

// WholeOf finds what has a name in a calendar; weeks of a fiscal year are there only where
// it is made of weeks.
func WholeOf(name string, c civil.Calendar) (Whole, bool) {
	if unit, ok := wholes[name]; ok {
		return Whole{Unit: unit}, unit != civil.FiscalWeek || c.Almanac != nil && c.Almanac.Weeks != nil
	}
	own, ok := c.Almanac.Period(ownNameOf(name))
	return Whole{own: own}, ok
}

// WholeNames are what there is in a calendar, those of the organisation's own last.
func WholeNames(c civil.Calendar) []string {
	var names []string
	for name := range wholes {
		if _, ok := WholeOf(name, c); ok {
			names = append(names, name)
		}
	}
	slices.SortFunc(names, func(a, b string) int { return int(wholes[a]) - int(wholes[b]) })
	return append(names, ownNames(c.Almanac)...)
}

// At are the first and the last day of the one that holds a day, false where none does.
func (w Whole) At(d civil.Date, c civil.Calendar) (first, last civil.Date, ok bool) {
	if w.Unit != 0 {
		first = c.StartOf(w.Unit, d)
		return first, c.Add(w.Unit, first, 1) - 1, true
	}
	_, this, _ := w.own.Near(d)
	if this == nil {
		return d, d, false
	}
	return this.First, this.Last, true
}

// Enclosing is the shortest span from the start of one to the end of one that holds the
// span, which must have both bounds; false where one of its ends is in none.
func (w Whole) Enclosing(s Span, c civil.Calendar) (Span, bool) {
	first, _, ok := w.At(s.FirstDay(), c)
	_, last, also := w.At(s.LastDay(), c)
	return OfDays(first, last), ok && also
}

// Made tells whether a span starts where one of them starts and ends where one ends; an open
// end is as good as any.
func (w Whole) Made(s Span, c civil.Calendar) bool {
	if !s.WholeDays() {
		return false
	}
	starts, ends := s.OpenStart(), s.OpenEnd()
	if !starts {
		first, _, ok := w.At(s.FirstDay(), c)
		starts = ok && first == s.FirstDay()
	}
	if !ends {
		_, last, ok := w.At(s.LastDay(), c)
		ends = ok && last == s.LastDay()
	}
	return starts && ends
}

// Name is what the one that begins on a day is called where it is not told by its days:
// season 2025, FY2026-Q2, fiscal period 7 of 2026.
func (w Whole) Name(first civil.Date, c civil.Calendar) string {
	if w.Unit == 0 {
		if _, this, _ := w.own.Near(first); this != nil {
			return fmt.Sprintf("%s %d", w.own.Name, this.Year)
		}
		return ""
	}
	if !w.Unit.IsFiscal() {
		return ""
	}
	year := c.FiscalYearOf(first)
	nth := 1
	for start, _, ok := c.FiscalPart(w.Unit, year, nth); ok && start < first; start, _, ok = c.FiscalPart(w.Unit, year, nth) {
		nth++
	}
	switch w.Unit {
	case civil.FiscalYear:
		return fmt.Sprintf("FY%04d", year)
	case civil.FiscalQuarter:
		return fmt.Sprintf("FY%04d-Q%d", year, nth)
	}
	return fmt.Sprintf("fiscal %s %d of %d", fiscalNames[w.Unit], nth, year)
}

// IsWholeName tells whether a text can be what a period is made of, before it is known which
// calendar it is read in.
func IsWholeName(name string) bool {
	_, ok := wholes[name]
	_, word := WordOf(name)
	return ok || !word && IsOwnName(strings.ToLower(name))
}

// Stretch is one of what a period can be made of, and what it is called.
type Stretch struct {
	First, Last civil.Date
	Name        string
}

// The years in which fiscal ones are looked for where no calendar says more.
const firstYear, lastYear = 1900, 2199

// Stretches are all of them that the calendar knows, in order. What is only told by its days
// has none.
func (w Whole) Stretches(c civil.Calendar) (all []Stretch) {
	first, last := civil.DateOf(firstYear, 1, 1), civil.DateOf(lastYear, 12, 31)
	if c.Almanac != nil {
		first, last = c.Almanac.First, c.Almanac.Last
	}
	if w.Unit == 0 {
		for _, s := range w.own.Within(first.Year()-1, last.Year()) {
			if s.Last >= first && s.First <= last {
				all = append(all, Stretch{s.First, s.Last, fmt.Sprintf("%s %d", w.own.Name, s.Year)})
			}
		}
		return all
	}
	if !w.Unit.IsFiscal() {
		return nil
	}
	for d := first; d <= last; {
		from, through, _ := w.At(d, c)
		all = append(all, Stretch{from, through, w.Name(from, c)})
		d = through + 1
	}
	return all
}
