package plan

import (
	"strconv"

	"github.com/shopspring/decimal"

	"pikegate/core/criteria"
)

// Formula works out a computed column from a fetched row, exactly: in
// decimals, whatever numbers the database has. The zero Formula is none.
type Formula struct {
	expr criteria.Expr
	// columns maps each column of the expression to its fetched index.
	columns map[*criteria.Column]int
}

// Is tells whether there is a formula.
func (f Formula) Is() bool { return f.expr != nil }

// Of works the formula out; false means blank, which any blank operand and a
// division by zero give.
func (f Formula) Of(row []any) (decimal.Decimal, bool) { return f.of(f.expr, row) }

func (f Formula) of(e criteria.Expr, row []any) (decimal.Decimal, bool) {
	switch e := e.(type) {
	case *criteria.Column:
		return number(row[f.columns[e]])
	case *criteria.Number:
		return e.Value, true
	case *criteria.Negative:
		x, ok := f.of(e.X, row)
		return x.Neg(), ok
	case *criteria.Arithmetic:
		x, ok1 := f.of(e.Left, row)
		y, ok2 := f.of(e.Right, row)
		if !ok1 || !ok2 {
			return decimal.Decimal{}, false
		}
		return criteria.Calculate(e.Op, x, y)
	}
	return decimal.Decimal{}, false
}

// number reads a fetched number as a decimal.
func number(v any) (decimal.Decimal, bool) {
	switch v := v.(type) {
	case int64:
		return decimal.New(v, 0), true
	case float64:
		d, err := decimal.NewFromString(strconv.FormatFloat(v, 'f', -1, 64))
		return d, err == nil
	case string:
		d, err := decimal.NewFromString(v)
		return d, err == nil
	}
	return decimal.Decimal{}, false
}
