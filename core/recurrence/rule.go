package recurrence

import (
	"strconv"
	"strings"
	"time"

	"pikegate/core/civil"
	"pikegate/core/diag"
)

// Unit is what a rule steps by.
type Unit uint8

// The units.
const (
	Minute Unit = iota + 1
	Day
	WorkingDay
	Week
	Month
	Quarter
	Half
	Year
	FiscalQuarter
	FiscalYear
)

// unitWords are the units as people write them: one, and several.
var unitWords = map[Unit][2]string{
	Minute: {"minute", "minutes"}, Day: {"day", "days"}, WorkingDay: {"working day", "working days"}, Week: {"week", "weeks"}, Month: {"month", "months"},
	Quarter: {"quarter", "quarters"}, Half: {"half", "halves"}, Year: {"year", "years"}, FiscalQuarter: {"fiscal quarter", "fiscal quarters"}, FiscalYear: {"fiscal year", "fiscal years"},
}

// civilUnits are the units of the calendar that picks are made in.
var civilUnits = map[Unit]civil.Unit{
	Week: civil.Week, Month: civil.Month, Quarter: civil.Quarter, Half: civil.Half, Year: civil.Year, FiscalQuarter: civil.FiscalQuarter, FiscalYear: civil.FiscalYear,
}

// Of is what is counted within a month or a longer unit.
type Of uint8

// What can be counted: days, working days, or one weekday.
const (
	AnyDay Of = iota
	Working
	OneWeekday
)

// Pick is one day of a unit: the 15th, the last working day, the first monday.
type Pick struct {
	// Nth counts from 1; -1 is the last, -2 the one before.
	Nth     int
	Of      Of
	Weekday time.Weekday
}

// MonthDay is a day of every year.
type MonthDay struct{ Month, Day int }

// Clock is a time of the day, in minutes.
type Clock int

func (c Clock) String() string {
	return string([]byte{byte('0' + c/60/10), byte('0' + c/60%10), ':', byte('0' + c%60/10), byte('0' + c%60%10)})
}

// Shift is what becomes of an occurrence on a holiday.
type Shift uint8

// The shifts: it does not happen, or on the next or the previous working day.
const (
	Dropped Shift = iota
	ToNext
	ToPrevious
)

// Rule says when something happens again. Parse makes valid ones only.
type Rule struct {
	// Every is the step, at least 1, and Unit what it counts.
	Every int
	Unit  Unit
	// Weekdays are those of a week, or those on which the steps of minutes happen; in order
	// from Monday.
	Weekdays []time.Weekday
	// Picks are the days of a month or a longer unit, Dates those of a year.
	Picks []Pick
	Dates []MonthDay
	// Times are those of a day, in order; steps of minutes have none.
	Times []Clock
	// Start and End are what steps of minutes keep between, both included; OnWorkingDays
	// tells that they happen on such days only.
	Start, End    Clock
	OnWorkingDays bool
	// From is the first day and Until the last one; they are said where HasFrom and HasUntil.
	From, Until       civil.Date
	HasFrom, HasUntil bool
	// ExceptHolidays leaves out holidays, or shifts what falls on them.
	ExceptHolidays bool
	Shift          Shift
}

// lastMinute is the last time of a day.
const lastMinute = Clock(24*60 - 1)

// NeedsCalendar tells whether the rule asks which days are worked.
func (r Rule) NeedsCalendar() bool {
	if r.Unit == WorkingDay || r.OnWorkingDays || r.ExceptHolidays {
		return true
	}
	for _, p := range r.Picks {
		if p.Of == Working {
			return true
		}
	}
	return false
}

// weekdayWords name the weekdays.
var weekdayWords = [...]string{"sunday", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday"}

// fromMonday is the place of a weekday in a week that begins on Monday.
func fromMonday(d time.Weekday) int { return (int(d) + 6) % 7 }

// ordinals are the numbers that are written as words.
var ordinals = [...]string{"", "first", "second", "third", "fourth", "fifth"}

// ordinal is a number as the place of something.
func ordinal(n int) string {
	ending := "th"
	if n%100 < 11 || n%100 > 13 {
		switch n % 10 {
		case 1:
			ending = "st"
		case 2:
			ending = "nd"
		case 3:
			ending = "rd"
		}
	}
	return strconv.Itoa(n) + ending
}

// order is the place of a pick among others: those from the end stand last.
func (p Pick) order() []int {
	end := 0
	if p.Nth < 0 {
		end = 1
	}
	return []int{end, p.Nth, int(p.Of), fromMonday(p.Weekday)}
}

func (p Pick) String() string {
	if p.Of == AnyDay && p.Nth > 0 {
		return "the " + ordinal(p.Nth)
	}
	what := map[Of]string{AnyDay: "day", Working: "working day"}[p.Of]
	if p.Of == OneWeekday {
		what = weekdayWords[p.Weekday]
	}
	nth, last := p.Nth, ""
	if nth < 0 {
		nth, last = -nth, "last "
	}
	place := ordinal(nth) + " "
	if nth < len(ordinals) {
		place = ordinals[nth] + " "
	}
	if p.Nth == -1 {
		place = ""
	}
	return "the " + place + last + what
}

// String writes the rule in the one way it is kept.
func (r Rule) String() string {
	var b strings.Builder
	word := unitWords[r.Unit][0]
	every := "every " + word
	if r.Every > 1 {
		every = "every " + strconv.Itoa(r.Every) + " " + unitWords[r.Unit][1]
	}
	if r.Unit == Minute && r.Every%60 == 0 {
		every = "every hour"
		if r.Every > 60 {
			every = "every " + strconv.Itoa(r.Every/60) + " hours"
		}
	}
	switch {
	case r.Picks != nil:
		picks := make([]string, len(r.Picks))
		for i, p := range r.Picks {
			picks[i] = p.String()
		}
		b.WriteString("on " + diag.Listed(picks, "and") + " of " + every)
	case r.Dates != nil:
		dates := make([]string, len(r.Dates))
		for i, d := range r.Dates {
			dates[i] = d.String()
		}
		b.WriteString(every + " on " + diag.Listed(dates, "and"))
	case r.Unit == Week && r.Every == 1:
		b.WriteString("every " + weekdays(r.Weekdays))
	case r.Unit == Week:
		b.WriteString(every + " on " + weekdays(r.Weekdays))
	default:
		b.WriteString(every)
	}
	if r.Unit == Minute {
		if r.Start > 0 || r.End < lastMinute {
			b.WriteString(" between " + r.Start.String() + " and " + r.End.String())
		}
		switch {
		case r.OnWorkingDays:
			b.WriteString(" on working days")
		case r.Weekdays != nil:
			b.WriteString(" on " + weekdays(r.Weekdays))
		}
	} else {
		times := make([]string, len(r.Times))
		for i, t := range r.Times {
			times[i] = t.String()
		}
		b.WriteString(" at " + diag.Listed(times, "and"))
	}
	if r.HasFrom {
		b.WriteString(" from " + r.From.String())
	}
	if r.HasUntil {
		b.WriteString(" until " + r.Until.String())
	}
	if r.ExceptHolidays {
		b.WriteString(" except holidays" + map[Shift]string{ToNext: ", then the next working day", ToPrevious: ", then the previous working day"}[r.Shift])
	}
	return b.String()
}

func (d MonthDay) String() string {
	return string([]byte{byte('0' + d.Month/10), byte('0' + d.Month%10), '-', byte('0' + d.Day/10), byte('0' + d.Day%10)})
}

func weekdays(days []time.Weekday) string {
	names := make([]string, len(days))
	for i, d := range days {
		names[i] = weekdayWords[d]
	}
	return diag.Listed(names, "and")
}
