package period

import (
	"strings"

	"pikegate/core/civil"
	"pikegate/core/diag"
)

// duration reads what a term is moved by: 3 months or an ISO duration.
func (p *parser) duration() (duration, bool) {
	t := p.peek()
	if t.kind == tWord && t.word.role == rP {
		return p.isoDuration()
	}
	if t.kind != tNumber && !(t.kind == tWord && t.word.role == rCount) {
		p.fail(t, "incomplete", "A length is missing after the sign.", "Write - 3 months or - P90D.")
		return duration{}, false
	}
	count, unit, ok := p.counted()
	if !ok {
		return duration{}, false
	}
	return durationOf(unit, count), true
}

func durationOf(unit civil.Unit, count int) duration {
	switch unit {
	case civil.Day:
		return duration{days: count}
	case civil.Week:
		return duration{days: 7 * count}
	case civil.WorkingDay, civil.FiscalQuarter, civil.FiscalYear, civil.FiscalPeriod, civil.FiscalWeek:
		return duration{unit: unit, count: count}
	}
	return duration{months: unit.Months() * count}
}

// isoDuration reads P1Y2M3W4DT5H6M7S, any of its parts in this order; source:
// ISO 8601-1. The word P is not read yet.
func (p *parser) isoDuration() (duration, bool) {
	start := p.next().start
	for t := p.peek(); t.joined && (t.kind == tNumber || t.kind == tWord); t = p.peek() {
		p.next()
	}
	at := p.since(start)
	d, ok := parseISODuration(p.text[at.start+1 : at.end])
	switch {
	case !ok:
		p.failAt(at, "unknown_form", "This is not a length.", "Write P7D, P2W, P1M or P1Y, with at most seven digits.")
	case d == duration{}:
		ok = false
		p.failAt(at, "bad_count", "The length must be more than nothing.", "Count from 1: P1D.")
	}
	return d, ok
}

// parseISODuration reads what follows the P.
func parseISODuration(s string) (d duration, ok bool) {
	letters := "YMWD" // what may still come
	inTime, n, digits := false, 0, 0
	for i := range len(s) {
		c := s[i]
		if c >= 'a' && c <= 'z' {
			c -= 'a' - 'A'
		}
		switch {
		case c >= '0' && c <= '9':
			n, digits = n*10+int(c-'0'), digits+1
			if digits > 7 {
				return d, false
			}
			continue
		case c == 'T' && !inTime && digits == 0:
			inTime, letters, ok = true, "HMS", false
			continue
		}
		at := strings.IndexByte(letters, c)
		if at < 0 || digits == 0 {
			return d, false
		}
		switch {
		case c == 'Y':
			d.months += 12 * n
		case c == 'M' && !inTime:
			d.months += n
		case c == 'W':
			d.days += 7 * n
		case c == 'D':
			d.days += n
		case c == 'H':
			d.seconds += n * perHour
		case c == 'M':
			d.seconds += n * perMinute
		case c == 'S':
			d.seconds += n
		}
		letters, n, digits, ok = letters[at+1:], 0, 0, true
	}
	return d, ok && digits == 0
}

// Length is a length of time an author sets as a limit: "400 days", "P13M".
type Length struct{ duration }

// ParseLength reads a count of units or an ISO duration.
func ParseLength(text string) (Length, diag.Problems) {
	var buffer [8]token
	p := parser{text: text, tokens: lex(text, buffer[:0])}
	d, _ := p.duration()
	if len(p.problems) == 0 && p.peek().kind != tEnd {
		p.unexpected()
	}
	if d.unit != 0 {
		p.failAt(mark{0, len(text)}, "unknown_form", "This length is not the same everywhere in a calendar.", "Write it in days, weeks, months or years.")
	}
	return Length{d}, p.problems
}

// After is the civil date-time that far after t.
func (l Length) After(t civil.DateTime) civil.DateTime {
	return moveMonths(t, l.months) + civil.DateTime(l.days*perDay+l.seconds)
}

// Before is the civil date-time that far before t.
func (l Length) Before(t civil.DateTime) civil.DateTime {
	return moveMonths(t, -l.months) - civil.DateTime(l.days*perDay+l.seconds)
}

// Months and Days are the parts of a length of whole days.
func (l Length) Months() int { return l.months }

// Days is the part of the length that is counted in days.
func (l Length) Days() int { return l.days }

// Move moves the ends of the span that are not open, there or (n is -1) back.
func (l Length) Move(s Span, n int) Span {
	return duration{months: l.months * n, days: l.days * n, seconds: l.seconds * n}.move(s)
}
