package plan

import (
	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/period"
)

// Reach is what the records of a table have in common that a statement returns anything of: a
// date in a stretch of time, so that what holds no such records need not be read.
type Reach struct {
	// Table is the table, and Column the date.
	Table  string
	Column *catalog.Column
	// From and Until are the stretch as the column stores it, in UTC for instants; it has no
	// end where they are civil.Start and civil.End.
	From, Until civil.DateTime
	// Blank tells that records without a date are among them.
	Blank bool
}

// Misses tells that nothing that was stored from one time through another is in the stretch.
func (r Reach) Misses(least, greatest civil.DateTime) bool {
	return greatest < r.From || least >= r.Until
}

// reach is what the conditions that records have to meet leave of the dates they bound.
func (b *binder) reach() (out []Reach) {
	if b.compiled.SQL != nil {
		return nil
	}
	for _, r := range b.resolved {
		if r.bare == nil {
			continue
		}
		for _, e := range criteria.Conditions(r.bare) {
			bounds, blank, ok := boundsOrBlank(e)
			if !ok {
				continue
			}
			ref := bounds.Column.Ref
			table, optional := tableOfAlias(b.compiled, ref.Alias)
			if table == "" || optional && blank { // of a record without a match it is blank as well
				continue
			}
			if made, ok := stored(ref.Column, bounds.Span, b.calendar); ok {
				made.Table, made.Blank = table, blank
				out = append(out, made)
			}
		}
	}
	return out
}

// boundsOrBlank reads a condition as bounds that are to be met, or as such or a blank.
func boundsOrBlank(e criteria.Expr) (bounds Bounds, blank, ok bool) {
	if guarded, is := e.(*criteria.Guarded); is {
		e = guarded.X // which is met as well
	}
	if bounds, ok = boundsOf(e); ok {
		return bounds, false, true
	}
	either, is := e.(*criteria.Logic)
	if !is || !either.Or || len(either.Terms) != 2 {
		return bounds, false, false
	}
	for i, term := range either.Terms {
		missing, is := term.(*criteria.IsBlank)
		if !is || missing.Not {
			continue
		}
		if bounds, ok = boundsOf(either.Terms[1-i]); !ok {
			continue
		}
		column, is := missing.X.(*criteria.Column)
		return bounds, true, is && column.Same(bounds.Column)
	}
	return bounds, false, false
}

// tableOfAlias is the table that has a name in a query, and whether records need no match in
// it.
func tableOfAlias(q *definition.Compiled, alias string) (name string, optional bool) {
	if t := q.Aliased(alias); t != nil {
		return t.Table.Name, t.Optional
	}
	return "", false
}

// stored is a stretch as a column stores it; false where it cannot be told.
func stored(c *catalog.Column, span period.Span, calendar civil.Calendar) (Reach, bool) {
	made := Reach{Column: c, From: civil.Start, Until: civil.End}
	var err error
	if !span.OpenStart() {
		if made.From, err = c.StoredTime(span.From, calendar.Zone); err != nil {
			return made, false
		}
	}
	if !span.OpenEnd() {
		made.Until, err = c.StoredTime(span.Until, calendar.Zone)
	}
	return made, err == nil
}
