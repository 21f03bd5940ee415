package plan

import (
	"math/big"
	"reflect"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
)

// groupOutput adds a column of a query whose records are taken together: what
// they are grouped by, or one value made of all of a group.
func (b *binder) groupOutput(s *Statement, out *Output, e criteria.Expr) {
	aggregate, ok := criteria.OfGroup(e)
	if ok {
		b.aggregateOutput(s, out, aggregate)
		return
	}
	if plain, ok := e.(*criteria.Column); ok {
		out.Column = orderedColumn(plain.Ref.Column)
	} else if criteria.RecordsOf(e) != nil {
		out.Column = relatedColumn(e)
	} else {
		out.Column = computedColumn(e, out.Type)
		if out.Type == catalog.DateTime {
			out.Column.Encoding = catalog.EncISOLocal // as translate writes it
		}
	}
	out.Index = len(s.GroupBy)
	s.GroupBy = append(s.GroupBy, b.ordered(b.value(e)))
}

// aggregateMark tells an aggregate's index from a group's until the number of
// groups is known.
const aggregateMark = 1 << 16

// settle makes places in the rows of the indexes: groups come first there, and
// then the aggregates.
func (s *Selection) settle() {
	place := func(i int) int {
		if i >= aggregateMark {
			return i - aggregateMark + len(s.GroupBy)
		}
		return i
	}
	for i := range s.Outputs {
		out := &s.Outputs[i]
		out.Index = place(out.Index)
		for c, index := range out.Formula.columns {
			out.Formula.columns[c] = place(index)
		}
	}
}

// aggregateOutput adds one value of many records. Where it is made of factor *
// column + term, the database adds up the bare column and the rest is worked
// out exactly here.
func (b *binder) aggregateOutput(s *Statement, out *Output, e *criteria.Aggregate) {
	add := func(x Expr, name string) int {
		for i, other := range s.Aggregates { // a sum and an average share theirs
			if reflect.DeepEqual(other, Aggregate{name, x}) {
				return aggregateMark + i
			}
		}
		s.Aggregates = append(s.Aggregates, Aggregate{name, x})
		return aggregateMark + len(s.Aggregates) - 1
	}
	if e.X == nil || e.Name == "count distinct" {
		var x Expr
		if e.X != nil {
			x = b.ordered(b.value(e.X))
		}
		out.Index, out.Column = add(x, e.Name), catalog.Column{Type: catalog.Integer}
		return
	}
	if !out.Type.IsNumber() {
		x := b.value(e.X)
		out.Column = computedColumn(x, out.Type)
		if plain, ok := x.(*criteria.Column); ok {
			out.Column = orderedColumn(plain.Ref.Column)
		} else if out.Type == catalog.DateTime {
			out.Column.Encoding = catalog.EncISOLocal
		}
		out.Index = add(b.ordered(x), e.Name)
		return
	}
	x, factor, term := criteria.Linear(b.value(e.X))
	name := e.Name
	if factor.Sign() < 0 {
		name = map[string]string{"least": "greatest", "greatest": "least", "sum": "sum", "average": "average"}[name]
	}
	made := b.translate(x)
	formula := newFormula(&criteria.Blank{}, b.calendar, nil)
	column := func(aggregate string) criteria.Expr {
		c := &criteria.Column{Name: aggregate, Ref: criteria.Ref{Column: catalog.Column{Type: catalog.Decimal}}}
		formula.columns[c] = add(made, aggregate)
		return c
	}
	switch name {
	case "least", "greatest":
		formula.expr = plus(times(column(name), factor), &criteria.Number{Value: ratio(term)})
	case "sum":
		formula.expr = times(column("sum"), factor)
		if term.Sign() != 0 {
			formula.expr = plus(formula.expr, times(column("present"), term))
		}
	default:
		average := calculated('/', times(column("sum"), factor), column("present"))
		formula.expr = plus(average, &criteria.Number{Value: ratio(term)})
	}
	out.Formula = formula
}

func calculated(op byte, x, y criteria.Expr) criteria.Expr {
	return &criteria.Arithmetic{Op: op, Left: x, Right: y, Type: catalog.Decimal}
}

func plus(x, y criteria.Expr) criteria.Expr {
	if n, ok := y.(*criteria.Number); ok && n.Value.IsZero() {
		return x
	}
	return calculated('+', x, y)
}

// times multiplies before it divides, so that only the end can be rounded.
func times(x criteria.Expr, factor *big.Rat) criteria.Expr {
	if num := factor.Num(); !num.IsInt64() || num.Int64() != 1 {
		x = calculated('*', x, &criteria.Number{Value: decimal.NewFromBigInt(num, 0)})
	}
	if !factor.IsInt() {
		x = calculated('/', x, &criteria.Number{Value: decimal.NewFromBigInt(factor.Denom(), 0)})
	}
	return x
}

func ratio(r *big.Rat) decimal.Decimal { return decimal.NewFromBigRat(r, 12) }

// computedColumn is how a computed value is shown: a date-time with its offset
// where it was made of instants.
func computedColumn(e criteria.Expr, t catalog.Type) catalog.Column {
	c := catalog.Column{Type: t}
	switch t {
	case catalog.Date:
		c.Encoding = catalog.EncISODate
	case catalog.DateTime:
		criteria.WalkOwn(e, func(e criteria.Expr) {
			column, plain := e.(*criteria.Column)
			aggregate, made := e.(*criteria.Aggregate)
			switch {
			case c.Encoding != "":
			case plain:
				c.Encoding = column.Ref.Column.Encoding
			case made && aggregate.X != nil:
				c.Encoding = computedColumn(aggregate.X, t).Encoding
			}
		})
	}
	return c
}
