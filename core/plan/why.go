package plan

import (
	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/core/period"
)

// The sides of a condition a record can be on.
const (
	Fails int64 = iota
	Meets
	Before // of a date condition: fails it by being too early
	After  // … or too late
)

// Bounds is a condition that is nothing but a stretch of time for one column.
type Bounds struct {
	Column *criteria.Column
	Span   period.Span
}

// Kept is how the least and the greatest value of the column, as Why has them,
// are read.
func (b Bounds) Kept() catalog.Column { return orderedColumn(b.Column.Ref.Column) }

// boundsOf reads a simplified condition as bounds.
func boundsOf(e criteria.Expr) (Bounds, bool) {
	switch e := e.(type) {
	case *criteria.Known:
		if implies(e.X, e.Where) {
			return boundsOf(e.X)
		}
	case *criteria.Within:
		column, ok := e.X.(*criteria.Column)
		return Bounds{column, e.Period.(*criteria.Span).Span}, ok
	case *criteria.Compare:
		column, ok := e.Left.(*criteria.Column)
		span, dated := e.Right.(*criteria.Span)
		if !ok || !dated {
			return Bounds{}, false
		}
		if e.Op == "<" {
			return Bounds{column, period.Span{From: civil.Start, Until: span.Span.From}}, true
		}
		return Bounds{column, period.Span{From: span.Span.From, Until: civil.End}}, true
	}
	return Bounds{}, false
}

// Reasons is how to find out why no record matches.
type Reasons struct {
	// Sides groups the joined records by the side of each condition they are
	// on, which are counted; for each date condition it has the earliest and
	// the latest date of the group.
	Sides Statement
	// Records counts the records of the table, before any join.
	Records Statement
	// Conditions are those of the run that restrict anything, in order, and
	// Places where each stands among the query's. Dates tells, for each, what
	// its bounds are, if it is nothing else.
	Conditions []Condition
	Having     []Condition // those on groups, which are not counted
	Places     []int
	Dates      []*Bounds
}

// Why makes the two statements that explain a result without records, however
// many conditions there are.
func Why(c *definition.Compiled, values parameter.Values, ctx civil.Context) Reasons {
	b := binder{compiled: c, given: values, ctx: ctx}
	r := Reasons{
		Sides:   Statement{From: Table{c.From.Table.Name, c.From.Alias}, DateIndex: -1, Aggregates: []Expr{Aggregate{Name: "count"}}},
		Records: Statement{From: Table{c.From.Table.Name, c.From.Alias}, DateIndex: -1, Aggregates: []Expr{Aggregate{Name: "count"}}},
	}
	b.from(&r.Sides)
	whole := Statement{}
	b.where(&whole)
	r.Having = whole.Having
	for i, condition := range whole.Where {
		if condition.Expr == nil {
			continue
		}
		side := Expr(Value{Fails})
		bounds, dated := boundsOf(condition.Bare)
		if dated {
			r.Dates = append(r.Dates, &bounds)
			beyond := func(op string, t civil.DateTime, where int64) {
				side = If{all(b.bound(&criteria.Compare{Op: op, Left: bounds.Column}, t), Fits{bounds.Column.Ref}), Value{where}, side}
			}
			if !bounds.Span.OpenEnd() {
				beyond(">=", bounds.Span.Until, After)
			}
			if !bounds.Span.OpenStart() {
				beyond("<", bounds.Span.From, Before)
			}
			column := b.ordered(bounds.Column)
			r.Sides.Aggregates = append(r.Sides.Aggregates, Aggregate{"least", column}, Aggregate{"greatest", column})
		} else {
			r.Dates = append(r.Dates, nil)
		}
		r.Sides.GroupBy = append(r.Sides.GroupBy, If{condition.Expr, Value{Meets}, side})
		r.Conditions, r.Places = append(r.Conditions, condition), append(r.Places, i)
	}
	return r
}

// Edges is how to find the records nearest to the period of a run.
type Edges struct {
	// Column and Span are the date criterion of the run.
	Column *criteria.Column
	Span   period.Span
	// Before and After fetch one date each: the latest before the period and
	// the earliest after it, of records that meet everything else; nil where
	// that side is open.
	Before, After *Statement
}

// EdgesOf tells how to find the edges of a statement; false where it has no
// date criterion, or where that is not a matter of one stretch of time.
func EdgesOf(c *definition.Compiled, s Statement, ctx civil.Context) (Edges, bool) {
	if c.Criteria == nil || c.SQL != nil {
		return Edges{}, false
	}
	column := dateColumn(c.Criteria)
	if column == nil {
		return Edges{}, false
	}
	edges := Edges{Column: column, Span: period.All}
	b := binder{compiled: c, ctx: ctx}
	var rest []Condition
	for _, condition := range s.Where {
		if condition.Bare == nil {
			continue
		}
		bounds, ok := boundsOf(condition.Bare)
		if !ok || !bounds.Column.Same(column) {
			condition.Expr = b.condition(condition.Bare, false)
			rest = append(rest, condition)
			continue
		}
		edges.Span.From = max(edges.Span.From, bounds.Span.From)
		edges.Span.Until = min(edges.Span.Until, bounds.Span.Until)
	}
	nearest := func(op string, t civil.DateTime) *Statement {
		if t == civil.Start || t == civil.End {
			return nil
		}
		bound := all(b.bound(&criteria.Compare{Op: op, Left: column}, t), Fits{column.Ref})
		return &Statement{
			Fetch: []criteria.Ref{column.Ref}, From: s.From, Joins: s.Joins, DateIndex: -1, Limit: 1,
			Where: append(rest[:len(rest):len(rest)], Condition{Expr: bound}),
			Sort:  []SortKey{{Expr: b.ordered(column), Descending: op == "<"}},
		}
	}
	edges.Before, edges.After = nearest("<", edges.Span.From), nearest(">=", edges.Span.Until)
	if edges.Before == nil && edges.After == nil {
		return Edges{}, false
	}
	return edges, true
}
