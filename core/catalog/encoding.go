package catalog

import (
	"errors"
	"fmt"
	"math"
	"time"

	"pikegate/core/civil"
)

// Encoding is how a date or date-time is physically stored.
type Encoding string

// The encodings. Those that begin with iso are text.
const (
	EncDate       Encoding = "date"        // a date of the engine's own
	EncInstant    Encoding = "instant"     // a date-time with zone of the engine's own
	EncLocal      Encoding = "local"       // a date-time without zone of the engine's own
	EncISODate    Encoding = "iso-date"    // 2026-03-31
	EncISOLocal   Encoding = "iso-local"   // 2026-03-31T08:30:15, T or blank, with or without a fraction
	EncISOInstant Encoding = "iso-instant" // the same in UTC, with or without Z
	EncYMD        Encoding = "ymd"         // 20260331, whole number or text
	EncYM         Encoding = "ym"          // 202603 as number; 202603 or 2026-03 as text
	EncUnixS      Encoding = "unix-s"      // seconds of Unix time
	EncUnixMS     Encoding = "unix-ms"     // milliseconds
	EncUnixUS     Encoding = "unix-us"     // microseconds
	EncSerial1900 Encoding = "serial-1900" // spreadsheet day numbers, 1 is 1 January 1900
)

// Encodings lists every encoding.
var Encodings = []Encoding{
	EncDate, EncInstant, EncLocal, EncISODate, EncISOLocal, EncISOInstant,
	EncYMD, EncYM, EncUnixS, EncUnixMS, EncUnixUS, EncSerial1900,
}

// Type is what a column in this encoding holds.
func (e Encoding) Type() Type {
	switch e {
	case EncDate, EncISODate, EncYMD, EncYM:
		return Date
	}
	if l, ok := e.Layout(); ok && !l.Timed() {
		return Date
	}
	return DateTime
}

// IsInstant tells whether the encoding fixes a point in time, whatever the zone.
func (e Encoding) IsInstant() bool {
	switch e {
	case EncInstant, EncISOInstant, EncUnixS, EncUnixMS, EncUnixUS:
		return true
	}
	return false
}

// What can keep a civil time from being a bound of a column.
var (
	// ErrFiner means that it falls inside the smallest unit the column stores.
	ErrFiner = errors.New("catalog: the bound is finer than the column")
	// ErrEarlier and ErrLater mean that every value of the column is at or
	// after it, or before it: it is not in the years 1 to 9999.
	ErrEarlier = errors.New("catalog: the bound is before every value")
	ErrLater   = errors.New("catalog: the bound is after every value")
)

// Beyond is the moment after the last one that a stored value can mean.
var Beyond = civil.DateOf(civil.MaxYear+1, 1, 1).Midnight()

// First is the first moment that a stored value can mean: of instants a day
// later than of others, so that it is of the year 1 in every zone.
func (c *Column) First() civil.DateTime {
	if c.Encoding.IsInstant() {
		return civil.DateOf(civil.MinYear, 1, 2).Midnight()
	}
	return civil.DateOf(civil.MinYear, 1, 1).Midnight()
}

// Stored is a civil time by the clocks that the column is stored by: in UTC
// for instants. The error is one of those above.
func (c *Column) StoredTime(at civil.DateTime, zone *time.Location) (civil.DateTime, error) {
	if c.Encoding.Type() == Date && !at.IsMidnight() {
		return 0, ErrFiner
	}
	if c.Encoding == EncYM {
		if _, _, d := at.Date().YMD(); d != 1 {
			return 0, ErrFiner
		}
	}
	if c.Encoding.IsInstant() {
		at = civil.DateTime(civil.InstantOf(at, zone))
	}
	switch {
	case at < c.First():
		return 0, ErrEarlier
	case at >= Beyond:
		return 0, ErrLater
	}
	return at, nil
}

// Bound is the value that parts records before the civil date-time from those
// at or after it, for a bare comparison with the column (>= for a start, < for
// an end): text, int64 or float64, as the column stores it. In a text of
// date-times it is one that parts those with the column's own separator. It is of
// no use where the column does not compare.
func (c *Column) Bound(at civil.DateTime, zone *time.Location) (any, error) {
	at, err := c.StoredTime(at, zone)
	if err != nil {
		return nil, err
	}
	switch c.Encoding {
	case EncDate, EncISODate:
		return at.Date().String(), nil
	case EncLocal, EncISOLocal, EncInstant, EncISOInstant:
		return IsoBound(at, c.Separator()), nil
	case EncYMD:
		y, m, d := at.Date().YMD()
		return c.number(int64(y*10000+m*100+d), 8), nil
	case EncYM:
		y, m, _ := at.Date().YMD()
		if c.Hyphened() {
			return at.Date().String()[:7], nil
		}
		return c.number(int64(y*100+m), 6), nil
	case EncUnixS, EncUnixMS, EncUnixUS:
		return int64(at) * c.Encoding.PerSecond(), nil
	case EncSerial1900:
		return serialBound(at), nil
	}
	if l, ok := c.Encoding.Layout(); ok {
		if l.Sorts() {
			return l.bound(at), nil
		}
		return IsoBound(at, 'T'), nil
	}
	return nil, fmt.Errorf("catalog: column %s has no date encoding", c.Name)
}

// PerSecond is how many units of a count of Unix time make a second.
func (e Encoding) PerSecond() int64 {
	switch e {
	case EncUnixMS:
		return 1_000
	case EncUnixUS:
		return 1_000_000
	}
	return 1
}

// IsUnix tells whether the encoding counts from 1970.
func (e Encoding) IsUnix() bool { return e == EncUnixS || e == EncUnixMS || e == EncUnixUS }

// IsCount tells whether the dates are a count of time, whatever it is kept as.
func (e Encoding) IsCount() bool { return e.IsUnix() || e == EncSerial1900 }

// IsTimedText tells whether the encoding is a date-time written as text, whose
// separator, fraction and zone may differ from value to value.
func (e Encoding) IsTimedText() bool { return e == EncISOLocal || e == EncISOInstant }

// Hyphened tells whether months are stored as 2026-03.
func (c *Column) Hyphened() bool { return c.Stored != Integer && len(c.Example) == len("2026-03") }

// AfterEveryText comes after every date that is written as text.
const AfterEveryText = ":"

// IsNative tells whether the dates are the engine's own, which it keeps in order.
func (e Encoding) IsNative() bool { return e == EncDate || e == EncLocal || e == EncInstant }

// Compares tells whether the stored values that fit can be compared with a Bound: not texts of
// numbers, nor those in a layout that does not begin with the year.
func (c *Column) Compares() bool {
	if l, ok := c.Encoding.Layout(); ok {
		return l.Sorts()
	}
	return c.Stored != Text || !c.Encoding.IsCount()
}

// Orders tells whether the stored values sort as the times they mean: those of
// an engine's own do, others where all are known to be written alike.
func (c *Column) Orders() bool {
	if c.Encoding == "" || c.Encoding.IsNative() {
		return true
	}
	l, ok := c.Encoding.Layout()
	return c.Shape != "" && (!ok || l.Sorts())
}

// Reliable tells whether every value was looked at and fits. Where they are
// written alike too, there is a Layout.
func (c *Column) Reliable() bool { return c.Whole && c.Unfit == 0 }

// ComparesWith tells whether dates of the two columns can be compared as they
// are stored, once they are known to fit.
func (c *Column) ComparesWith(d *Column) bool {
	return c.Encoding == d.Encoding && c.Stored == d.Stored && !c.Encoding.IsTimedText() && c.Hyphened() == d.Hyphened() &&
		c.Compares()
}

// number is a whole number of so many digits, as text where that is how it is
// stored: with its leading zeros, so that it compares as text.
func (c *Column) number(n int64, digits int) any {
	if c.Stored == Text {
		return fmt.Sprintf("%0*d", digits, n)
	}
	return n
}

// IsoBound is the shortest text that parts what is before from what is at or
// after: a day at midnight (right for both separators), minutes where seconds
// are zero; so that 08:30, 08:30:00Z and 08:30:00.000 all come after it.
func IsoBound(at civil.DateTime, separator byte) string {
	b := at.AppendTo(make([]byte, 0, 19), separator)
	switch {
	case at.IsMidnight():
		b = b[:10]
	case at.Seconds()%60 == 0:
		b = b[:16]
	}
	return string(b)
}

// Separator stands between the date and the time in most texts of the column.
func (c *Column) Separator() byte {
	if len(c.Example) > 10 && c.Example[10] == ' ' {
		return ' '
	}
	return 'T'
}

// serialBound counts days from 1899-12-30; before March 1900 the numbers are
// one less, since the scheme holds a 29 February 1900 that never was. A time
// of day is a fraction; the bound stands half a second early, so that
// rounding in the stored fraction does no harm.
func serialBound(at civil.DateTime) any {
	serial := int64(at.Date() - civil.DateOf(1899, 12, 30))
	if serial <= 60 {
		serial--
	}
	if at.IsMidnight() {
		return serial
	}
	return float64(serial) + (float64(at.Seconds())-0.5)/86400
}

// SerialDate is the day of a spreadsheet day number, and the second of the day.
func SerialDate(serial float64) (civil.DateTime, bool) {
	if math.IsNaN(serial) || serial < 0 || serial >= 2_958_466 {
		return 0, false
	}
	day := math.Floor(serial)
	seconds := civil.DateTime(math.Round((serial - day) * 86400))
	if day < 60 {
		day++
	}
	return (civil.DateOf(1899, 12, 30) + civil.Date(day)).Midnight() + seconds, true
}
