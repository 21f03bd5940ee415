package recurrence

import (
	"slices"

	"pikegate/core/civil"
)

// Due is a moment at which a rule is due.
type Due struct {
	// At is the moment, and Civil what was meant: the clock shows another time where it left
	// that one out.
	At    civil.Instant
	Civil civil.DateTime
}

// Ended says why there is no further moment.
type Ended uint8

// The ends. A calendar knows the days of some years only; Rare is a rule that is not due within
// the years that are looked at.
const (
	NotEnded Ended = iota
	AfterLast
	CalendarEnds
	Rare
)

// farthest is how many days are looked at to find the next moment: all that occurs does so
// within them.
const farthest = 41 * 366

// longestHolidays is how many days in a row are not worked at the most.
const longestHolidays = 60

// Next is the first moment after an instant, in the context's zone and calendar.
func (r Rule) Next(after civil.Instant, c civil.Calendar) (Due, Ended) {
	shown := civil.CivilOf(after, c.Zone) // what is before it was due before, however the clocks were set
	day := shown.Date()
	last := r.Until
	switch { // what falls on holidays may be due a little before or after
	case r.HasFrom && r.Shift == ToPrevious:
		day = max(day, r.From-longestHolidays)
	case r.HasFrom:
		day = max(day, r.From)
	}
	if r.Shift == ToNext {
		last += longestHolidays
	}
	first := day
	for ; day-first < farthest; day++ {
		switch {
		case r.HasUntil && day > last || !day.InRange():
			return Due{}, AfterLast
		case r.NeedsCalendar() && (c.Almanac == nil || !c.Almanac.Known(day)):
			if c.Almanac != nil && day < c.Almanac.First {
				continue
			}
			return Due{}, CalendarEnds
		case !r.On(day, c):
			continue
		}
		begin := Clock(0)
		if day == shown.Date() {
			begin = Clock(shown.Seconds() / 60)
		}
		for at, ok := r.timeFrom(begin); ok; at, ok = r.timeFrom(at + 1) {
			meant := day.Midnight() + civil.DateTime(at)*60
			if due := civil.InstantOf(meant, c.Zone); due > after {
				return Due{due, meant}, NotEnded
			}
		}
	}
	return Due{}, Rare
}

// Upcoming are the first n moments after an instant, and why there are fewer.
func (r Rule) Upcoming(after civil.Instant, n int, c civil.Calendar) (list []Due, ended Ended) {
	for len(list) < n {
		due, ended := r.Next(after, c)
		if ended != NotEnded {
			return list, ended
		}
		list, after = append(list, due), due.At
	}
	return list, NotEnded
}

// timeFrom is the first time of a day from one on.
func (r Rule) timeFrom(at Clock) (Clock, bool) {
	if r.Unit != Minute {
		i, _ := slices.BinarySearch(r.Times, at)
		if i == len(r.Times) {
			return 0, false
		}
		return r.Times[i], true
	}
	step := Clock(r.Every)
	next := r.Start
	if at > next {
		next += (at - r.Start + step - 1) / step * step
	}
	return next, next <= r.End
}

// On tells whether the rule is due on a day: of its own, or because a holiday shifted it there.
func (r Rule) On(d civil.Date, c civil.Calendar) bool {
	if !r.ExceptHolidays {
		return r.candidate(d, c)
	}
	holiday := func(d civil.Date) bool { _, is := c.Almanac.Holiday(d); return is }
	if !holiday(d) && r.candidate(d, c) {
		return true
	}
	if r.Shift == Dropped || !c.Almanac.Working(d) {
		return false
	}
	step := civil.Date(-1)
	if r.Shift == ToPrevious {
		step = 1
	}
	for e := d + step; c.Almanac.Known(e) && !c.Almanac.Working(e); e += step {
		if holiday(e) && r.candidate(e, c) {
			return true
		}
	}
	return false
}

// candidate tells whether the rule names a day, whatever is a holiday.
func (r Rule) candidate(d civil.Date, c civil.Calendar) bool {
	if r.HasFrom && d < r.From || r.HasUntil && d > r.Until {
		return false
	}
	switch {
	case r.Unit == Minute:
		if r.OnWorkingDays {
			return c.Almanac.Working(d)
		}
		return r.Weekdays == nil || slices.Contains(r.Weekdays, d.Weekday())
	case r.Unit == Day:
		return r.Every == 1 || int(d-r.From)%r.Every == 0
	case r.Unit == WorkingDay:
		return c.Almanac.Working(d) && (r.Every == 1 || (c.Almanac.WorkingBetween(r.From-1, d)-1)%r.Every == 0)
	case r.Unit == Week && r.Picks == nil:
		if !slices.Contains(r.Weekdays, d.Weekday()) {
			return false
		}
		return r.Every == 1 || int(c.StartOf(civil.Week, d)-c.StartOf(civil.Week, r.From))/7%r.Every == 0
	}
	if r.Dates != nil {
		_, month, day := d.YMD()
		return slices.Contains(r.Dates, MonthDay{month, day}) && (r.Every == 1 || (d.Year()-r.From.Year())%r.Every == 0)
	}
	unit := civilUnits[r.Unit]
	first := c.StartOf(unit, d)
	if r.Every > 1 && !r.steps(unit, first, c) {
		return false
	}
	last := c.Add(unit, first, 1) - 1
	return slices.ContainsFunc(r.Picks, func(p Pick) bool { return p.is(d, first, last, c) })
}

// steps tells whether the unit that begins on a day is one of every so many from that of From.
func (r Rule) steps(unit civil.Unit, first civil.Date, c civil.Calendar) bool {
	begin := c.StartOf(unit, r.From)
	if unit == civil.Week {
		return int(first-begin)/7%r.Every == 0
	}
	if months := unit.Months(); months > 0 {
		y1, m1, _ := begin.YMD()
		y2, m2, _ := first.YMD()
		return ((y2-y1)*12+m2-m1)/months%r.Every == 0
	}
	n := 0
	for ; begin < first; begin = c.Add(unit, begin, 1) { // fiscal years of weeks
		n++
	}
	return n%r.Every == 0
}

// is tells whether a day is the one that is picked of a unit.
func (p Pick) is(d, first, last civil.Date, c civil.Calendar) bool {
	switch p.Of {
	case AnyDay:
		if p.Nth > 0 {
			return d == first+civil.Date(p.Nth-1)
		}
		return d == last+civil.Date(p.Nth+1)
	case OneWeekday:
		if d.Weekday() != p.Weekday {
			return false
		}
		if p.Nth > 0 {
			return int(d-first)/7 == p.Nth-1
		}
		return int(last-d)/7 == -p.Nth-1
	}
	if !c.Almanac.Working(d) {
		return false
	}
	if p.Nth > 0 {
		return c.Almanac.Known(first) && c.Almanac.WorkingBetween(first-1, d) == p.Nth
	}
	return c.Almanac.Known(last) && c.Almanac.WorkingBetween(d-1, last) == -p.Nth
}
