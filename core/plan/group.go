package plan

import (
	"math/big"
	"reflect"
	"slices"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
)

// groupOutput adds a column of a query whose records are taken together: what
// they are grouped by, or a value made of all of a group.
func (b *binder) groupOutput(s *Statement, out *Output, e criteria.Expr) {
	if criteria.HasAggregate(e) {
		b.aggregateOutput(s, out, e)
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

// aggregateOutput adds a column that is made of aggregates: one that the database
// gives as it is shown is read, and all others are worked out of what it gives.
func (b *binder) aggregateOutput(s *Statement, out *Output, e criteria.Expr) {
	places := map[*criteria.Column]int{}
	made := criteria.MapOwn(b.value(e), func(e criteria.Expr) criteria.Expr {
		if aggregate, ok := criteria.OfGroup(e); ok {
			return b.madeOfGroup(s, aggregate, places)
		}
		return e
	})
	out.Column = computedColumn(e, out.Type)
	if column, ok := made.(*criteria.Column); ok && column.Ref.Column.Type != catalog.Decimal {
		out.Column, out.Index = column.Ref.Column, places[column]
		return
	}
	out.Formula = newFormula(made, b.calendar, func(c *criteria.Column) int { return places[c] })
}

// madeOfGroup is one value of many records as an expression of columns that the
// database gives, and notes their places. Where it is made of factor * column +
// term, the database adds up the bare column and the rest is worked out exactly here.
func (b *binder) madeOfGroup(s *Statement, e *criteria.Aggregate, places map[*criteria.Column]int) criteria.Expr {
	where := b.chosen(e)
	given := func(x Expr, name string, c catalog.Column) *criteria.Column {
		column := &criteria.Column{Name: name, Ref: criteria.Ref{Column: c}}
		made := Aggregate{name, x, where}
		at := slices.IndexFunc(s.Aggregates, func(other Expr) bool { return reflect.DeepEqual(other, made) }) // a sum and an average share theirs
		if at < 0 {
			at = len(s.Aggregates)
			s.Aggregates = append(s.Aggregates, made)
		}
		places[column] = aggregateMark + at
		return column
	}
	t := criteria.TypeOf(e)
	switch {
	case e.X == nil:
		return given(nil, e.Name, catalog.Column{Type: catalog.Integer})
	case e.Name == "count distinct":
		return given(b.ordered(e.X), e.Name, catalog.Column{Type: catalog.Integer})
	case !t.IsNumber():
		c := computedColumn(e.X, t)
		if plain, ok := e.X.(*criteria.Column); ok {
			c = orderedColumn(plain.Ref.Column)
		} else if t == catalog.DateTime {
			c.Encoding = catalog.EncISOLocal
		}
		return given(b.ordered(e.X), e.Name, c)
	}
	x, factor, term := criteria.Linear(e.X)
	name := e.Name
	if factor.Sign() < 0 {
		name = map[string]string{"least": "greatest", "greatest": "least", "sum": "sum", "average": "average"}[name]
	}
	made := b.translate(x)
	number := func(name string) *criteria.Column { return given(made, name, catalog.Column{Type: catalog.Decimal}) }
	switch name {
	case "least", "greatest":
		return plus(times(number(name), factor), &criteria.Number{Value: ratio(term)})
	case "sum":
		sum := criteria.Expr(number("sum"))
		if e.Where != nil { // of none it is 0
			sum = &criteria.Call{Name: "coalesce", Args: []criteria.Expr{sum, &criteria.Number{}}, Type: catalog.Decimal}
		}
		if sum = times(sum, factor); term.Sign() != 0 {
			sum = plus(sum, times(number("present"), term))
		}
		return sum
	}
	return plus(calculated('/', times(number("sum"), factor), number("present")), &criteria.Number{Value: ratio(term)})
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

func ratio(r *big.Rat) decimal.Decimal { return decimal.NewFromBigRat(r, criteria.ShownPlaces) }

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
