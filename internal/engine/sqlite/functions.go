package sqlite

import (
	"math"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/evaluate"
)

// functions take the place of SQLite's own: those know capitals in ASCII only,
// and round what a binary fraction happens to be instead of the number it
// stands for.
var functions = map[string]any{
	"lower":     func(v any) any { return onText(v, strings.ToLower) },
	"upper":     func(v any) any { return onText(v, strings.ToUpper) },
	"round":     round,
	"floor":     func(v any) any { return whole(v, math.Floor) },
	"ceil":      func(v any) any { return whole(v, math.Ceil) },
	"split":     split,
	"pad_left":  func(v, with, n any) any { return padded(v, with, n, true) },
	"pad_right": func(v, with, n any) any { return padded(v, with, n, false) },
	"number_of": numberOf,
	"is_date":   isDate,
	"date_text": dateText,
	"time_text": timeText,
}

// dated is how a column with dates is read; the zone is that of its text.
type dated struct {
	column catalog.Column
	clock  *civil.Clock
}

// dates are those that were asked for, by encoding and zone. A process answers one
// statement at a time.
var dates = map[[2]string]*dated{}

func datedOf(encoding, zone string) (*dated, error) {
	if d, ok := dates[[2]string{encoding, zone}]; ok {
		return d, nil
	}
	place, err := time.LoadLocation(zone)
	if err != nil {
		return nil, err
	}
	name, asText := strings.CutSuffix(encoding, " as text")
	c := catalog.Column{Encoding: catalog.Encoding(name)}
	laidOut := c.Encoding.IsLayout()
	switch c.Type = c.Encoding.Type(); {
	case laidOut || asText || c.Encoding.IsTimedText():
		c.Stored = catalog.Text
	default:
		c.Stored = catalog.Integer
	}
	d := &dated{c, civil.NewClock(place)}
	dates[[2]string{encoding, zone}] = d
	return d, nil
}

// stampOf reads a value; false for one that is no date.
func stampOf(v any, encoding, zone string) (catalog.Stamp, bool, error) {
	d, err := datedOf(encoding, zone)
	if err != nil {
		return catalog.Stamp{}, false, err
	}
	stamp, ok := d.column.Decode(v, d.clock)
	return stamp, ok, nil
}

// isDate is is_date(value, encoding): whether it is a date as the encoding has it.
func isDate(v any, encoding string) (bool, error) {
	_, ok, err := stampOf(v, encoding, "UTC")
	return ok, err
}

// dateText is date_text(value, encoding, zone): the day of a date-time by the
// clocks of the zone, blank for what is none.
func dateText(v any, encoding, zone string) (any, error) {
	stamp, ok, err := stampOf(v, encoding, zone)
	if !ok {
		return nil, err
	}
	return stamp.At.Date().String(), nil
}

// timeText is time_text(value, encoding, zone): the same to the nanosecond.
func timeText(v any, encoding, zone string) (any, error) {
	stamp, ok, err := stampOf(v, encoding, zone)
	if !ok {
		return nil, err
	}
	const none = ".000000000"
	return string(append(append(stamp.At.AppendTo(nil, 'T'), stamp.Fraction...), none[len(stamp.Fraction):]...)), nil
}

// split is split(text, separator, n): its nth part, blank where there are fewer.
func split(v, separator any, nth int64) any {
	text, ok := v.(string)
	by, _ := separator.(string)
	if parts := strings.Split(text, by); ok && nth <= int64(len(parts)) {
		return parts[nth-1]
	}
	return nil
}

// padded is a text with a character at one of its ends until it has so many.
func padded(v, with, length any, left bool) any {
	text, ok := v.(string)
	if !ok {
		return v
	}
	n, _ := length.(int64)
	by, _ := with.(string)
	padding := strings.Repeat(by, max(int(n)-utf8.RuneCountInString(text), 0))
	if left {
		return padding + text
	}
	return text + padding
}

// numberOf is number_of(text, mark): the number that a text is, blank for what is none.
func numberOf(v any, mark string) any {
	text, ok := v.(string)
	n, isNumber := evaluate.NumberOf(text, mark).(decimal.Decimal)
	switch {
	case !ok || !isNumber:
		return nil
	case n.IsInteger() && n.BigInt().IsInt64():
		return n.IntPart()
	}
	f, _ := n.Float64()
	return f
}

func onText(v any, change func(string) string) any {
	if text, ok := v.(string); ok {
		return change(text)
	}
	return v
}

// whole makes a whole number of one that is not; one that has no room stays a
// fraction.
func whole(v any, to func(float64) float64) any {
	f, ok := v.(float64)
	if !ok {
		return v // whole already, or blank
	}
	if f = to(f); f >= math.MinInt64 && f < math.MaxInt64 {
		return int64(f)
	}
	return f
}

// maxPlaces is how many decimal places round keeps; a binary fraction has no
// more that mean anything.
const maxPlaces = 30

// round rounds halves away from zero, to so many decimal places or none.
func round(v any, places ...any) any {
	f, ok := v.(float64)
	if !ok {
		return v // whole already, or blank
	}
	d, err := decimal.NewFromString(strconv.FormatFloat(f, 'f', -1, 64))
	if err != nil {
		return v
	}
	n := int64(0)
	if len(places) > 0 {
		n, _ = places[0].(int64)
		n = max(-maxPlaces, min(n, maxPlaces))
	}
	rounded, _ := d.Round(int32(n)).Float64()
	return rounded
}
