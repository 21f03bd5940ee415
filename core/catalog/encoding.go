package catalog

import (
	"errors"
	"fmt"
	"math"
	"strconv"
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

// ErrFiner means that a bound falls inside the smallest unit the column stores.
var ErrFiner = errors.New("catalog: the bound is finer than the column")

// Bound is the value that parts records before the civil date-time from those
// at or after it, for a bare comparison with the column (>= for a start, < for
// an end): text, int64 or float64, as the column stores it.
func (c Column) Bound(at civil.DateTime, zone *time.Location) (any, error) {
	if c.Encoding.Type() == Date && !at.IsMidnight() {
		return nil, ErrFiner
	}
	switch c.Encoding {
	case EncDate, EncISODate:
		return at.Date().String(), nil
	case EncLocal, EncISOLocal:
		return c.isoBound(at), nil
	case EncInstant, EncISOInstant:
		return c.isoBound(civil.DateTime(civil.InstantOf(at, zone))), nil
	case EncYMD:
		y, m, d := at.Date().YMD()
		return c.number(int64(y*10000 + m*100 + d)), nil
	case EncYM:
		y, m, d := at.Date().YMD()
		switch {
		case d != 1:
			return nil, ErrFiner
		case len(c.Example) == len("2026-03"):
			return at.Date().String()[:7], nil
		}
		return c.number(int64(y*100 + m)), nil
	case EncUnixS:
		return c.number(int64(civil.InstantOf(at, zone))), nil
	case EncUnixMS:
		return c.number(int64(civil.InstantOf(at, zone)) * 1_000), nil
	case EncUnixUS:
		return c.number(int64(civil.InstantOf(at, zone)) * 1_000_000), nil
	case EncSerial1900:
		return serialBound(at), nil
	}
	return nil, fmt.Errorf("catalog: column %s has no date encoding", c.Name)
}

// ComparesWith tells whether dates of the two columns are stored alike, so that
// they can be compared as they are.
func (c Column) ComparesWith(d Column) bool {
	return c.Encoding == d.Encoding && c.Stored == d.Stored && c.separator() == d.separator() && len(c.Example) == len(d.Example)
}

// number keeps whole numbers that are stored as text comparable as text.
func (c Column) number(n int64) any {
	if c.Stored == Text {
		return strconv.FormatInt(n, 10)
	}
	return n
}

// isoBound is the shortest text that parts what is before from what is at or
// after: a day at midnight (right for both separators), minutes where seconds
// are zero; so that 08:30, 08:30:00Z and 08:30:00.000 all come after it.
func (c Column) isoBound(at civil.DateTime) string {
	b := at.AppendTo(make([]byte, 0, 19), c.separator())
	switch {
	case at.IsMidnight():
		b = b[:10]
	case at.Seconds()%60 == 0:
		b = b[:16]
	}
	return string(b)
}

// separator stands between the date and the time in text.
func (c Column) separator() byte {
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
	if math.IsNaN(serial) || serial < 0 || serial > 3_000_000 {
		return 0, false
	}
	day := math.Floor(serial)
	seconds := civil.DateTime(math.Round((serial - day) * 86400))
	if day < 60 {
		day++
	}
	return (civil.DateOf(1899, 12, 30) + civil.Date(day)).Midnight() + seconds, true
}
