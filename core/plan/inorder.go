package plan

import (
	"slices"
	"strconv"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/diag"
)

type (
	// Rank is the place of a row among those that have the same By, from the greatest X
	// down or, Ascending, from the least up. Those with the same X share the first of
	// their places; a blank one has none.
	Rank struct {
		X         Expr
		By        []Expr
		Ascending bool
		// Nullable tells that X can be blank.
		Nullable bool
	}
	// Over is an aggregate of all rows that have the same By, for each of them.
	Over struct {
		Of Aggregate
		By []Expr
	}
)

func (Rank) isExpr() {}
func (Over) isExpr() {}

// First leaves the first N rows, in an order, of those that have the same By.
type First struct {
	N    int64
	By   []Expr
	Sort []SortKey
}

// first is how many records the criteria leave, if they say so and the question was
// answered.
func (b *binder) first() (*criteria.First, bool) {
	if b.compiled.Criteria == nil {
		return nil, false
	}
	_, firsts := criteria.TakeFirst(b.compiled.Criteria)
	if firsts == nil || criteria.Asks(firsts[0].N, b.missing) {
		return nil, false
	}
	return firsts[0], true
}

// sortAndFirst sets the order of a statement and which of its rows are left: those that
// come first by the query's own order, whatever that of the view is.
func (b *binder) sortAndFirst(s *Statement, view []definition.SortKey) {
	b.sort(s, b.compiled.Sort)
	if first, ok := b.first(); ok {
		n := b.value(first.N).(*criteria.Number)
		if names := criteria.Parameters(first.N); n.Value.Sign() <= 0 && names != nil { // else told by the check
			b.problems = append(b.problems, diag.Problem{Code: "bad_number", Field: names[0], Message: "How many records are left is a whole number from 1 on.", Hint: "Give 1 or more, or leave it blank for all."})
		}
		s.First = &First{N: n.Value.IntPart()}
		for _, key := range first.By {
			s.First.By = append(s.First.By, b.ordered(b.value(key)))
		}
		if first.Of != nil {
			of := b.ordered(b.value(first.Of))
			s.First.Sort = []SortKey{{Expr: of, Descending: first.Which == "greatest", Nullable: canBeBlank(of, first.Of)}}
		}
		s.First.Sort = append(s.First.Sort, s.Sort...)
		s.Said = append(s.Said, b.said(first))
	}
	if len(view) > 0 {
		s.Sort = nil
		b.sort(s, view)
	}
}

// ranked tells whether the rows of a statement depend on each other, so that what does not
// fit has to be left out before they are returned.
func (b *binder) ranked() bool {
	_, first := b.first()
	return first || slices.ContainsFunc(b.compiled.Columns, func(c definition.CompiledColumn) bool {
		found := false
		criteria.Walk(c.Expr, func(e criteria.Expr) {
			value, ok := e.(*criteria.InOrder)
			found = found || ok && value.FromDatabase()
		})
		return found
	})
}

// ofOthers puts columns in the place of what the database gives of other rows: add has a
// statement return a value, and gives its column.
func (b *binder) ofOthers(e criteria.Expr, add func(value Expr, c *catalog.Column) *criteria.Column) criteria.Expr {
	given := func(e criteria.Expr) bool {
		n, ok := e.(*criteria.InOrder)
		return ok && n.FromDatabase()
	}
	return criteria.ReplaceOwn(e, given, func(e criteria.Expr) criteria.Expr {
		n := e.(*criteria.InOrder)
		if n.Name == "rank" {
			return add(b.rank(n), &catalog.Column{Type: catalog.Integer})
		}
		x, factor, term := criteria.Linear(n.X)
		made := b.translate(x)
		over := func(name string) criteria.Expr {
			return add(Over{Aggregate{Name: name, X: made}, b.keys(n.By)}, &catalog.Column{Type: catalog.Decimal})
		}
		total := times(over("sum"), factor)
		if term.Sign() != 0 {
			total = plus(total, times(over("present"), term))
		}
		return calculated('/', n.X, total)
	})
}

func (b *binder) rank(e *criteria.InOrder) Expr {
	x := b.ordered(e.X)
	column, plain := x.(Column)
	return Rank{x, b.keys(e.By), e.Ascending, !plain || column.Ref.Nullable}
}

// inOrder is a value that the database gives of other rows, where it is sorted by.
func (b *binder) inOrder(e *criteria.InOrder) Expr {
	if e.Name == "rank" {
		return b.rank(e)
	}
	x := b.translate(e.X)
	return Arithmetic{'/', x, Over{Aggregate{Name: "sum", X: x}, b.keys(e.By)}}
}

func (b *binder) keys(by []criteria.Expr) []Expr {
	var keys []Expr
	for _, key := range by {
		keys = append(keys, b.ordered(key))
	}
	return keys
}

// Passing is a value that is made of the rows through the one that passes: what is made of
// X is kept for each combination of By.
type Passing struct {
	previous  bool
	aggregate string
	x         Formula // none for a count
	by        []Formula
}

// passingMark tells the place of such a value from those of a row until their number is
// known; they then count from the end.
const passingMark = 1 << 17

// passing puts columns in the place of values that are worked out while the rows pass, and
// notes their places.
func (b *binder) passing(s *Selection, e criteria.Expr, places map[*criteria.Column]int, index func(*criteria.Column) int) criteria.Expr {
	return criteria.ReplaceOwn(e, criteria.IsInOrder, func(e criteria.Expr) criteria.Expr {
		n := e.(*criteria.InOrder)
		t := criteria.TypeOf(n)
		made := Passing{previous: n.Name == "previous"}
		if !made.previous {
			made.aggregate = n.Name[len("running "):]
		}
		c := &catalog.Column{Type: t}
		if n.X != nil {
			made.x, c = newFormula(n.X, b.calendar, index), computedColumn(n.X, t)
		}
		for _, key := range n.By {
			made.by = append(made.by, newFormula(key, b.calendar, index))
		}
		s.Passing = append(s.Passing, made)
		column := &criteria.Column{Pos: n.Pos, Name: n.Name, Ref: criteria.Ref{Column: c}}
		places[column] = passingMark + len(s.Passing) - 1
		return column
	})
}

// passed is what is kept of the rows that have passed, for one combination of keys.
type passed struct {
	accumulator
	last any
}

// next works the value out for a row, given what is kept.
func (p *Passing) next(kept map[string]*passed, row []any) any {
	key := ""
	for _, by := range p.by {
		part := text(by.Of(row))
		key += strconv.Itoa(len(part)) + ":" + part
	}
	so := kept[key]
	if so == nil {
		so = &passed{}
		kept[key] = so
	}
	if p.previous {
		last := so.last
		so.last = p.x.Of(row)
		return last
	}
	if !p.x.Is() {
		so.count++
	} else if v := p.x.Of(row); v != nil {
		so.add(p.aggregate, v)
	}
	return so.made(p.aggregate)
}
