package plan

import (
	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/parameter"
)

// Planner makes the statements of one query: for its records, for the choices of
// its questions, and for what is told of a run. Nothing else makes any that read
// the query's tables.
type Planner struct {
	Query    *definition.Compiled
	Calendar civil.Calendar
	// Sure tells of a column of dates that all its values fit its encoding, and are
	// written alike where it has a Layout, so that a statement need not look at
	// each; nil where that is known of none.
	Sure func(catalog.Column) bool
}

// binder binds the query to answers.
func (p Planner) binder(values parameter.Values) *binder {
	return &binder{compiled: p.Query, given: values, calendar: p.Calendar, sure: p.Sure}
}

// from is the table of the query.
func (p Planner) from() Table { return tableOf(p.Query.From.Table, p.Query.From.Alias) }
