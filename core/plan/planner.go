package plan

import (
	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/parameter"
)

// Planner makes the statements of one query: for its records, for the choices of
// its questions, and for what is told of a run; and, without one, those that look at a
// table by itself. Nothing else makes any that read tables.
type Planner struct {
	Query    *definition.Compiled
	Calendar civil.Calendar
	// Sure tells of a column of dates that all its values fit its encoding, and are
	// written alike where it has a Shape, so that a statement need not look at
	// each; nil where that is known of none.
	Sure func(*catalog.Column) bool
	// Rows tells which rows of a table whoever asks may see; nil where they may see
	// all there are. Every answer is the one that a database without the others would
	// give.
	Rows Rows
}

// binder binds the query to answers.
func (p Planner) binder(values parameter.Values) *binder {
	b := &binder{compiled: p.Query, given: values, calendar: p.Calendar, sure: p.Sure, rows: p.Rows}
	if p.Query == nil {
		b.compiled = &definition.Compiled{Query: &definition.Query{}}
	}
	return b
}
