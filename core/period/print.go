package period

import (
	"strconv"
	"strings"

	"pikegate/core/civil"
)

var monthNames = [...]string{1: "January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November", "December"}

var weekdayNames = [...]string{"Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat"}

// Canonical is the shortest standard expression that reads back to the span.
func (s Span) Canonical() string { return string(s.AppendCanonical(make([]byte, 0, 48))) }

// AppendCanonical appends the canonical expression.
func (s Span) AppendCanonical(b []byte) []byte {
	switch {
	case s == All:
		return append(b, "../.."...)
	case s.OpenEnd():
		if !s.FirstDay().InRange() {
			return append(b, "after 9999-12-31"...)
		}
		return append(appendStart(b, s.From), "/.."...)
	case s.OpenStart():
		if !s.LastDay().InRange() {
			return append(b, "before 0001-01-01"...)
		}
		return appendLast(append(b, "../"...), s.Until)
	}
	if out, ok := s.appendUnit(b); ok {
		return out
	}
	return appendLast(append(appendStart(b, s.From), '/'), s.Until)
}

// appendUnit appends the span as one literal if it is one.
func (s Span) appendUnit(b []byte) ([]byte, bool) {
	length := s.Until - s.From
	switch {
	case wholeMonths(s):
		y, m, _ := s.FirstDay().YMD()
		uy, um, _ := s.Until.Date().YMD()
		months := (uy-y)*12 + um - m
		day := s.FirstDay().AppendTo(b)
		year, month := day[:len(b)+4], day[:len(b)+7]
		switch {
		case months == 1:
			return month, true
		case months == 3 && m%3 == 1:
			return strconv.AppendInt(append(year, "-Q"...), int64(m/3+1), 10), true
		case months == 6 && m%6 == 1:
			return strconv.AppendInt(append(year, "-H"...), int64(m/6+1), 10), true
		case months == 12 && m == 1:
			return year, true
		}
	case length == perDay && s.WholeDays():
		return s.FirstDay().AppendTo(b), true
	case length == perMinute && s.From%perMinute == 0:
		return s.From.AppendTo(b, 'T')[:len(b)+16], true
	case length == 1:
		return s.From.AppendTo(b, 'T'), true
	}
	return b, false
}

// appendStart appends the coarsest literal that starts at t.
func appendStart(b []byte, t civil.DateTime) []byte {
	switch {
	case t.IsMidnight():
		return t.Date().AppendTo(b)
	case t%perMinute == 0:
		return t.AppendTo(b, 'T')[:len(b)+16]
	}
	return t.AppendTo(b, 'T')
}

// appendLast appends the coarsest literal that ends where until is.
func appendLast(b []byte, until civil.DateTime) []byte {
	switch {
	case until.IsMidnight():
		return (until - perDay).Date().AppendTo(b)
	case until%perMinute == 0:
		return (until - perMinute).AppendTo(b, 'T')[:len(b)+16]
	}
	return (until - 1).AppendTo(b, 'T')
}

// ReadBack says the span in words.
func (s Span) ReadBack() string {
	switch {
	case s == All:
		return "all dates"
	case s.OpenEnd():
		return "from " + moment(s.From) + ", no end"
	case s.OpenStart():
		return "before " + moment(s.Until)
	case s.WholeDays():
		if s.Days() == 1 {
			return longDay(s.FirstDay())
		}
		return longDay(s.FirstDay()) + " through " + longDay(s.LastDay()) + " (" + strconv.Itoa(s.Days()) + " days)"
	}
	unit := civil.DateTime(1)
	if s.From%perMinute == 0 && s.Until%perMinute == 0 {
		unit = perMinute
	}
	last := s.Until - unit
	start := longDay(s.FirstDay()) + " " + clock(s.From, unit)
	switch {
	case last == s.From:
		return start
	case last.Date() == s.FirstDay():
		return start + " up to and including " + clock(last, unit)
	}
	return start + " up to and including " + longDay(last.Date()) + " " + clock(last, unit)
}

// Within says where a date lies that is in the span: "from Sat 1 Mar through Mon
// 31 Mar 2025 (31 days)", "on Sun 30 Mar 2025".
func (s Span) Within() string {
	switch {
	case s == All:
		return "on any date"
	case s.OpenEnd():
		return "from " + moment(s.From) + " on"
	case s.OpenStart():
		return "before " + moment(s.Until)
	case !s.WholeDays():
		return "from " + s.ReadBack()
	case s.Days() == 1:
		return "on " + longDay(s.FirstDay())
	}
	first, last := longDay(s.FirstDay()), longDay(s.LastDay())
	if s.FirstDay().Year() == s.LastDay().Year() {
		first = first[:strings.LastIndexByte(first, ' ')]
	}
	return "from " + first + " through " + last + " (" + strconv.Itoa(s.Days()) + " days)"
}

// longDay is a day in words: Sun 1 Mar 2026.
func longDay(d civil.Date) string {
	y, m, day := d.YMD()
	b := make([]byte, 0, 16)
	b = append(b, weekdayNames[d.Weekday()]...)
	b = strconv.AppendInt(append(b, ' '), int64(day), 10)
	b = append(append(append(b, ' '), monthNames[m][:3]...), ' ')
	for least := 1000; least > max(y, 1); least /= 10 { // two digits may be any century's
		b = append(b, '0')
	}
	return string(strconv.AppendInt(b, int64(y), 10))
}

// moment is a bound in words, with its time unless it is midnight.
func moment(t civil.DateTime) string {
	switch {
	case t.IsMidnight():
		return longDay(t.Date())
	case t%perMinute == 0:
		return longDay(t.Date()) + " " + clock(t, perMinute)
	}
	return longDay(t.Date()) + " " + clock(t, 1)
}

// clock is the time of day to the minute, or to the second.
func clock(t civil.DateTime, unit civil.DateTime) string {
	text := t.String()[11:]
	if unit == perMinute {
		return text[:5]
	}
	return text
}
