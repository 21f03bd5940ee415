package plan

import (
	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/period"
)

// Bounds is a condition that is nothing but a stretch of time for one column.
type Bounds struct {
	Column *criteria.Column
	Span   period.Span
}

// Kept is how the least and the greatest value of the column, as Why has them,
// are read.
func (b Bounds) Kept() *catalog.Column { return orderedColumn(b.Column.Ref.Column) }

// boundsOf reads a simplified condition as bounds.
func boundsOf(e criteria.Expr) (Bounds, bool) {
	switch e := e.(type) {
	case *criteria.Guarded:
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
