package plan

import (
	"strconv"

	"pikegate/core/criteria"
	"pikegate/core/parameter"
)

// Counts is how to count what each condition lets through.
type Counts struct {
	// Statement groups the records by which conditions they meet, each told as Meets or
	// Fails, and counts them: the last value of a row.
	Statement Statement
	// Conditions are all of the criteria, in the order of the text.
	Conditions []Counted
}

// Counted is one condition.
type Counted struct {
	// ID are its places from the outside in, "1.0".
	ID string
	// At is which value of a row tells whether the records meet it, -1 for a condition
	// that is not counted.
	At int
	// Outermost tells that it is in no group.
	Outermost bool
	// Open tells that it restricts nothing with these answers.
	Open bool
}

// Counts makes the statement that counts, however many conditions there are; beyond
// mostCounted it counts none of them. What is asked of groups is not counted, and of
// related records the whole condition is.
func (p Planner) Counts(values parameter.Values) Counts {
	b := p.binder(values)
	c := Counts{Statement: Statement{DateIndex: -1, Aggregates: []Expr{Aggregate{Name: "count"}}}}
	b.from(&c.Statement)
	if b.compiled.Criteria == nil {
		return c
	}
	var visit func(e criteria.Expr, id string, outermost bool)
	visit = func(e criteria.Expr, id string, outermost bool) {
		counted := Counted{ID: id, At: -1, Outermost: outermost}
		if _, first := e.(*criteria.First); !first && !criteria.HasAggregate(e) {
			if bare := b.bare(e); bare == nil {
				counted.Open = true
			} else {
				// MariaDB takes no subquery within an aggregate, so that records are grouped.
				counted.At = len(c.Statement.GroupBy)
				c.Statement.GroupBy = append(c.Statement.GroupBy, If{b.condition(bare, false), Value{Meets}, Value{Fails}})
			}
		}
		c.Conditions = append(c.Conditions, counted)
		for i, part := range criteria.Parts(e) {
			visit(part, id+"."+strconv.Itoa(i), false)
		}
	}
	for i, e := range criteria.Conditions(b.compiled.Criteria) {
		if b.compiled.Own == nil || i < b.compiled.Shared {
			visit(e, strconv.Itoa(i), true)
		} else if bare := b.bare(e); bare != nil { // those of a query of a union say which records it has
			c.Statement.Where = append(c.Statement.Where, Condition{Expr: b.condition(bare, false)})
		}
	}
	if len(c.Statement.GroupBy) > mostCounted {
		c.Statement.GroupBy, c.Conditions = nil, nil
	}
	return c
}

// mostCounted is how many conditions are counted at the most: databases take a few
// hundred values in a row, and nobody reads more counts than that.
const mostCounted = 200

// AfterMany makes a statement that gives a row where the table of the query has more
// than some number of records.
func (p Planner) AfterMany(most int) Statement {
	from := p.Query.From
	s := p.FirstRows(from.Table, from.Table.Columns[:min(1, len(from.Table.Columns))], 1).Statement
	s.Offset = most
	return s
}
