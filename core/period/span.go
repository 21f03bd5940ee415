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

// Contains tells whether the civil date-time lies in the span.
func (s Span) Contains(t civil.DateTime) bool { return t >= s.From && t < s.Until }

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
