package output

import (
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/plan"
	"pikegate/core/record"
)

// kind tells how a cell is quoted by a format.
type kind uint8

const (
	blank kind = iota
	text
	number
	boolean
)

// cells turns values into the text that people and files get.
type cells struct {
	columns []plan.Output
	shown   Shown
	// once tells, by column, the level of the group in whose first record alone it is shown,
	// and fresh whether that is the next record; nil where there is none.
	once   []int
	fresh  []bool
	groups []Grouping
}

func newCells(h Header) cells {
	c := cells{columns: h.Columns, shown: NewShown(h), groups: h.Groups}
	for level, g := range h.Groups {
		at := slices.IndexFunc(h.Columns, func(column plan.Output) bool { return g.Once && column.Name == g.Of })
		if at < 0 {
			continue
		}
		if c.once == nil {
			c.once, c.fresh = slices.Repeat([]int{-1}, len(h.Columns)), make([]bool, len(h.Columns))
		}
		c.once[at] = level
	}
	return c
}

// opened takes note that a group begins.
func (c *cells) opened(level int) {
	for i, at := range c.once {
		c.fresh[i] = c.fresh[i] || at >= level
	}
}

// isHeaded tells whether the head of a group is shown.
func (c *cells) isHeaded(level int) bool { return level < len(c.groups) && c.groups[level].Head }

// passed takes note that a record was shown.
func (c *cells) passed() { clear(c.fresh) }

// isRepeated tells whether a column was shown with a record before it.
func (c *cells) isRepeated(i int) bool { return c.once != nil && c.once[i] >= 0 && !c.fresh[i] }

// moneyPlaces is how many places the format money has.
const moneyPlaces = 2

// append appends the i-th cell of a record.
func (c *cells) append(b []byte, i int, r record.Record) ([]byte, kind) {
	column, v := &c.columns[i], &r[i]
	switch v.Kind() {
	case record.Blank:
		return b, blank
	case record.Text:
		return append(b, v.Text()...), text
	case record.Written:
		b = append(b, v.Text()...)
		if n := len(v.Text()); n > len("2026-03-31") {
			b[len(b)-n+len("2026-03-31")] = 'T'
		}
		return b, text
	case record.Stamp:
		return v.Stamp().AppendTo(b, &column.Column, 'T'), text
	case record.Whole:
		if column.Format == "money" {
			return appendDecimal(b, decimal.New(v.Int(), 0), column.Format), number
		}
		return strconv.AppendInt(b, v.Int(), 10), number
	case record.Digits:
		return appendExact(b, v.Text(), column.Format)
	case record.Decimal:
		d, _ := v.Decimal()
		return appendDecimal(b, d, column.Format), number
	case record.Float:
		return appendFloat(b, v.Float(), column.Format)
	case record.YesNo:
		return strconv.AppendBool(b, v.Yes()), boolean
	case record.Bytes:
		b = append(b, "("...)
		return append(strconv.AppendInt(b, v.Int(), 10), " bytes)"...), text
	}
	return append(b, "(cannot be shown)"...), text
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
	if format == "money" {
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
		return append(b, d.StringFixed(moneyPlaces)...) // halves away from zero, as round() does
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
