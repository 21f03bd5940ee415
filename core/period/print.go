package period

import (
	"strconv"

	"pikegate/core/civil"
)

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

// ReadBack says the span in words, in English.
func (s Span) ReadBack() string { return english.readBack(s) }

// ReadBackIn says it in a language, by its tag: in English where that is not one of those
// that periods are read in. What it says is read as the span in that language.
func (s Span) ReadBackIn(tag string) string { return sayingOf(tag).readBack(s) }

// Within says where a date lies that is in the span: "from Sat 1 Mar through Mon
// 31 Mar 2025 (31 days)", "on Sun 30 Mar 2025".
func (s Span) Within() string { return english.within(s) }

// WithinIn says it in a language, see ReadBackIn.
func (s Span) WithinIn(tag string) string { return sayingOf(tag).within(s) }

func (l *saying) readBack(s Span) string {
	switch {
	case s == All:
		return l.all
	case s.OpenEnd():
		return l.since + l.moment(s.From) + l.noEnd
	case s.OpenStart():
		return l.before + l.moment(s.Until)
	case s.WholeDays():
		if s.Days() == 1 {
			return l.day(s.FirstDay())
		}
		return l.from + l.day(s.FirstDay()) + l.through + l.day(s.LastDay()) + l.counted(s)
	}
	unit := civil.DateTime(1)
	if s.From%perMinute == 0 && s.Until%perMinute == 0 {
		unit = perMinute
	}
	last := s.Until - unit
	start := l.day(s.FirstDay()) + " " + clock(s.From, unit)
	switch {
	case last == s.From:
		return start
	case last.Date() == s.FirstDay():
		return start + l.upTo + clock(last, unit)
	}
	return start + l.upTo + l.day(last.Date()) + " " + clock(last, unit)
}

func (l *saying) within(s Span) string {
	switch {
	case s == All:
		return l.any
	case s.OpenEnd():
		return l.since + l.moment(s.From) + l.on
	case s.OpenStart():
		return l.before + l.moment(s.Until)
	case !s.WholeDays():
		return l.fromTime + l.readBack(s)
	case s.Days() == 1:
		return l.onDay + l.day(s.FirstDay())
	}
	first := l.day(s.FirstDay())
	if s.FirstDay().Year() == s.LastDay().Year() {
		first = string(l.appendDay(make([]byte, 0, 32), s.FirstDay()))
	}
	return l.within1 + first + l.through + l.day(s.LastDay()) + l.counted(s)
}

// counted is how many days there are, in parentheses.
func (l *saying) counted(s Span) string { return " (" + strconv.Itoa(s.Days()) + " " + l.days + ")" }

// longDay is a day in words: Sun 1 Mar 2026.
func longDay(d civil.Date) string { return english.day(d) }

func (l *saying) day(d civil.Date) string {
	b := l.appendDay(make([]byte, 0, 40), d)
	y, _, _ := d.YMD()
	b = append(b, l.between[2]...)
	for least := 1000; least > max(y, 1); least /= 10 { // two digits may be any century's
		b = append(b, '0')
	}
	return string(strconv.AppendInt(b, int64(y), 10))
}

// appendDay appends a day without its year.
func (l *saying) appendDay(b []byte, d civil.Date) []byte {
	_, m, day := d.YMD()
	b = append(append(b, l.weekdays[d.Weekday()]...), l.between[0]...)
	if day == 1 && l.first != "" {
		b = append(b, l.first...)
	} else {
		b = strconv.AppendInt(b, int64(day), 10)
	}
	return append(append(b, l.between[1]...), l.months[m]...)
}

// moment is a bound in words, with its time unless it is midnight.
func (l *saying) moment(t civil.DateTime) string {
	switch {
	case t.IsMidnight():
		return l.day(t.Date())
	case t%perMinute == 0:
		return l.day(t.Date()) + " " + clock(t, perMinute)
	}
	return l.day(t.Date()) + " " + clock(t, 1)
}

// clock is the time of day to the minute, or to the second.
func clock(t civil.DateTime, unit civil.DateTime) string {
	text := t.String()[11:]
	if unit == perMinute {
		return text[:5]
	}
	return text
}
