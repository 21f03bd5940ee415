// Package civil is the calendar: civil dates and date-times without a zone,
// the context in which an expression is read, and the way from civil time to
// instants and back. Nothing here reads a clock.
package civil

import (
	"bytes"
	"math"
	"strconv"
	"time"
)

// Date is a day of the proleptic Gregorian calendar, counted from 1970-01-01.
type Date int

// DateTime is a civil date and time to the second, with no zone, counted in
// seconds from 1970-01-01T00:00:00. Start and End stand for "no bound".
type DateTime int64

// The open bounds: every date-time lies between them.
const (
	Start DateTime = math.MinInt64
	End   DateTime = math.MaxInt64
)

// The years that are accepted, both included.
const (
	MinYear = 1
	MaxYear = 9999
)

const secondsPerDay = 86400

// DateOf gives the day of a year, month and day; months and days outside
// their range run over into the neighbours.
// Source: days_from_civil of "chrono-Compatible Low-Level Date Algorithms" (H. Hinnant).
func DateOf(year, month, day int) Date {
	if month < 1 || month > 12 {
		year += floorDiv(month-1, 12)
		month = floorMod(month-1, 12) + 1
	}
	before := daysBefore[month-1]
	if month > 2 && isLeap(year) {
		before++
	}
	y := year - 1
	return Date(365*y + floorDiv(y, 4) - floorDiv(y, 100) + floorDiv(y, 400) + before + day - 1 - 719162)
}

// daysBefore is how many days of a common year are before each month, and in all.
var daysBefore = [13]int{0, 31, 59, 90, 120, 151, 181, 212, 243, 273, 304, 334, 365}

func isLeap(year int) bool { return year%4 == 0 && (year%100 != 0 || year%400 == 0) }

// Valid tells whether the year, month and day name a real day of the years
// that are accepted.
func Valid(year, month, day int) bool {
	return year >= MinYear && year <= MaxYear && month >= 1 && month <= 12 &&
		day >= 1 && day <= DaysIn(year, month)
}

// DaysIn is the number of days of a month.
func DaysIn(year, month int) int {
	if month < 1 || month > 12 {
		year += floorDiv(month-1, 12)
		month = floorMod(month-1, 12) + 1
	}
	if month == 2 && isLeap(year) {
		return 29
	}
	return daysBefore[month] - daysBefore[month-1]
}

// YMD splits a day into year, month and day.
func (d Date) YMD() (year, month, day int) {
	z := int(d) + 719468
	era := floorDiv(z, 146097)
	dayOfEra := z - era*146097
	yearOfEra := (dayOfEra - dayOfEra/1460 + dayOfEra/36524 - dayOfEra/146096) / 365
	dayOfYear := dayOfEra - (365*yearOfEra + yearOfEra/4 - yearOfEra/100)
	mp := (5*dayOfYear + 2) / 153
	day = dayOfYear - (153*mp+2)/5 + 1
	month = mp + 3
	if month > 12 {
		month -= 12
	}
	year = yearOfEra + era*400
	if month <= 2 {
		year++
	}
	return year, month, day
}

// Year is the calendar year of the day.
func (d Date) Year() int { y, _, _ := d.YMD(); return y }

// InRange tells whether the day lies in the years that are accepted.
func (d Date) InRange() bool {
	return d >= DateOf(MinYear, 1, 1) && d <= DateOf(MaxYear, 12, 31)
}

// Weekday is the day of the week.
func (d Date) Weekday() time.Weekday { return time.Weekday(floorMod(int(d)+4, 7)) }

// AddMonths moves the day by whole months, keeping the day of the month or
// taking the month's last day where it has no such day.
func (d Date) AddMonths(n int) Date {
	y, m, day := d.YMD()
	first := DateOf(y, m+n, 1)
	fy, fm, _ := first.YMD()
	return first + Date(min(day, DaysIn(fy, fm))-1)
}

// Midnight is the civil date-time at which the day starts.
func (d Date) Midnight() DateTime { return DateTime(d) * secondsPerDay }

// ISOWeekMonday is the Monday of the ISO 8601 week, and whether the year has it.
func ISOWeekMonday(year, week int) (Date, bool) {
	fourth := DateOf(year, 1, 4)
	first := fourth - Date(floorMod(int(fourth.Weekday())-1, 7))
	monday := first + Date((week-1)*7)
	thursday := monday + 3
	return monday, week >= 1 && thursday.Year() == year
}

// ISOWeek is the number of the ISO 8601 week the day is in, 1 to 53.
func ISOWeek(d Date) int {
	thursday := d - Date(floorMod(int(d.Weekday())-1, 7)) + 3
	return int(thursday-DateOf(thursday.Year(), 1, 1))/7 + 1
}

// AppendTo appends the day as YYYY-MM-DD. It is on the way of every date of every row.
func (d Date) AppendTo(b []byte) []byte {
	y, m, day := d.YMD()
	if y >= 10_000 { // the last hours of the year 9999 are of the next one east of Greenwich
		b = append(b, byte('0'+y/10_000%10))
	}
	b = append(b, "0000-00-00"...)
	text := b[len(b)-len("0000-00-00"):]
	put2(text, y/100%100)
	put2(text[2:], y%100)
	put2(text[5:], m)
	put2(text[8:], day)
	return b
}

// String is the day as YYYY-MM-DD.
func (d Date) String() string { return string(d.AppendTo(make([]byte, 0, 10))) }

// Date is the day the date-time falls on.
func (t DateTime) Date() Date { return Date(floorDiv(int(t), secondsPerDay)) }

// Seconds is how far into its day the date-time is, in seconds.
func (t DateTime) Seconds() int { return floorMod(int(t), secondsPerDay) }

// IsMidnight tells whether a day starts at the date-time.
func (t DateTime) IsMidnight() bool { return t.Seconds() == 0 }

// AppendTo appends the date-time as YYYY-MM-DD, separator, HH:MM:SS.
func (t DateTime) AppendTo(b []byte, separator byte) []byte {
	return AppendClock(append(t.Date().AppendTo(b), separator), t.Seconds())
}

// AppendClock appends how far into a day a time is, in seconds, as HH:MM:SS.
func AppendClock(b []byte, seconds int) []byte {
	b = append(b, "00:00:00"...)
	text := b[len(b)-len("00:00:00"):]
	put2(text, seconds/3600)
	put2(text[3:], seconds/60%60)
	put2(text[6:], seconds%60)
	return b
}

// AppendFraction appends a fraction of a second, in millionths, as .25; nothing where there is
// none.
func AppendFraction(b []byte, micros int) []byte {
	if micros == 0 {
		return b
	}
	start := len(b)
	b = strconv.AppendInt(b, int64(1_000_000+micros), 10) // a one in front
	b[start] = '.'
	return bytes.TrimRight(b, "0")
}

// String is the date-time as YYYY-MM-DDTHH:MM:SS.
func (t DateTime) String() string { return string(t.AppendTo(make([]byte, 0, 19), 'T')) }

// put2 writes a number of two digits, a zero in front.
func put2(b []byte, n int) {
	_ = b[1]
	b[0], b[1] = byte('0'+n/10), byte('0'+n%10)
}

func floorDiv(a, b int) int {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}

func floorMod(a, b int) int { return a - floorDiv(a, b)*b }
