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
)

var unitMonths = [...]int{Month: 1, Quarter: 3, Half: 6, Year: 12, FiscalQuarter: 3, FiscalYear: 12}

// Months is how many months the unit has, 0 for days and weeks.
func (u Unit) Months() int { return unitMonths[u] }

// StartOf is the first day of the unit that holds the day.
func (c Calendar) StartOf(u Unit, d Date) Date {
	switch u {
	case Day:
		return d
	case Week:
		return d - Date(floorMod(int(d.Weekday())-int(c.WeekStart), 7))
	}
	shift := 0
	if u == FiscalQuarter || u == FiscalYear {
		shift = max(c.FiscalStart, 1) - 1
	}
	y, m, _ := d.YMD()
	months := y*12 + m - 1 - shift
	months -= floorMod(months, u.Months())
	return DateOf(0, months+shift+1, 1)
}

// Add moves the day by n units: months and longer keep the day of the month
// or take the month's last.
func (u Unit) Add(d Date, n int) Date {
	switch u {
	case Day:
		return d + Date(n)
	case Week:
		return d + Date(7*n)
	}
	return d.AddMonths(n * u.Months())
}

// FiscalYearStart is the first day of the fiscal year of that name.
func (c Calendar) FiscalYearStart(name int) Date {
	start := max(c.FiscalStart, 1)
	if !c.FiscalByStart && start > 1 {
		name--
	}
	return DateOf(name, start, 1)
}
