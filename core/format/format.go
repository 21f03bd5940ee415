// Package format is how values are shown to people: numbers, durations, dates and date-times,
// yes and no, and what stands where there is nothing. Files for programs have values as they
// are instead.
package format

import (
	"strings"
	"time"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
)

// Named are the formats of numbers that have a name; others are patterns.
var Named = []string{"plain", "money", "hours", "minutes"}

// Words stand in the place of yes, no and nothing. What is left out is yes, no, and nothing.
type Words struct {
	Yes   string `yaml:"yes" json:"yes,omitempty" doc:"What stands for yes" example:"open"`
	No    string `yaml:"no" json:"no,omitempty" doc:"What stands for no" example:"closed"`
	Blank string `yaml:"blank" json:"blank,omitempty" doc:"What stands where there is nothing" example:"never paid"`
}

// Place is for whom values are shown. Zone tells on which days clocks change. Without a
// language, numbers are written as in English and dates as ISO 8601 has them.
type Place struct {
	Language Language
	Zone     *time.Location
}

// Column is how the values of one column are shown. The zero Column shows them as they are.
type Column struct {
	Type     catalog.Type
	Words    Words
	place    Place
	plain    bool
	duration string
	number   *Number
	date     *Date
}

var money, _ = ParseNumber("#,##0.00")

// Of is how the values of a type are shown in a format, which has been checked: one that is
// not of the type shows them as without it.
func (p Place) Of(t catalog.Type, format string, words Words) Column {
	c := Column{Type: t, Words: words, place: p, plain: format == "plain"}
	if t.IsDate() {
		if format == "" && p.Language.Tag != "" {
			format = "medium"
		}
		if d, err := ParseDate(format, t == catalog.DateTime, p.Language); err == nil {
			c.date = &d
		}
		return c
	}
	switch format {
	case "", "plain":
	case "money":
		c.number = &money
	case hours, minutes:
		c.duration = format
	default:
		if n, err := ParseNumber(format); err == nil {
			c.number = &n
		}
	}
	return c
}

// Check says what is wrong with a format for values of a type, or of one that is not known
// where that is empty.
func Check(format string, t catalog.Type) error {
	if t.IsDate() {
		_, err := ParseDate(format, t == catalog.DateTime, English)
		return err
	}
	_, err := ParseNumber(format)
	if t == "" && err != nil {
		if _, ofDates := ParseDate(format, true, English); ofDates == nil {
			return nil
		}
	}
	return err
}

// Number shows a number, given by its digits. What has none is shown as it is.
func (c Column) Number(digits string) string {
	if c.duration == "" && c.number == nil {
		return c.digits(digits)
	}
	d, err := decimal.NewFromString(digits)
	switch {
	case err != nil:
		return digits
	case c.number != nil:
		return c.number.Format(d, c.place.Language)
	}
	return duration(d, c.duration)
}

// digits shows a number with all its digits; those of decimals are grouped, while whole
// numbers may be names rather than quantities.
func (c Column) digits(digits string) string {
	l := c.place.Language
	if l.Tag == "" && (c.plain || c.Type != catalog.Decimal) {
		return digits
	}
	sign, rest := "", digits
	if strings.HasPrefix(rest, "-") {
		sign, rest = "-", rest[1:]
	}
	whole, places, point := strings.Cut(rest, ".")
	for _, part := range []string{whole, places} {
		if strings.Trim(part, "0123456789") != "" {
			return digits
		}
	}
	if !c.plain && c.Type == catalog.Decimal {
		whole = grouped(whole, 3, 3, l)
	}
	if point {
		places = l.decimal() + places
	}
	return sign + whole + places
}

// Date shows a day or a moment, given as ISO 8601 has it. Anything else is shown as it is.
func (c Column) Date(text string) string {
	m, ok := MomentOf(text)
	switch {
	case !ok:
		return text
	case c.date == nil:
		if m.IsDay {
			return text
		}
		return text[:10] + " " + text[11:]
	}
	return c.date.Format(m, c.clocksChange(m))
}

// clocksChange tells whether the clocks of the zone change on the day of a moment.
func (c Column) clocksChange(m Moment) bool {
	if c.place.Zone == nil || m.IsDay {
		return false
	}
	year, month, day := m.Time.Date()
	_, before := time.Date(year, month, day, 0, 0, 0, 0, c.place.Zone).Zone()
	_, after := time.Date(year, month, day+1, 0, 0, 0, 0, c.place.Zone).Zone()
	return before != after
}

// YesNo shows yes or no.
func (c Column) YesNo(yes bool) string {
	word, other := "yes", c.Words.Yes
	if !yes {
		word, other = "no", c.Words.No
	}
	if other != "" {
		return other
	}
	return word
}

// Workbook is the format of the column's cells in a workbook (ECMA-376); false where it has
// none of its own, and where workbooks have none like it.
func (c Column) Workbook() (code string, ok bool) {
	switch {
	case c.date != nil:
		return c.date.Workbook()
	case c.number != nil:
		return c.number.Workbook()
	}
	return "", false
}

// IsDuration tells whether numbers are shown as durations.
func (c Column) IsDuration() bool { return c.duration != "" }
