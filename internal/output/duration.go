package output

import (
	"encoding/json"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/numeral"
)

// The formats of durations: a number of hours, and one of minutes.
const (
	hours   = "hours"
	minutes = "minutes"
)

// isDuration tells whether numbers in a format are shown as durations.
func isDuration(format string) bool { return format == hours || format == minutes }

// numberFormat is how numbers are shown to people; the zero one shows their digits.
type numberFormat struct {
	duration string // hours, minutes or nothing
	pattern  *numeral.Pattern
}

func formatOf(format string) (f numberFormat) {
	switch {
	case isDuration(format):
		f.duration = format
	case format != "" && format != "plain" && format != "money":
		if p, err := numeral.Parse(format); err == nil { // else told by the check
			f.pattern = &p
		}
	}
	return f
}

// text is a number as the format shows it; false for what is no number, and where it is
// shown by its digits.
func (f numberFormat) text(number string) (text string, ok bool) {
	if f.duration == "" && f.pattern == nil {
		return "", false
	}
	d, err := decimal.NewFromString(number)
	switch {
	case err != nil:
		return "", false
	case f.pattern != nil:
		return f.pattern.Format(d), true
	}
	return durationText(d, f.duration), true
}

// NumberText is a number as its format shows it to people; false for what is no number, and
// where it is shown by its digits.
func NumberText(number, format string) (text string, ok bool) { return formatOf(format).text(number) }

// durationText is a number of hours as "27 h 45 min", one of minutes as "12 min 30 s", halves
// of the last rounded away from zero.
func durationText(d decimal.Decimal, format string) string {
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

// Text is the value of a total as people read it.
func (t Total) Text() string {
	if n, ok := t.Value.(json.Number); ok {
		if text, ok := NumberText(n.String(), t.Format); ok {
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
