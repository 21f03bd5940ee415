package output

import (
	"math"
	"strconv"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/plan"
)

// kind tells how a cell is quoted by a format.
type kind uint8

const (
	blank kind = iota
	text
	number
	boolean
)

// cells turns fetched values into the text that people and files get.
type cells struct {
	columns []plan.Output
	clock   *civil.Clock
}

func newCells(h Header) cells {
	return cells{h.Columns, civil.NewClock(h.Location)}
}

// moneyPlaces is how many places the format money has.
const moneyPlaces = 2

// append appends the i-th cell of the row.
func (c *cells) append(b []byte, i int, row []any) ([]byte, kind) {
	column := &c.columns[i]
	if column.Formula.Is() {
		return appendValue(b, column.Formula.Of(row), &column.Column, column.Format)
	}
	value := row[column.Index]
	if value == nil {
		return b, blank
	}
	if date, isText := value.(string); isText {
		if out, ok := appendAsIs(b, date, column.Column.Encoding); ok {
			return out, text
		}
	}
	if column.Column.Encoding != "" {
		if stamp, ok := column.Column.Decode(value, c.clock); ok {
			return stamp.AppendTo(b, &column.Column, 'T'), text
		}
	}
	switch v := value.(type) {
	case int64:
		switch {
		case column.Type == catalog.Boolean:
			return strconv.AppendBool(b, v != 0), boolean
		case column.Format == "money":
			return appendDecimal(b, decimal.New(v, 0), column.Format), number
		}
		return strconv.AppendInt(b, v, 10), number
	case float64:
		return appendFloat(b, v, column.Format)
	case bool:
		return strconv.AppendBool(b, v), boolean
	case string:
		if column.Type.IsNumber() || column.Column.Stored.IsNumber() { // what is no date is shown as it is stored
			return appendExact(b, v, column.Format)
		}
		return append(b, v...), text
	case []byte:
		b = append(b, "("...)
		return append(strconv.AppendInt(b, int64(len(v)), 10), " bytes)"...), text
	}
	return append(b, "(cannot be shown)"...), text
}

// appendAsIs appends a date that is stored, or sent by its engine, in the form
// it is shown in: reading it first would change nothing.
func appendAsIs(b []byte, date string, e catalog.Encoding) ([]byte, bool) {
	switch {
	case len(date) == len("2026-03-31") && (e == catalog.EncDate || e == catalog.EncISODate):
		return append(b, date...), true // a day, or what is none and is shown as it is stored
	case len(date) == len("2026-03-31 08:30:15") && e == catalog.EncLocal && date[:4] != "0000" && date[5:7] != "00" && date[8:10] != "00":
		return append(append(append(b, date[:10]...), 'T'), date[11:]...), true
	}
	return b, false
}

// appendExact appends an exact decimal, which engines send as text, some with
// zeros at its end; what is not a number is text.
func appendExact(b []byte, v, format string) ([]byte, kind) {
	point := false
	for i := range len(v) {
		switch c := v[i]; {
		case c == '.':
			point = true
		case (c < '0' || c > '9') && !(i == 0 && c == '-'):
			return append(b, v...), text // NaN, Infinity
		}
	}
	if format != "" && format != "plain" {
		if d, err := decimal.NewFromString(v); err == nil {
			return appendDecimal(b, d, format), number
		}
	}
	if point {
		v = strings.TrimSuffix(strings.TrimRight(v, "0"), ".")
	}
	if v == "-0" {
		v = "0"
	}
	return append(b, v...), number
}

// appendValue appends a value that was worked out.
func appendValue(b []byte, value any, column *catalog.Column, format string) ([]byte, kind) {
	switch v := value.(type) {
	case decimal.Decimal:
		return appendDecimal(b, v, format), number
	case string:
		return append(b, v...), text
	case bool:
		return strconv.AppendBool(b, v), boolean
	case catalog.Stamp:
		return v.AppendTo(b, column, 'T'), text
	}
	return b, blank
}

func appendDecimal(b []byte, d decimal.Decimal, format string) []byte {
	if format == "money" {
		return append(b, d.StringFixedBank(moneyPlaces)...)
	}
	return append(b, d.String()...)
}

// appendFloat writes the shortest digits that mean the same number, never
// with an exponent; what is not a number is text.
func appendFloat(b []byte, v float64, format string) ([]byte, kind) {
	start := len(b)
	if v == 0 {
		v = 0 // there is no zero below zero
	}
	b = strconv.AppendFloat(b, v, 'f', -1, 64)
	if math.IsNaN(v) || math.IsInf(v, 0) {
		return b, text
	}
	if format == "" || format == "plain" {
		return b, number
	}
	d, err := decimal.NewFromString(string(b[start:]))
	if err != nil {
		return b, number // as long as it is a number, its digits are one
	}
	return appendDecimal(b[:start], d, format), number
}
