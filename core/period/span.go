package period

import "pikegate/core/civil"

// Span is a half-open stretch of civil time: From is in, Until is out. An
// open side holds civil.Start or civil.End.
type Span struct {
	From, Until civil.DateTime
}

// All is the span with no bounds.
var All = Span{civil.Start, civil.End}

// OpenStart tells whether the span has no start.
func (s Span) OpenStart() bool { return s.From == civil.Start }

// OpenEnd tells whether the span has no end.
func (s Span) OpenEnd() bool { return s.Until == civil.End }

// Closed tells whether the span has both bounds.
func (s Span) Closed() bool { return !s.OpenStart() && !s.OpenEnd() }

// WholeDays tells whether the span starts and ends between days.
func (s Span) WholeDays() bool {
	return (s.OpenStart() || s.From.IsMidnight()) && (s.OpenEnd() || s.Until.IsMidnight())
}

// FirstDay is the first day touched; only for spans with a start.
func (s Span) FirstDay() civil.Date { return s.From.Date() }

// LastDay is the last day touched; only for spans with an end.
func (s Span) LastDay() civil.Date { return (s.Until - 1).Date() }

// Days is the number of days touched, 0 when a side is open.
func (s Span) Days() int {
	if !s.Closed() {
		return 0
	}
	return int(s.LastDay()-s.FirstDay()) + 1
}

// OfDays is the span of whole days from first to last, both in.
func OfDays(first, last civil.Date) Span {
	return Span{first.Midnight(), (last + 1).Midnight()}
}

// Preceding is as long a time, right before a span with both bounds: so many months before
// whole months, else so many days or seconds.
func (s Span) Preceding() Span {
	if wholeMonths(s) {
		y1, m1, _ := s.From.Date().YMD()
		y2, m2, _ := s.Until.Date().YMD()
		return Span{moveMonths(s.From, (y1-y2)*12+m1-m2), s.From}
	}
	return Span{s.From - (s.Until - s.From), s.From}
}

// Part is one end of the span as a stretch of its own: the first day in
// ("from"), the last day in ("through"), the first day out ("until"); seconds
// instead of days where the span is not of whole days. An end that is open
// is an empty stretch there. Any other part is the whole.
func (s Span) Part(part string) Span {
	unit := civil.DateTime(1)
	if s.WholeDays() {
		unit = perDay
	}
	switch {
	case part == "from" && s.OpenStart():
		return Span{civil.Start, civil.Start}
	case part == "from":
		return Span{s.From, s.From + unit}
	case part == "through" && !s.OpenEnd():
		return Span{s.Until - unit, s.Until}
	case part == "until" && !s.OpenEnd():
		return Span{s.Until, s.Until + unit}
	case part == "through" || part == "until":
		return Span{civil.End, civil.End}
	}
	return s
}

// Enclosing is the shortest span of whole units that holds the span, which
// must have both bounds.
func (s Span) Enclosing(unit civil.Unit, calendar civil.Calendar) Span {
	made, _ := Whole{Unit: unit}.Enclosing(s, calendar)
	return made
}
