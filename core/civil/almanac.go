package civil

import (
	"slices"
	"sort"
	"strings"
	"time"
)

// Almanac is the calendar an organisation lives by: the days it works, its holidays,
// periods with names of its own, and fiscal years of weeks. Nobody changes it once Seal was
// called.
type Almanac struct {
	// Name is that of its definition; Fingerprint tells what it says from anything else.
	Name        string
	Fingerprint uint64
	// Off are the weekdays nobody works on, by time.Weekday.
	Off [7]bool
	// First and Last are the days between which the holidays are known, both in.
	First, Last Date
	// Holidays are in the order of their days, one for each day.
	Holidays []Holiday
	// Periods are the organisation's own, in the order of their names.
	Periods []NamedPeriod
	// Weeks is how fiscal years are made of weeks; nil where they are made of months.
	Weeks *FiscalWeeks

	free []Date // the holidays on days that would be worked, in order
	week [8]int // how many days are worked from a Thursday (day 0) on, by their number
}

// Holiday is a day that nobody works on, and what it is called.
type Holiday struct {
	Day  Date
	Name string
}

// Seal works out what is counted with.
func (a *Almanac) Seal() *Almanac {
	slices.SortStableFunc(a.Holidays, func(x, y Holiday) int { return int(x.Day - y.Day) })
	a.Holidays = slices.CompactFunc(a.Holidays, func(x, y Holiday) bool { return x.Day == y.Day })
	slices.SortFunc(a.Periods, func(x, y NamedPeriod) int { return strings.Compare(x.Name, y.Name) })
	for i := range 7 {
		a.week[i+1] = a.week[i]
		if !a.Off[Date(i).Weekday()] {
			a.week[i+1]++
		}
	}
	for _, h := range a.Holidays {
		if !a.Off[h.Day.Weekday()] {
			a.free = append(a.free, h.Day)
		}
	}
	return a
}

// Free are the holidays on days that would be worked else, in order.
func (a *Almanac) Free() []Date { return a.free }

// Holiday gives the holiday on a day.
func (a *Almanac) Holiday(d Date) (Holiday, bool) {
	at, ok := slices.BinarySearchFunc(a.Holidays, d, func(h Holiday, d Date) int { return int(h.Day - d) })
	if !ok {
		return Holiday{}, false
	}
	return a.Holidays[at], true
}

// Working tells whether a day is worked.
func (a *Almanac) Working(d Date) bool {
	if a.Off[d.Weekday()] {
		return false
	}
	_, free := slices.BinarySearch(a.free, d)
	return !free
}

// Known tells whether the holidays of a day are known.
func (a *Almanac) Known(d Date) bool { return d >= a.First && d <= a.Last }

// before counts the working days before a day, from some day on.
func (a *Almanac) before(d Date) int {
	weeks := floorDiv(int(d), 7)
	free, _ := slices.BinarySearch(a.free, d)
	return weeks*a.week[7] + a.week[int(d)-weeks*7] - free
}

// WorkingBetween counts the working days after the first day through the last; it is
// negative where the last is before the first.
func (a *Almanac) WorkingBetween(first, last Date) int { return a.before(last+1) - a.before(first+1) }

// AddWorking is the n-th working day after a day, or before it where n is negative; with 0
// it is the day itself if that is worked. It is false where there is none among the days
// whose holidays are known.
func (a *Almanac) AddWorking(d Date, n int) (Date, bool) {
	if !a.Known(d) || n == 0 {
		return d, n == 0 && a.Working(d)
	}
	wanted := a.before(d+1) + n // as many working days are before the one after it
	if n < 0 {
		wanted = a.before(d) + n + 1
	}
	span := int(a.Last - a.First + 1)
	at := sort.Search(span, func(i int) bool { return a.before(a.First+Date(i)+1) >= wanted })
	day := a.First + Date(at)
	return day, at < span && a.before(day) == wanted-1
}

// Reach are the first and the last day that AddWorking moves n working days from; false
// where there is none.
func (a *Almanac) Reach(n int) (first, last Date, ok bool) {
	first, last = a.First, a.Last
	edge, step := last, -1 // from the last working day so many back
	if n < 0 {
		edge, step = first, 1
	}
	if !a.Working(edge) {
		if edge, ok = a.AddWorking(edge, step); !ok {
			return 0, 0, false
		}
	}
	if back := step * (max(n, -n) - 1); back != 0 {
		if edge, ok = a.AddWorking(edge, back); !ok {
			return 0, 0, false
		}
	}
	if n < 0 {
		return edge + 1, last, edge < last
	}
	return first, edge - 1, edge > first
}

// NamedPeriod is a period with a name of the organisation's own.
type NamedPeriod struct {
	// Name is in lower case, its words joined by one blank.
	Name string
	// Every is when it is each year; nil where it is only in the years of Of.
	Every *Yearday
	// Of are its entries by the year, which come before Every, in order.
	Of []Stretch
}

// Yearday is a stretch of days of each year; one that ends before it starts ends in the
// next year. A day that a month lacks is its last.
type Yearday struct{ FromMonth, FromDay, ThroughMonth, ThroughDay int }

// Stretch is the days from First through Last, named by a year.
type Stretch struct {
	Year        int
	First, Last Date
}

// In is the period of a year, false where it has none.
func (p NamedPeriod) In(year int) (Stretch, bool) {
	if at, ok := slices.BinarySearchFunc(p.Of, year, func(s Stretch, year int) int { return s.Year - year }); ok {
		return p.Of[at], true
	}
	if p.Every == nil || year < MinYear || year >= MaxYear {
		return Stretch{}, false
	}
	e := p.Every
	through := year
	if e.ThroughMonth < e.FromMonth || e.ThroughMonth == e.FromMonth && e.ThroughDay < e.FromDay {
		through++
	}
	day := func(year, month, day int) Date { return DateOf(year, month, min(day, DaysIn(year, month))) }
	return Stretch{year, day(year, e.FromMonth, e.FromDay), day(through, e.ThroughMonth, e.ThroughDay)}, true
}

// Near are the last of the periods that ended before a day, the one that holds it, and the
// first that begins after it; each may be missing.
func (p NamedPeriod) Near(d Date) (last, this, next *Stretch) {
	for _, s := range p.Within(d.Year()-2, d.Year()+2) {
		switch {
		case s.Last < d:
			last = &s
		case s.First <= d:
			this = &s
		case next == nil:
			next = &s
		}
	}
	return last, this, next
}

// Within are the periods of the years from first through last, and all that are written for
// a year, in order.
func (p NamedPeriod) Within(first, last int) (found []Stretch) {
	found = slices.Clone(p.Of)
	for year := first; p.Every != nil && year <= last; year++ {
		if s, ok := p.In(year); ok && !slices.Contains(p.Of, s) {
			found = append(found, s)
		}
	}
	slices.SortFunc(found, func(a, b Stretch) int { return a.Year - b.Year })
	return found
}

// Period finds a period of the organisation's own by its name.
func (a *Almanac) Period(name string) (NamedPeriod, bool) {
	if a == nil {
		return NamedPeriod{}, false
	}
	at, ok := slices.BinarySearchFunc(a.Periods, name, func(p NamedPeriod, name string) int { return strings.Compare(p.Name, name) })
	if !ok {
		return NamedPeriod{}, false
	}
	return a.Periods[at], true
}

// FiscalWeeks makes fiscal years of whole weeks. Each has 52, and 53 where its end needs it.
type FiscalWeeks struct {
	// Weeks are those of the year's periods, 52 in all; a 53rd goes to the last.
	Weeks []int
	// Each year ends on the last such weekday of a month, or, where Day is not 0, on the
	// one nearest to that day of the month.
	Weekday    time.Weekday
	Month, Day int
}

// End is the last day of the fiscal year that ends in a calendar year, or next to it.
func (w *FiscalWeeks) End(year int) Date {
	last := DateOf(year, w.Month, DaysIn(year, w.Month))
	if w.Day > 0 {
		last = DateOf(year, w.Month, min(w.Day, DaysIn(year, w.Month))) + 3
	}
	return last - Date(floorMod(int(last.Weekday())-int(w.Weekday), 7))
}

// yearOf is the calendar year that the fiscal year ends in that holds a day.
func (w *FiscalWeeks) yearOf(d Date) int {
	year := d.Year() - 1
	for w.End(year) < d {
		year++
	}
	return year
}

// part is the nth part, from 0, of a fiscal year of so many weeks: the week it starts in, from
// 0, and how many weeks it has; false beyond the last.
func (w *FiscalWeeks) part(u Unit, nth, weeks int) (start, length int, ok bool) {
	switch u {
	case FiscalYear:
		return 0, weeks, nth == 0
	case FiscalWeek:
		return nth, 1, nth < weeks
	case FiscalQuarter:
		start, length, ok = nth*13, 13, nth < 4
	case FiscalPeriod:
		if ok = nth < len(w.Weeks); ok {
			for _, n := range w.Weeks[:nth] {
				start += n
			}
			length = w.Weeks[nth]
		}
	}
	if ok && start+length == 52 {
		length = weeks - start
	}
	return start, length, ok
}

// count is how many parts of a kind a fiscal year has.
func (w *FiscalWeeks) count(u Unit, year int) int {
	switch u {
	case FiscalYear:
		return 1
	case FiscalQuarter:
		return 4
	case FiscalPeriod:
		return len(w.Weeks)
	}
	return w.weeks(year)
}

// weeks is how many weeks the fiscal year has that ends in a calendar year.
func (w *FiscalWeeks) weeks(year int) int { return int(w.End(year)-w.End(year-1)) / 7 }

// days are the days of the nth part, from 0, of the fiscal year that ends in a year.
func (w *FiscalWeeks) days(u Unit, year, nth int) (first, last Date, ok bool) {
	start, length, ok := w.part(u, nth, w.weeks(year))
	first = w.End(year-1) + 1 + Date(7*start)
	return first, first + Date(7*length) - 1, ok
}

// at tells which part of which year holds a day.
func (w *FiscalWeeks) at(u Unit, d Date) (year, nth int) {
	year = w.yearOf(d)
	for {
		if _, last, ok := w.days(u, year, nth); !ok || d <= last {
			return year, nth
		}
		nth++
	}
}

// step are the first and the last day of the part n after the one that holds a day.
func (w *FiscalWeeks) step(u Unit, d Date, n int) (first, last Date) {
	year, nth := w.at(u, d)
	nth += n
	for nth < 0 {
		year--
		nth += w.count(u, year)
	}
	for nth >= w.count(u, year) {
		nth -= w.count(u, year)
		year++
	}
	first, last, _ = w.days(u, year, nth)
	return first, last
}
