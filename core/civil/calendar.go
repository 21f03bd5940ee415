package civil

import "time"

// UTC is the zone of instants.
var UTC = time.UTC

// DateOrder says how a spelling like 03/04/2026 is to be read.
type DateOrder string

// The date orders. With none such a spelling must have one reading only.
const (
	OrderNone DateOrder = ""
	OrderDMY  DateOrder = "dmy"
	OrderMDY  DateOrder = "mdy"
	// OrderLanguage is that of the language.
	OrderLanguage DateOrder = "language"
)

// MissingYear says which year a day or a month means that is written without one.
type MissingYear string

// The ways to read what has no year. With none it is refused.
const (
	YearNone    MissingYear = ""
	YearLatest  MissingYear = "latest"  // the latest that has begun by today
	YearRunning MissingYear = "running" // this year
	YearNext    MissingYear = "next"    // the first that does not end before today
)

// Calendar is everything a reading of dates depends on besides the text.
type Calendar struct {
	// Zone is whose clocks and days are meant; never nil.
	Zone *time.Location
	// Now is the instant the run starts, or the one of --as-of.
	Now Instant
	// WeekStart is the first day of "this week"; ISO weeks always start on Monday.
	WeekStart time.Weekday
	// FiscalStart is the first month of the fiscal year, 1 to 12; 0 means 1.
	FiscalStart int
	// FiscalByStart names a fiscal year by the calendar year it starts in
	// instead of the one it ends in.
	FiscalByStart bool
	// Order reads spellings like 03/04/2026.
	Order DateOrder
	// Missing reads what is written without its year.
	Missing MissingYear
	// Century is the first of the hundred years that years of two digits are in; 0 refuses
	// them.
	Century int
	// Language is that in which people type besides English, such as de; blank for none.
	Language string
	// Almanac is the calendar of the organisation, with its holidays and named periods;
	// nil where none is named.
	Almanac *Almanac
}

// Today is the day it is in the zone.
func (c Calendar) Today() Date { return CivilOf(c.Now, c.Zone).Date() }

// Unit is a unit of the calendar.
type Unit uint8

// The units, from small to large.
const (
	Day Unit = iota + 1
	Week
	Month
	Quarter
	Half
	Year
	FiscalQuarter
	FiscalYear
	// FiscalPeriod is a month of a fiscal year, or one of its stretches of weeks.
	FiscalPeriod
	// FiscalWeek is a week of a fiscal year of weeks.
	FiscalWeek
	// WorkingDay is a day that is worked by the organisation's calendar.
	WorkingDay
)

var unitMonths = [...]int{Month: 1, Quarter: 3, Half: 6, Year: 12, FiscalQuarter: 3, FiscalYear: 12, FiscalPeriod: 1, FiscalWeek: 0, WorkingDay: 0}

// Months is how many months the unit has, 0 for days and weeks.
func (u Unit) Months() int { return unitMonths[u] }

// IsFiscal tells whether the unit is a part of a fiscal year.
func (u Unit) IsFiscal() bool { return u >= FiscalQuarter && u <= FiscalWeek }

// ofWeeks tells whether the unit is a part of a fiscal year of weeks here.
func (c Calendar) ofWeeks(u Unit) bool {
	return u.IsFiscal() && c.Almanac != nil && c.Almanac.Weeks != nil
}

// StartOf is the first day of the unit that holds the day.
func (c Calendar) StartOf(u Unit, d Date) Date {
	switch {
	case u == Day || u == WorkingDay:
		return d
	case u == Week || u == FiscalWeek && !c.ofWeeks(u):
		return d - Date(floorMod(int(d.Weekday())-int(c.WeekStart), 7))
	case c.ofWeeks(u):
		first, _ := c.Almanac.Weeks.step(u, d, 0)
		return first
	}
	shift := 0
	if u.IsFiscal() {
		shift = max(c.FiscalStart, 1) - 1
	}
	y, m, _ := d.YMD()
	months := y*12 + m - 1 - shift
	months -= floorMod(months, u.Months())
	return DateOf(0, months+shift+1, 1)
}

// Add moves the day by n units: months and longer keep the day of the month
// or take the month's last; parts of a fiscal year of weeks keep the day of the part.
// Working days are those of the almanac, see AddWorking.
func (c Calendar) Add(u Unit, d Date, n int) Date {
	switch {
	case u == Day:
		return d + Date(n)
	case u == WorkingDay:
		day, _ := c.Almanac.AddWorking(d, n)
		return day
	case u == Week || u == FiscalWeek && !c.ofWeeks(u):
		return d + Date(7*n)
	case c.ofWeeks(u):
		first, last := c.Almanac.Weeks.step(u, d, n)
		return min(first+d-c.StartOf(u, d), last)
	}
	return d.AddMonths(n * u.Months())
}

// FiscalPart are the days of the nth part, from 1, of the fiscal year of that name: of one
// of weeks its weeks, its periods or its quarters. It is false where the year has no such
// part.
func (c Calendar) FiscalPart(u Unit, name, nth int) (first, last Date, ok bool) {
	start := max(c.FiscalStart, 1)
	if c.ofWeeks(u) {
		w := c.Almanac.Weeks
		if c.FiscalByStart && w.Month < 12 {
			name++
		}
		return w.days(u, name, nth-1)
	}
	if !c.FiscalByStart && start > 1 {
		name--
	}
	months := u.Months()
	if months == 0 || nth > 12/months {
		return 0, 0, false
	}
	first = DateOf(name, start+(nth-1)*months, 1)
	return first, first.AddMonths(months) - 1, true
}

// FiscalParts is how many parts of a kind the fiscal year of that name has.
func (c Calendar) FiscalParts(u Unit, name int) (count int) {
	for {
		if _, _, ok := c.FiscalPart(u, name, count+1); !ok {
			return count
		}
		count++
	}
}

// FiscalYearOf is the name of the fiscal year that holds a day.
func (c Calendar) FiscalYearOf(d Date) int {
	name := d.Year() - 1
	for {
		if _, last, _ := c.FiscalPart(FiscalYear, name, 1); d <= last {
			return name
		}
		name++
	}
}
