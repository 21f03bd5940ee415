package plan

import (
	"pikegate/core/civil"
	"pikegate/core/parameter"
)

// The sides of a condition a record can be on.
const (
	Fails int64 = iota
	Meets
	Before // of a date condition: fails it by being too early
	After  // … or too late
)

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
func (p Planner) Why(values parameter.Values) Reasons {
	b := p.binder(values)
	r := Reasons{
		Sides:   Statement{DateIndex: -1, Aggregates: []Expr{Aggregate{Name: "count"}}},
		Records: Statement{From: b.tableOf(p.Query.From.Table, p.Query.From.Alias), DateIndex: -1, Aggregates: []Expr{Aggregate{Name: "count"}}},
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
				side = If{b.fitting(b.bound(bounds.Column, op, t, bounds.Column), bounds.Column.Ref), Value{where}, side}
			}
			if !bounds.Span.OpenEnd() {
				beyond(">=", bounds.Span.Until, After)
			}
			if !bounds.Span.OpenStart() {
				beyond("<", bounds.Span.From, Before)
			}
			column := b.ordered(bounds.Column)
			r.Sides.Aggregates = append(r.Sides.Aggregates, Aggregate{Name: "least", X: column}, Aggregate{Name: "greatest", X: column})
		} else {
			r.Dates = append(r.Dates, nil)
		}
		r.Sides.GroupBy = append(r.Sides.GroupBy, If{condition.Expr, Value{Meets}, side})
		r.Conditions, r.Places = append(r.Conditions, condition), append(r.Places, i)
	}
	return r
}
