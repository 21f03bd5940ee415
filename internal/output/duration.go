package output

import (
	"encoding/json"
	"strings"

	"github.com/shopspring/decimal"
)

// The formats of durations: a number of hours, and one of minutes.
const (
	hours   = "hours"
	minutes = "minutes"
)

// isDuration tells whether numbers in a format are shown as durations.
func isDuration(format string) bool { return format == hours || format == minutes }

// DurationText is a number as its format shows it to people: of hours "27 h 45 min", of
// minutes "12 min 30 s", halves of the last rounded away from zero. It is false for what is
// no number, and for other formats.
func DurationText(number, format string) (text string, ok bool) {
	if !isDuration(format) {
		return "", false
	}
	d, err := decimal.NewFromString(number)
	if err != nil {
		return "", false
	}
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
	if text = strings.Join(parts, " "); left.IsNegative() {
		text = "-" + text
	}
	return text, true
}

// Text is the value of a total as people read it.
func (t Total) Text() string {
	if n, ok := t.Value.(json.Number); ok {
		if text, ok := DurationText(n.String(), t.Format); ok {
			return text
		}
	}
	return orBlank(t.Value)
}

// inDays is a duration as a spreadsheet counts it.
func inDays(number, format string) string {
	d, err := decimal.NewFromString(number)
	if err != nil {
		return number
	}
	day := decimal.New(24, 0)
	if format == minutes {
		day = decimal.New(24*60, 0)
	}
	return d.DivRound(day, maxDigits).String()
}
