package criteria

import "strings"

// OfGroup gives an aggregate that is made of the records of a group, rather than
// of those of another table.
func OfGroup(e Expr) (*Aggregate, bool) {
	aggregate, ok := e.(*Aggregate)
	return aggregate, ok && aggregate.Records == nil
}

// HasAggregate tells whether a value made of a group's records occurs in an
// expression.
func HasAggregate(e Expr) bool {
	found := false
	Walk(e, func(e Expr) {
		_, aggregate := OfGroup(e)
		found = found || aggregate
	})
	return found
}

// OutsideOf is an expression with blanks in the place of its aggregates.
func OutsideOf(e Expr) Expr {
	return MapOwn(e, func(e Expr) Expr {
		if _, aggregate := OfGroup(e); aggregate {
			return &Blank{}
		}
		return e
	})
}

// Outside are the columns an expression refers to outside of aggregates, each
// once.
func Outside(e Expr) []*Column {
	return Columns(OutsideOf(e))
}

// NeedsRecord tells whether an expression refers to single records outside of aggregates:
// to their columns, or to what belongs to them.
func NeedsRecord(e Expr) bool {
	outside := OutsideOf(e)
	return len(Columns(outside))+len(RelatedTables(outside)) > 0
}

// Counted reads the bare name count as the number of records, unless a table has
// a column of that name.
func Counted(e Expr, scope Scope) Expr {
	for _, t := range scope.Tables {
		if _, ok := t.Table.Column("count"); ok {
			return e
		}
	}
	return MapOwn(e, func(e Expr) Expr { // a column of another table may be called so
		if c, ok := e.(*Column); ok && c.Table == "" && strings.EqualFold(c.Name, "count") {
			return &Aggregate{Pos: c.Pos, Name: "count"}
		}
		return e
	})
}
