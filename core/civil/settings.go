package civil

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"pikegate/core/diag"
)

// Settings are the calendar context as it is written, in options and in
// definitions; an empty field leaves the context as it is.
type Settings struct {
	Use           string `yaml:"use" json:"use,omitempty" doc:"The calendar of the organisation, with its holidays, named periods and fiscal year" example:"waterway"`
	Zone          string `yaml:"zone" json:"zone,omitempty" doc:"The IANA zone in which days begin and end" example:"Europe/London"`
	WeekStart     string `yaml:"week_start" json:"week_start,omitempty" doc:"The first day of the week" example:"monday" enum:"monday,tuesday,wednesday,thursday,friday,saturday,sunday"`
	FiscalStart   string `yaml:"fiscal_start" json:"fiscal_start,omitempty" doc:"The month the fiscal year starts in, 1 to 12" example:"4"`
	FiscalNamedBy string `yaml:"fiscal_named_by" json:"fiscal_named_by,omitempty" doc:"Whether a fiscal year has the name of the calendar year it starts or ends in" example:"end" enum:"start,end"`
	DateOrder     string `yaml:"date_order" json:"date_order,omitempty" doc:"How 03/04/2026 is read" example:"dmy" enum:"dmy,mdy,language"`
	MissingYear   string `yaml:"missing_year" json:"missing_year,omitempty" doc:"Which year 15 May is in: the latest such day that is not after today, the one of this year, or the next" example:"latest" enum:"latest,running,next"`
	TwoDigitYears string `yaml:"two_digit_years" json:"two_digit_years,omitempty" doc:"The first of the hundred years that years of two digits are in" example:"1970"`
}

// Apply sets what the settings say. Load finds a zone by its IANA name.
func (s Settings) Apply(c Calendar, load func(name string) (*time.Location, error)) (Calendar, diag.Problems) {
	var problems diag.Problems
	fail := func(field, text, message, hint string) {
		p := diag.At(text, 0, len(text), "bad_calendar", message)
		p.Field, p.Hint, p.Source = field, hint, text
		problems = append(problems, p)
	}
	if s.Zone != "" {
		zone, err := load(s.Zone)
		if err != nil {
			fail("zone", s.Zone, fmt.Sprintf("There is no zone %q.", s.Zone), "Write an IANA name, such as Europe/London.")
		} else {
			c.Zone = zone
		}
	}
	if s.WeekStart != "" {
		day, ok := WeekdayOf(s.WeekStart)
		if !ok {
			fail("week_start", s.WeekStart, fmt.Sprintf("%q is not a day of the week.", s.WeekStart), "Write monday, sunday or another.")
		}
		c.WeekStart = day
	}
	if s.FiscalStart != "" {
		month, err := strconv.Atoi(s.FiscalStart)
		if err != nil || month < 1 || month > 12 {
			fail("fiscal_start", s.FiscalStart, fmt.Sprintf("%q is not a month.", s.FiscalStart), "Write a number from 1 to 12.")
			month = 1
		}
		c.FiscalStart = month
	}
	switch s.FiscalNamedBy {
	case "":
	case "start", "end":
		c.FiscalByStart = s.FiscalNamedBy == "start"
	default:
		fail("fiscal_named_by", s.FiscalNamedBy, fmt.Sprintf("%q is neither start nor end.", s.FiscalNamedBy), "Write start or end.")
	}
	switch order := DateOrder(s.DateOrder); order {
	case OrderNone:
	case OrderDMY, OrderMDY, OrderLanguage:
		c.Order = order
	default:
		fail("date_order", s.DateOrder, fmt.Sprintf("%q is not a date order.", s.DateOrder), "Write dmy, mdy or language.")
	}
	switch missing := MissingYear(s.MissingYear); missing {
	case YearNone:
	case YearLatest, YearRunning, YearNext:
		c.Missing = missing
	default:
		fail("missing_year", s.MissingYear, fmt.Sprintf("%q does not say which year is meant.", s.MissingYear), "Write latest, running or next.")
	}
	if s.TwoDigitYears != "" {
		first, err := strconv.Atoi(s.TwoDigitYears)
		if err != nil || first < MinYear || first > MaxYear-99 {
			fail("two_digit_years", s.TwoDigitYears, fmt.Sprintf("%q is not the first of a hundred years.", s.TwoDigitYears), "Write a year, such as 1970: 69 is 2069 then.")
			first = 0
		}
		c.Century = first
	}
	return c, problems
}

// WeekdayOf is the weekday of a name in English, whatever its case.
func WeekdayOf(text string) (time.Weekday, bool) {
	for d := time.Sunday; d <= time.Saturday; d++ {
		if strings.EqualFold(d.String(), text) {
			return d, true
		}
	}
	return time.Monday, false
}
