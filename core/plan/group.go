package plan

import (
	"math/big"
	"reflect"
	"slices"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
)

// keyOutput adds a column that the records of a group have in common.
func (b *binder) keyOutput(s *Statement, out *Output, e criteria.Expr) {
	if plain, ok := e.(*criteria.Column); ok {
		out.Column = *orderedColumn(plain.Ref.Column)
	} else if criteria.RecordsOf(e) != nil {
		out.Column = *relatedColumn(e)
	} else {
		out.Column = *computedColumn(e, out.Type)
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

// settle makes places in the rows of the indexes: groups come first there, then the
// aggregates, and what is worked out while the rows pass at the end.
func (s *Selection) settle() {
	place := func(i int) int {
		switch {
		case i >= passingMark:
			return i - passingMark - len(s.Passing)
		case i >= aggregateMark:
			return i - aggregateMark + len(s.GroupBy)
		}
		return i
	}
	settled := func(f Formula) {
		for c, index := range f.columns {
			f.columns[c] = place(index)
		}
	}
	for i := range s.Outputs {
		s.Outputs[i].Index = place(s.Outputs[i].Index)
		settled(s.Outputs[i].Formula)
	}
	for _, p := range s.Passing {
		settled(p.x)
		for _, by := range p.by {
			settled(by)
		}
	}
}

// madeOutput adds a column that is made of aggregates, and of other groups: one that the
// database gives as it is shown is read, and all others are worked out of what it gives.
func (b *binder) madeOutput(s *Selection, out *Output, e criteria.Expr) {
	places := map[*criteria.Column]int{}
	index := func(c *criteria.Column) int { return places[c] }
	made := b.ofOthers(e, func(value Expr, c *catalog.Column) *criteria.Column {
		column := &criteria.Column{Ref: criteria.Ref{Column: c}}
		places[column] = aggregateMark + len(s.Aggregates)
		s.Aggregates = append(s.Aggregates, value)
		return column
	})
	made = b.madeOfGroups(s, made, places)
	made = b.passing(s, made, places, index)
	out.Column = *computedColumn(e, out.Type)
	if column, ok := made.(*criteria.Column); ok && column.Ref.Column.Type != catalog.Decimal && places[column] < passingMark {
		out.Column, out.Index = *column.Ref.Column, places[column]
		return
	}
	out.Formula = newFormula(made, b.calendar, index)
}

// madeOfGroups puts columns in the place of aggregates, and of what groups have in common.
func (b *binder) madeOfGroups(s *Selection, e criteria.Expr, places map[*criteria.Column]int) criteria.Expr {
	e = criteria.MapOwn(e, func(e criteria.Expr) criteria.Expr { // first, since a condition in one may be on such a column
		if aggregate, ok := criteria.OfGroup(e); ok {
			return b.madeOfGroup(&s.Statement, aggregate, places)
		}
		return e
	})
	return criteria.MapOwn(e, func(e criteria.Expr) criteria.Expr {
		at, ok := b.compiled.KeyOf(e)
		if c, column := e.(*criteria.Column); column {
			if _, made := places[c]; made {
				return e
			}
		}
		if !ok {
			return e
		}
		key, out := b.compiled.Columns[at], Output{Type: b.compiled.Columns[at].Type}
		b.keyOutput(&Statement{}, &out, key.Expr)
		place := slices.IndexFunc(s.GroupBy, func(other Expr) bool { return reflect.DeepEqual(other, b.ordered(b.value(key.Expr))) })
		if place < 0 {
			return e
		}
		column := &criteria.Column{Pos: e.At(), Name: key.Name, Ref: criteria.Ref{Column: &out.Column}}
		places[column] = place
		return column
	})
}

// madeOfGroup is one value of many records as an expression of columns that the
// database gives, and notes their places. Where it is made of factor * column +
// term, the database adds up the bare column and the rest is worked out exactly here.
func (b *binder) madeOfGroup(s *Statement, e *criteria.Aggregate, places map[*criteria.Column]int) criteria.Expr {
	where := b.chosen(e)
	given := func(made Aggregate, c *catalog.Column) *criteria.Column {
		made.Where = where
		column := &criteria.Column{Name: made.Name, Ref: criteria.Ref{Column: c}}
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
		return given(Aggregate{Name: e.Name}, &catalog.Column{Type: catalog.Integer})
	case e.Name == "count distinct":
		return given(Aggregate{Name: e.Name, X: b.ordered(e.X)}, &catalog.Column{Type: catalog.Integer})
	case !t.IsNumber():
		made := Aggregate{Name: e.Name, X: b.ordered(e.X)}
		if e.IsPlaced() {
			made = atPlace(e, made.X, false)
		}
		c := computedColumn(e.X, t)
		if plain, ok := e.X.(*criteria.Column); ok {
			c = orderedColumn(plain.Ref.Column)
		} else if t == catalog.DateTime {
			c.Encoding = catalog.EncISOLocal
		}
		return given(made, c)
	}
	x, factor, term := criteria.Linear(e.X)
	name := e.Name
	if factor.Sign() < 0 {
		if other := map[string]string{"least": "greatest", "greatest": "least"}[name]; other != "" {
			name = other
		}
	}
	made, decimals := b.translate(x), &catalog.Column{Type: catalog.Decimal}
	number := func(name string) criteria.Expr { return given(Aggregate{Name: name, X: made}, decimals) }
	switch name {
	case "median", "percentile":
		at := func(turned bool) criteria.Expr { return given(atPlace(e, made, turned), decimals) }
		return plus(times(middle(e, factor.Sign() < 0, at), factor), &criteria.Number{Value: ratio(term)})
	case "least", "greatest":
		return plus(times(number(name), factor), &criteria.Number{Value: ratio(term)})
	case "sum":
		sum := number("sum")
		if e.Where != nil { // of none it is 0
			sum = &criteria.Call{Name: "coalesce", Args: []criteria.Expr{sum, &criteria.Number{}}, Type: catalog.Decimal}
		}
		return summed(sum, number, factor, term)
	}
	return plus(calculated('/', times(number("sum"), factor), number("present")), &criteria.Number{Value: ratio(term)})
}

// summed is the sum of factor * x + term, given that of x; part gives how many there are.
func summed(sum criteria.Expr, part func(name string) criteria.Expr, factor, term *big.Rat) criteria.Expr {
	if sum = times(sum, factor); term.Sign() != 0 {
		sum = plus(sum, times(part("present"), term))
	}
	return sum
}

// atPlace is the value of x at the place of a median or a percentile.
func atPlace(e *criteria.Aggregate, x Expr, turned bool) Aggregate {
	return Aggregate{Name: "percentile", X: x, Place: placeOf(e, turned)}
}

// placeOf is where in the order of all values that of an aggregate stands; the other way
// round where they are turned.
func placeOf(e *criteria.Aggregate, turned bool) Place {
	share := int64(5000)
	if e.Percent != nil {
		share = e.Percent.Value.Shift(2).IntPart()
	}
	if turned {
		share = 10000 - share
	}
	return Place{share, turned}
}

// middle is what a median or a percentile is made of: at gives the value at a place, which
// can be turned round. Of numbers, a median is the average of the last of the lower half
// and the first of the upper.
func middle(e *criteria.Aggregate, turned bool, at func(turned bool) criteria.Expr) criteria.Expr {
	if e.Percent != nil {
		return at(turned)
	}
	return calculated('/', plus(at(false), at(true)), &criteria.Number{Value: decimal.New(2, 0)})
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
func computedColumn(e criteria.Expr, t catalog.Type) *catalog.Column {
	c := &catalog.Column{Type: t}
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
