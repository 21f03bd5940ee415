package format

import (
	"strings"

	"github.com/shopspring/decimal"
)

// The formats of durations: a number of hours, and one of minutes.
const (
	hours   = "hours"
	minutes = "minutes"
)

// duration is a number of hours as "27 h 45 min", one of minutes as "12 min 30 s", halves
// of the last rounded away from zero.
func duration(d decimal.Decimal, format string) string {
	whole, part := " h", " min"
	if format == minutes {
		whole, part = " min", " s"
	}
	left := d.Mul(decimal.New(60, 0)).Round(0)
	most, least := left.Abs().QuoRem(decimal.New(60, 0), 0)
	var parts []string
	if !most.IsZero() {
		parts = append(parts, most.String()+whole)
	}
	if !least.IsZero() || parts == nil {
		parts = append(parts, least.String()+part)
	}
	text := strings.Join(parts, " ")
	if left.IsNegative() {
		text = "-" + text
	}
	return text
}

// Days is a duration as a spreadsheet counts it, with so many digits at the most.
func (c Column) Days(number string, digits int32) string {
	d, err := decimal.NewFromString(number)
	if err != nil {
		return number
	}
	day := decimal.New(24, 0)
	if c.duration == minutes {
		day = decimal.New(24*60, 0)
	}
	return d.DivRound(day, digits).String()
}
