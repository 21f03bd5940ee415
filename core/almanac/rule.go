// Package almanac reads what an organisation's calendar is written in: rules of holidays,
// iCalendar files, and how fiscal years of weeks end. What comes out are days.
package almanac

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"pikegate/core/civil"
	"pikegate/core/diag"
)

// Rule says on which day of which years a holiday is.
type Rule struct {
	// Once is the day of one that is in no other year.
	Once civil.Date
	// yearly gives the day of a year, false where that year has none.
	yearly func(year int) (civil.Date, bool)
	// from and through are the first and last year of one that is yearly; 0 for none.
	from, through int
	// Move is where it goes from a day that is not worked: 1 to the next working day, -1 to
	// the one before, 0 nowhere.
	Move int
}

// In is the day in a year, before it is moved.
func (r Rule) In(year int) (civil.Date, bool) {
	if r.yearly == nil {
		return r.Once, r.Once.Year() == year
	}
	if year < r.from || r.through > 0 && year > r.through {
		return 0, false
	}
	return r.yearly(year)
}

// IsYearly tells whether it comes again.
func (r Rule) IsYearly() bool { return r.yearly != nil }

var ordinals = map[string]int{"first": 1, "second": 2, "third": 3, "fourth": 4, "fifth": 5, "last": -1}

// words goes over the words of a rule.
type words struct {
	text     string
	words    []string
	places   [][2]int
	at       int
	problems diag.Problems
}

func split(text string) *words {
	w := &words{text: text}
	for i := 0; i < len(text); {
		if text[i] == ' ' || text[i] == '\t' {
			i++
			continue
		}
		start := i
		for i < len(text) && text[i] != ' ' && text[i] != '\t' {
			i++
		}
		w.words, w.places = append(w.words, strings.ToLower(text[start:i])), append(w.places, [2]int{start, i})
	}
	return w
}

func (w *words) peek() string {
	if w.at < len(w.words) {
		return w.words[w.at]
	}
	return ""
}

func (w *words) next() string {
	word := w.peek()
	w.at++
	return word
}

// take steps over words that stand in this order.
func (w *words) take(wanted ...string) bool {
	if w.at+len(wanted) > len(w.words) || !slices.Equal(w.words[w.at:w.at+len(wanted)], wanted) {
		return false
	}
	w.at += len(wanted)
	return true
}

// fail notes a problem at the word that was read last, or at the end.
func (w *words) fail(code, message, hint string) {
	start, end := len(w.text), len(w.text)
	if at := w.at - 1; at >= 0 && at < len(w.places) {
		start, end = w.places[at][0], w.places[at][1]
	}
	p := diag.At(w.text, start, end, code, message)
	p.Hint = hint
	w.problems = append(w.problems, p)
}

const ruleForms = "Write 2026-06-05, every 12-26, every easter - 2 days, every first monday of may, with or the next working day after it where it moves."

// ParseRule reads a rule: a day; or every MM-DD, every easter ± N days, every first monday of
// may; from YEAR, through YEAR; or the next working day, or the previous working day.
func ParseRule(text string) (Rule, diag.Problems) {
	w := split(text)
	r := w.rule()
	if len(w.problems) == 0 && w.at < len(w.words) {
		w.at++
		w.fail("bad_holiday", fmt.Sprintf("%q does not fit here.", w.words[w.at-1]), ruleForms)
	}
	if len(w.problems) == 0 && r.yearly != nil {
		w.occurs(r)
	}
	return r, w.problems
}

func (w *words) rule() (r Rule) {
	if !w.take("every") {
		day, ok := isoDay(w.next())
		if !ok {
			w.fail("bad_holiday", "This is not a day, and no rule for one.", ruleForms)
			return r
		}
		r.Once = day
		r.Move = w.move()
		return r
	}
	first := w.next()
	nth, isNth := ordinals[first]
	switch {
	case first == "easter":
		days := w.days()
		r.yearly = func(year int) (civil.Date, bool) { return Easter(year) + civil.Date(days), true }
	case isNth:
		r.yearly = w.nthWeekday(nth)
	default:
		month, day, ok := monthDay(first)
		if !ok {
			w.fail("bad_holiday", fmt.Sprintf("%q is not a day of every year.", first), ruleForms)
			return r
		}
		r.yearly = func(year int) (civil.Date, bool) {
			return civil.DateOf(year, month, day), civil.Valid(year, month, day)
		}
	}
	for len(w.problems) == 0 {
		switch {
		case w.take("from"):
			r.from = w.year()
		case w.take("through"):
			r.through = w.year()
		default:
			r.Move = w.move()
			return r
		}
	}
	return r
}

// occurs refuses a rule that gives no day in any year.
func (w *words) occurs(r Rule) {
	for year := max(r.from, civil.MinYear); year <= civil.MaxYear && (r.through == 0 || year <= r.through); year++ {
		if _, ok := r.In(year); ok {
			return
		}
	}
	p := diag.At(w.text, 0, len(w.text), "never_occurs", "There is no such day in any year.")
	p.Hint = "Write a day that occurs: every 02-29 is one of leap years."
	w.problems = append(w.problems, p)
}

func (w *words) move() int {
	if w.peek() != "or" {
		return 0
	}
	switch {
	case w.take("or", "the", "next", "working", "day"):
		return 1
	case w.take("or", "the", "previous", "working", "day"):
		return -1
	}
	w.at++
	w.fail("bad_holiday", "Where the day goes from one that is not worked is not said.", "Write or the next working day, or or the previous working day.")
	return 0
}

// days reads what Easter is moved by: - 2 days, + 1 day; nothing is no days.
func (w *words) days() int {
	sign := map[string]int{"+": 1, "-": -1}[w.peek()]
	if sign == 0 {
		return 0
	}
	w.next()
	n, err := strconv.Atoi(w.next())
	if err != nil || n < 0 || n > 300 {
		w.fail("bad_holiday", "This is not a number of days.", "Write every easter - 2 days.")
		return 0
	}
	if !w.take("days") && !w.take("day") {
		w.next()
		w.fail("bad_holiday", "The unit is missing.", "Write every easter - 2 days.")
	}
	return sign * n
}

// nthWeekday reads MONDAY of MAY.
func (w *words) nthWeekday(nth int) func(year int) (civil.Date, bool) {
	day, ok := civil.WeekdayOf(w.next())
	if !ok {
		w.fail("bad_holiday", "This is not a weekday.", "Write every first monday of may.")
		return never
	}
	if !w.take("of") {
		w.next()
		w.fail("bad_holiday", "The month is missing.", "Write every first monday of may.")
		return never
	}
	month, ok := monthOf(w.next())
	if !ok {
		w.fail("bad_holiday", "This is not a month.", "Write every first monday of may.")
		return never
	}
	return func(year int) (civil.Date, bool) { return NthWeekday(year, month, day, nth) }
}

func never(int) (civil.Date, bool) { return 0, false }

func (w *words) year() int {
	year, err := strconv.Atoi(w.next())
	if err != nil || year < civil.MinYear || year > civil.MaxYear {
		w.fail("bad_holiday", "This is not a year.", "Write every 05-01 from 1978.")
	}
	return year
}

// NthWeekday is the nth such weekday of a month, the last where nth is negative; false where
// the month has no such day.
func NthWeekday(year, month int, day time.Weekday, nth int) (civil.Date, bool) {
	first := civil.DateOf(year, month, 1)
	count := civil.DaysIn(year, month)
	first += civil.Date((int(day) - int(first.Weekday()) + 7) % 7)
	if nth < 0 {
		nth = 4
		if _, m, _ := (first + 28).YMD(); m == month {
			nth = 5
		}
	}
	found := first + civil.Date(7*(nth-1))
	return found, found < civil.DateOf(year, month, 1)+civil.Date(count)
}

// Easter is Easter Sunday of the Western churches.
// Source: the anonymous Gregorian algorithm (Meeus, Astronomical Algorithms, chapter 8).
func Easter(year int) civil.Date {
	a, b, c := year%19, year/100, year%100
	d, e := b/4, b%4
	f := (b + 8) / 25
	g := (b - f + 1) / 3
	h := (19*a + b - d - g + 15) % 30
	i, k := c/4, c%4
	l := (32 + 2*e + 2*i - h - k) % 7
	m := (a + 11*h + 22*l) / 451
	n := h + l - 7*m + 114
	return civil.DateOf(year, n/31, n%31+1)
}

// isoDay reads YYYY-MM-DD.
func isoDay(text string) (civil.Date, bool) {
	if len(text) != 10 || text[4] != '-' {
		return 0, false
	}
	year, err := strconv.Atoi(text[:4])
	month, day, ok := monthDay(text[5:])
	if err != nil || !ok || !civil.Valid(year, month, day) {
		return 0, false
	}
	return civil.DateOf(year, month, day), true
}

// monthDay reads MM-DD: a day of a leap year at least, or one of no year.
func monthDay(text string) (month, day int, ok bool) {
	if len(text) != 5 || text[2] != '-' {
		return 0, 0, false
	}
	month, err := strconv.Atoi(text[:2])
	day, also := strconv.Atoi(text[3:])
	return month, day, err == nil && also == nil && month >= 1 && month <= 12 && day >= 1 && day <= 31
}

func monthOf(text string) (int, bool) {
	for m := time.January; m <= time.December; m++ {
		if strings.EqualFold(m.String(), text) {
			return int(m), true
		}
	}
	return 0, false
}

// ParseYearEnd reads how fiscal years of weeks end: last saturday of january, or friday
// nearest 01-31.
func ParseYearEnd(text string) (civil.FiscalWeeks, diag.Problems) {
	w := split(text)
	var end civil.FiscalWeeks
	var ok bool
	if w.take("last") {
		end.Weekday, ok = civil.WeekdayOf(w.next())
		if ok && w.take("of") {
			end.Month, ok = monthOf(w.next())
		} else {
			ok = false
		}
	} else {
		end.Weekday, ok = civil.WeekdayOf(w.next())
		if ok && w.take("nearest") {
			end.Month, end.Day, ok = monthDay(w.next())
			ok = ok && civil.Valid(2001, end.Month, end.Day)
		} else {
			ok = false
		}
	}
	if !ok || w.at < len(w.words) {
		p := diag.At(text, 0, len(text), "bad_fiscal", "This does not say when a fiscal year ends.")
		p.Hint = "Write last saturday of january, or friday nearest 01-31."
		return end, diag.Problems{p}
	}
	return end, nil
}

// ParseDays reads MM-DD/MM-DD, days of every year.
func ParseDays(text string) (civil.Yearday, diag.Problems) {
	from, through, ok := strings.Cut(strings.TrimSpace(text), "/")
	var y civil.Yearday
	var first, last bool
	y.FromMonth, y.FromDay, first = monthDay(from)
	y.ThroughMonth, y.ThroughDay, last = monthDay(through)
	leap := civil.Valid(2000, y.FromMonth, y.FromDay) && civil.Valid(2000, y.ThroughMonth, y.ThroughDay)
	if !ok || !first || !last || !leap {
		p := diag.At(text, 0, len(text), "bad_period", "This is not a stretch of every year.")
		p.Hint = "Write its first and its last day as 04-01/10-31."
		return y, diag.Problems{p}
	}
	return y, nil
}
