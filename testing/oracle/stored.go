package oracle

import (
	"math"
	"math/big"
	"regexp"
	"strconv"
	"strings"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/civil"
)

// Typed makes a record's value of a column from what is stored in it, by the
// standard library's own reading of dates.
func Typed(c catalog.Column, stored any, zone *time.Location) any {
	if stored == nil {
		return nil
	}
	if c.Encoding != "" {
		at, ok := Time(c, stored)
		first := time.Date(1, 1, 1, 0, 0, 0, 0, time.UTC)
		if c.Encoding.IsInstant() { // of the year 1 in every zone
			first = first.AddDate(0, 0, 1)
		}
		if !ok || at.Before(first) || at.Year() > 9999 {
			return Unfit{stored}
		}
		m := Moment{At: civilOf(at), Day: c.Type == catalog.Date, Nanos: at.Nanosecond()}
		if c.Encoding.IsInstant() {
			instant := civil.Instant(at.Unix())
			m.Instant, m.At = &instant, civilOf(at.In(zone))
		}
		return m
	}
	switch v := stored.(type) {
	case int64:
		if c.Type == catalog.Boolean {
			return v != 0
		}
		return big.NewRat(v, 1)
	case float64:
		r, _ := new(big.Rat).SetString(strconv.FormatFloat(v, 'f', -1, 64))
		return r
	}
	return stored
}

// civilOf is what a clock that shows the time says.
func civilOf(t time.Time) civil.DateTime {
	return civil.DateOf(t.Year(), int(t.Month()), t.Day()).Midnight() + civil.DateTime(t.Hour()*3600+t.Minute()*60+t.Second())
}

var (
	timed  = regexp.MustCompile(`^(\d{4}-\d\d-\d\d)([T ](\d\d:\d\d)(:\d\d(\.\d{1,9})?)?(Z|\+00(:00)?)?)?$`)
	number = regexp.MustCompile(`^-?\d{1,18}$`)
)

// Time reads a stored date as a time in UTC; false for what is none.
func Time(c catalog.Column, stored any) (time.Time, bool) {
	text, isText := stored.(string)
	whole, isWhole := stored.(int64)
	parse := func(layout, s string) (time.Time, bool) {
		t, err := time.Parse(layout, s)
		return t, err == nil && len(layout) == len(s)
	}
	switch c.Encoding {
	case catalog.EncDate, catalog.EncISODate:
		return parse("2006-01-02", text)
	case catalog.EncYMD:
		if isWhole {
			text = strconv.FormatInt(whole, 10)
		}
		return parse("20060102", text)
	case catalog.EncUnixS, catalog.EncUnixMS, catalog.EncUnixUS:
		if isText {
			n, err := strconv.ParseInt(text, 10, 64)
			whole, isWhole = n, err == nil && number.MatchString(text)
		}
		switch c.Encoding {
		case catalog.EncUnixMS:
			return time.UnixMilli(whole).UTC(), isWhole
		case catalog.EncUnixUS:
			return time.UnixMicro(whole).UTC(), isWhole
		}
		return time.Unix(whole, 0).UTC(), isWhole
	case catalog.EncSerial1900:
		f, ok := stored.(float64)
		if !ok || f < 0 || f >= 2958466 {
			return time.Time{}, false
		}
		if f < 60 {
			f++
		}
		return time.Date(1899, 12, 30, 0, 0, int(math.Round(f*86400)), 0, time.UTC), true
	}
	if c.Encoding.Check() == nil && !c.Encoding.IsTimedText() && !c.Encoding.IsNative() {
		return laidOut(string(c.Encoding), text)
	}
	m := timed.FindStringSubmatch(text)
	if m == nil {
		return time.Time{}, false
	}
	clock, seconds := m[3], m[4]
	if clock == "" {
		clock = "00:00"
	}
	if seconds == "" {
		seconds = ":00"
	}
	t, err := time.Parse("2006-01-02 15:04:05", strings.TrimSpace(m[1]+" "+clock+seconds))
	return t, err == nil
}

// German are the names of months in German, in full and short.
var German = [13][2]string{
	1: {"Januar", "Jan"},
	{"Februar", "Feb"},
	{"März", "März"},
	{"April", "Apr"},
	{"Mai", "Mai"},
	{"Juni", "Juni"},
	{"Juli", "Juli"},
	{"August", "Aug"},
	{"September", "Sept"},
	{"Oktober", "Okt"},
	{"November", "Nov"},
	{"Dezember", "Dez"},
}

var (
	dotted   = regexp.MustCompile(`^(\d{1,2})\.(\d{1,2})\.(\d{4})$`)
	named    = regexp.MustCompile(`^(\d{1,2})\. ([\pL]+)\.? (\d{4})( \d{1,2}:\d\d(:\d\d)?)?$`)
	american = regexp.MustCompile(`^(\d{1,2})/(\d{1,2})/(\d\d) (\d{1,2}):(\d\d) (am|AM|pm|PM)$`)
	slashed  = regexp.MustCompile(`^\d{4}/\d\d/\d\d \d\d:\d\d:\d\d$`)
)

// laidOut reads a text in one of the layouts that the tests have.
func laidOut(layout, text string) (time.Time, bool) {
	parse := func(layout, text string) (time.Time, bool) {
		t, err := time.Parse(layout, text)
		return t, err == nil
	}
	switch layout {
	case "D.M.Y":
		if !dotted.MatchString(text) {
			return time.Time{}, false
		}
		return parse("2.1.2006", text)
	case "D. Mon Y[ h:m[:s]] in german":
		m := named.FindStringSubmatch(text)
		if m == nil {
			return time.Time{}, false
		}
		for month, names := range German {
			for _, name := range names {
				if name == "" || !strings.EqualFold(m[2], name) {
					continue
				}
				clock := m[4]
				switch {
				case clock == "":
					clock = " 0:00:00"
				case m[5] == "":
					clock += ":00"
				}
				return parse("2 1 2006 15:04:05", m[1]+" "+strconv.Itoa(month)+" "+m[3]+clock)
			}
		}
		return time.Time{}, false
	case "M/D/YY h:m am from 1970":
		m := american.FindStringSubmatch(text)
		if m == nil {
			return time.Time{}, false
		}
		century := "20"
		if m[3] >= "70" {
			century = "19"
		}
		if hour, _ := strconv.Atoi(m[4]); hour == 0 {
			return time.Time{}, false
		}
		return parse("1/2/2006 3:04PM", m[1]+"/"+m[2]+"/"+century+m[3]+" "+m[4]+":"+m[5]+strings.ToUpper(m[6]))
	case "Y/MM/DD hh:m:s":
		if !slashed.MatchString(text) {
			return time.Time{}, false
		}
		return parse("2006/01/02 15:04:05", text)
	}
	panic("oracle: no reading of the layout " + layout)
}
