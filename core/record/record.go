// Package record holds the records of a result: what the database returned, read
// once, and what was worked out of it. Totals, charts and every format take the
// same values.
package record

import (
	"math"
	"slices"
	"strconv"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
)

// Kind is what a value is.
type Kind uint8

// The kinds of values.
const (
	Blank   Kind = iota
	Text         // what people wrote
	Whole        // a whole number
	Float        // a binary fraction
	Digits       // a number as its digits, as databases send decimals
	Decimal      // a number that was worked out
	YesNo        // yes or no
	Written      // a date as text that is stored as it is shown
	Stamp        // a date or date-time
	Bytes        // so many bytes
	Unknown      // of a type that cannot be shown
)

// Emphasis is how a value stands out; the zero one does not.
type Emphasis uint8

// The ways to stand out.
const (
	Strong Emphasis = iota + 1
	Quiet
	Good
	Warning
	Bad
)

var emphases = []string{"", "strong", "quiet", "good", "warning", "bad"}

// EmphasisOf is the emphasis of a name.
func EmphasisOf(name string) Emphasis { return Emphasis(max(slices.Index(emphases, name), 0)) }

// String is its name.
func (e Emphasis) String() string { return emphases[e] }

// Value is one value of a record. The zero Value is blank.
type Value struct {
	kind Kind
	// Emphasis is how it stands out.
	Emphasis Emphasis

	offset  int32
	bits    int64 // a number, a yes, a time, or how many bytes
	text    string
	decimal *decimal.Decimal
}

// Record is the values of one record, one for each column that people see. It is
// valid until the next one only.
type Record []Value

// Kind tells what the value is.
func (v Value) Kind() Kind { return v.kind }

// Text is that of a Text, a Written date or Digits.
func (v Value) Text() string { return v.text }

// Int is a Whole number, or how many Bytes there are.
func (v Value) Int() int64 { return v.bits }

// Float is a Float.
func (v Value) Float() float64 { return math.Float64frombits(uint64(v.bits)) }

// Yes is a YesNo.
func (v Value) Yes() bool { return v.bits != 0 }

// Stamp is a Stamp.
func (v Value) Stamp() catalog.Stamp {
	return catalog.Stamp{At: civil.DateTime(v.bits), Fraction: v.text, Offset: int(v.offset)}
}

// Decimal is a number of any kind, exactly; false for one that is none.
func (v Value) Decimal() (decimal.Decimal, bool) {
	var d decimal.Decimal
	var err error
	switch v.kind {
	case Decimal:
		return *v.decimal, true
	case Whole:
		return decimal.New(v.bits, 0), true
	case Float: // what its digits say: NaN and the infinite are none
		d, err = decimal.NewFromString(strconv.FormatFloat(v.Float(), 'f', -1, 64))
	case Digits:
		d, err = decimal.NewFromString(v.text)
	default:
		return d, false
	}
	return d, err == nil
}

// Computed is a value that was worked out: a decimal, text, bool or catalog.Stamp, nil
// for blank.
func Computed(v any) Value {
	switch v := v.(type) {
	case decimal.Decimal:
		return Value{kind: Decimal, decimal: &v}
	case string:
		return Value{kind: Text, text: v}
	case bool:
		return yesNo(v)
	case catalog.Stamp:
		return stamp(v)
	}
	return Value{}
}

func yesNo(yes bool) Value {
	if yes {
		return Value{kind: YesNo, bits: 1}
	}
	return Value{kind: YesNo}
}

func stamp(s catalog.Stamp) Value {
	return Value{kind: Stamp, bits: int64(s.At), text: s.Fraction, offset: int32(s.Offset)}
}

// Of reads what a database returned for a column, see Set.
func Of(stored any, c *catalog.Column, clock *civil.Clock) (v Value) {
	v.Set(stored, c, clock)
	return v
}

// Set makes the value what a database returned for a column, as engine.Source
// hands it over. A date that does not fit its encoding is what it is stored as.
// It sets no more than the kind needs: it is called for every value there is.
func (v *Value) Set(stored any, c *catalog.Column, clock *civil.Clock) {
	if c.Encoding != "" {
		if text, ok := stored.(string); ok && written(text, c.Encoding) {
			v.kind, v.text = Written, text
			return
		}
		if s, ok := c.Decode(stored, clock); ok {
			v.kind, v.bits, v.text, v.offset = Stamp, int64(s.At), s.Fraction, int32(s.Offset)
			return
		}
	}
	switch x := stored.(type) {
	case nil:
		v.kind = Blank
	case string:
		v.kind, v.text = Text, x
		if c.Type.IsNumber() || c.Stored.IsNumber() {
			v.kind = Digits
		}
	case int64:
		v.kind, v.bits = Whole, x
		if c.Type == catalog.Boolean {
			*v = yesNo(x != 0)
		}
	case float64:
		v.kind, v.bits = Float, int64(math.Float64bits(x))
	case bool:
		*v = yesNo(x)
	case []byte:
		v.kind, v.bits = Bytes, int64(len(x))
	case catalog.MicrosText:
		v.kind, v.text = Text, string(x.AppendText(nil))
	default:
		v.kind = Unknown
	}
}

// written tells whether a date is stored, or sent by its engine, in the form it is
// shown in, but for a blank between day and time: reading it first would change
// nothing.
func written(date string, e catalog.Encoding) bool {
	switch {
	case len(date) == len("2026-03-31") && (e == catalog.EncDate || e == catalog.EncISODate):
		return true // a day, or what is none and is shown as it is stored
	case len(date) == len("2026-03-31 08:30:15") && e == catalog.EncLocal && date[:4] != "0000" && date[5:7] != "00" && date[8:10] != "00":
		return true
	}
	return false
}
