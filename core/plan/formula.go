package plan

import (
	"cmp"
	"strings"
	"time"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/evaluate"
	"pikegate/core/record"
)

// Formula works out a computed column from a fetched row. The zero Formula is
// none.
type Formula struct {
	expr criteria.Expr
	// columns maps each column of the expression to its fetched index.
	columns   map[*criteria.Column]int
	evaluator *evaluate.Evaluator
}

// Is tells whether there is a formula.
func (f Formula) Is() bool { return f.expr != nil }

// Of works the formula out: a decimal, text, bool or catalog.Stamp, nil for
// blank.
func (f Formula) Of(row []any) any {
	v := f.evaluator.Value(f.expr, row)
	if n, ok := v.(decimal.Decimal); ok && n.Exponent() < -criteria.ShownPlaces {
		return n.Round(criteria.ShownPlaces)
	}
	return v
}

// newFormula prepares an expression to be worked out for row after row: its
// conditions are simplified once.
func newFormula(e criteria.Expr, calendar civil.Calendar, index func(*criteria.Column) int) Formula {
	f := Formula{expr: criteria.SimplifyWithin(e, calendar), columns: map[*criteria.Column]int{}}
	clock := civil.NewClock(cmp.Or(calendar.Zone, time.UTC))
	f.evaluator = evaluate.New(calendar, func(c *criteria.Column, row []any) any {
		at := f.columns[c]
		if at < 0 {
			at += len(row)
		}
		return fetched(row[at], c.Ref.Column, clock)
	})
	criteria.Walk(f.expr, func(e criteria.Expr) {
		if c, ok := e.(*criteria.Column); ok {
			f.columns[c] = index(c)
		}
	})
	return f
}

// fetched is a fetched value as formulas see it.
func fetched(v any, c *catalog.Column, clock *civil.Clock) any {
	switch v.(type) {
	case nil, decimal.Decimal, catalog.Stamp:
		return v // worked out already
	}
	if c.Shape == ratioShape {
		return quotient(record.Of(v, &catalog.Column{Type: catalog.Text}, clock).Text())
	}
	made := operand(record.Of(v, c, clock), c, clock)
	if made == nil && c.Encoding != "" {
		return evaluate.Unfit
	}
	return made
}

// ratioShape is that of a column which holds a Ratio.
const ratioShape = "ratio"

// quotient does the division of a Ratio.
func quotient(ratio string) any {
	sum, count, _ := strings.Cut(ratio, "/")
	x, err1 := decimal.NewFromString(sum)
	y, err2 := decimal.NewFromString(count)
	if err1 != nil || err2 != nil {
		return nil
	}
	if made, ok := criteria.Calculate('/', x, y); ok {
		return made
	}
	return nil
}

// operand is a value as formulas see it: a decimal, text, bool or catalog.Stamp;
// nil for blanks, and for dates that do not fit.
func operand(v record.Value, c *catalog.Column, clock *civil.Clock) any {
	switch v.Kind() {
	case record.Stamp:
		return v.Stamp()
	case record.Written:
		if stamp, ok := c.Decode(v.Text(), clock); ok {
			return stamp
		}
		return nil
	case record.YesNo:
		return v.Yes()
	case record.Text:
		if c.Encoding != "" || c.Type.IsNumber() {
			return nil
		}
		return v.Text()
	case record.Whole, record.Float, record.Digits, record.Decimal:
		d, ok := v.Decimal()
		switch {
		case !ok || c.Encoding != "" && v.Kind() != record.Decimal:
			return nil
		case v.Kind() == record.Decimal || c.Type.IsNumber() || c.Type == "": // not known before its values
			return d
		}
		return d.String()
	}
	return nil
}
