package plan

import (
	"slices"

	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/period"
)

// Edges is how to find the records nearest to the period of a run.
type Edges struct {
	// Column and Span are the date criterion of the run.
	Column *criteria.Column
	Span   period.Span
	// Before and After fetch one date each: the latest before the period and
	// the earliest after it, of records that meet everything else; nil where
	// that side is open.
	Before, After *Statement
	// NearBefore and NearAfter are the same within a month of the period, to be asked
	// first where the others may have to read much; nil where they need not.
	NearBefore, NearAfter *Statement
	// Once fetches both, those that are not nil, in one reading of the table, where no index
	// begins with the column and each by itself would read all of it. Counts tells that its
	// last column is what LeftOut counts.
	Once   *Statement
	Counts bool
	// Parts are those of the queries of a union, which has none of its own.
	Parts []Edges
}

// Unread is without the statements that find them.
func (e Edges) Unread() Edges {
	e.Before, e.After, e.Once = nil, nil, nil
	e.Parts = slices.Clone(e.Parts)
	for i := range e.Parts {
		e.Parts[i] = e.Parts[i].Unread()
	}
	return e
}

// Edges tells how to find the edges of a statement of records; false where it has
// no date criterion, or where that is not a matter of one stretch of time.
func (p Planner) Edges(s Statement) (Edges, bool) {
	c := p.Query
	if c.Parts != nil {
		return p.edgesOfParts(s)
	}
	switch {
	case c.SQL != nil:
		return p.edgesByHand(s)
	case c.Criteria == nil:
		return Edges{}, false
	}
	column := criteria.DateColumn(c.Criteria)
	if column == nil {
		return Edges{}, false
	}
	edges := Edges{Column: column, Span: period.All}
	b := p.binder(nil)
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
	with := func(e Expr) []Condition { return append(rest[:len(rest):len(rest)], Condition{Expr: e}) }
	once, any := Statement{From: s.From, Joins: s.Joins, DateIndex: -1}, Logic{Or: true}
	take := func(e Expr, aggregate Aggregate) {
		aggregate.Where = e
		once.Aggregates, any.Terms = append(once.Aggregates, aggregate), append(any.Terms, e)
	}
	nearest := func(op, which string, t civil.DateTime) *Statement {
		if t == civil.Start || t == civil.End {
			return nil
		}
		bound := b.fitting(b.bound(column, op, t, column), column.Ref)
		take(bound, Aggregate{Name: which, X: Column{column.Ref}})
		return &Statement{
			Fetch: []Fetched{{Ref: column.Ref}}, From: s.From, Joins: s.Joins, DateIndex: -1, Limit: 1,
			Where: with(bound), Sort: []SortKey{{Expr: b.ordered(column), Descending: op == "<"}},
		}
	}
	edges.Before, edges.After = nearest("<", "greatest", edges.Span.From), nearest(">=", "least", edges.Span.Until)
	if edges.Before == nil && edges.After == nil {
		return Edges{}, false
	}
	if !b.indexed(column.Ref) && column.Ref.Column.Orders() && !b.compiled.TableOf(column.Ref.Alias).View {
		if edges.Counts = b.countsUnfit(s, column); edges.Counts {
			take(Unfit(column.Ref), Aggregate{Name: "count"})
		}
		once.Where = with(any)
		edges.Once = &once
	}
	return edges, true
}

// countsUnfit tells whether what a statement leaves out for a date that does not fit is what
// meets all conditions but those that bound one column, and is none there.
func (b *binder) countsUnfit(s Statement, column *criteria.Column) bool {
	if b.trusts(column.Ref) || !WorthCounting(column.Ref.Column) {
		return false
	}
	for _, condition := range s.Where {
		if condition.Bare == nil {
			continue
		}
		if bounds, ok := boundsOf(condition.Bare); ok && bounds.Column.Same(column) {
			continue
		}
		if slices.ContainsFunc(datedColumns(condition.Bare), func(c *criteria.Column) bool { return !b.trusts(c.Ref) }) {
			return false
		}
	}
	return true
}
