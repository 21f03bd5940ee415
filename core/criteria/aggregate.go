package criteria

import "strings"

// OfGroup gives an aggregate that is made of the records of a group, rather than
// of those of another table.
func OfGroup(e Expr) (*Aggregate, bool) {
	aggregate, ok := e.(*Aggregate)
	return aggregate, ok && aggregate.Records == nil
}

// IsPlaced tells whether an aggregate is the value at a place in the order of all of them:
// a median or a percentile.
func (e *Aggregate) IsPlaced() bool { return e.Name == "median" || e.Percent != nil }

// Made is what is made of the values, as it is written before "of".
func (e *Aggregate) Made() string {
	if e.Percent != nil {
		return e.Name + " " + e.Percent.Value.String()
	}
	return e.Name
}

// Of words what is made of the values, to be said before them: "Sum of ", "90th percentile of ".
func (e *Aggregate) Of() string {
	if e.Percent != nil {
		return ordinal(e.Percent.Value.String()) + " percentile of "
	}
	return map[string]string{"sum": "Sum of ", "average": "Average of ", "median": "Median of ", "least": "Least ", "greatest": "Greatest ", "count distinct": "Different "}[e.Name]
}

// ordinal is a number in English as what comes at that place: 1st, 12th, 99.9th.
func ordinal(n string) string {
	if !strings.HasSuffix("0"+n, "11") && !strings.HasSuffix("0"+n, "12") && !strings.HasSuffix("0"+n, "13") && !strings.Contains(n, ".") {
		switch n[len(n)-1] {
		case '1':
			return n + "st"
		case '2':
			return n + "nd"
		case '3':
			return n + "rd"
		}
	}
	return n + "th"
}

// HasAggregate tells whether a value made of a group's records occurs in an
// expression.
func HasAggregate(e Expr) bool { return Any(e, isAggregate) }

func isAggregate(e Expr) bool {
	_, ok := OfGroup(e)
	return ok
}

// OutsideOf is an expression with blanks in the place of its aggregates.
func OutsideOf(e Expr) Expr {
	return ReplaceOwn(e, isAggregate, func(Expr) Expr { return &Blank{} })
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
	return FirstColumn(outside) != nil || len(RelatedTables(outside)) > 0
}

// Counted reads the bare name count as the number of records, unless a table has
// a column of that name.
func Counted(e Expr, scope Scope) Expr {
	counts := func(e Expr) bool {
		c, ok := e.(*Column)
		return ok && c.Table == "" && strings.EqualFold(c.Name, "count")
	}
	return ReplaceOwn(e, counts, func(e Expr) Expr { // a column of another table may be called so
		for i := range scope.Tables {
			if _, ok := scope.Tables[i].Table.Column("count"); ok {
				return e
			}
		}
		return &Aggregate{Pos: e.At(), Name: "count"}
	})
}
