package plan

import (
	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/parameter"
)

// LeftOut makes the statement that counts the records a run leaves out because
// a date its conditions compare is stored in a way that does not fit its
// column: those that might match, were it another. Columns are those looked at,
// none where nothing can be left out.
func (p Planner) LeftOut(values parameter.Values) (s Statement, columns []criteria.Ref) {
	c := p.Query
	s = Statement{DateIndex: -1, Aggregates: []Expr{Aggregate{Name: "count"}}}
	if c.SQL != nil || c.Criteria == nil {
		return s, nil
	}
	b := p.binder(values)
	b.from(&s)
	whole := Statement{}
	b.where(&whole)
	or := Logic{Or: true}
	var strict []Expr
	var others, dated []Condition
	single := true // each condition on a date that may be none is one on nothing else
	seen := map[string]bool{}
	for _, condition := range whole.Where {
		if condition.Bare == nil {
			continue
		}
		strict = append(strict, condition.Expr)
		b.lenient = true
		lenient, on := Condition{Expr: b.condition(condition.Bare, false)}, &others
		b.lenient = false
		for _, column := range datedColumns(condition.Bare) {
			if b.trusts(column.Ref) {
				continue
			}
			on, single = &dated, single && isLeaf(condition.Bare)
			if key := column.Ref.Alias + "." + column.Ref.Column.Name; !seen[key] {
				seen[key] = true
				columns = append(columns, column.Ref)
				or.Terms = append(or.Terms, Unfit(column.Ref))
			}
		}
		*on = append(*on, lenient)
	}
	if columns == nil {
		return s, nil
	}
	s.Where = append(s.Where, others...)
	if single && len(columns) == 1 { // what is none meets each of them leniently, and none strictly
		s.Where = append(s.Where, Condition{Expr: or.Terms[0]})
		return s, columns
	}
	// What one branch of an or lets through is not left out for another one's date.
	s.Where = append(append(s.Where, dated...), Condition{Expr: or}, Condition{Expr: If{all(strict...), Value{false}, Value{true}}})
	return s, columns
}

// WorthCounting tells of a column of dates whether what does not fit is soon counted, or
// there is known to be some.
func WorthCounting(c *catalog.Column) bool { return c.Whole || c.Unfit > 0 || c.Encoding.IsNative() }

// isLeaf tells whether a condition is one comparison, negated or not.
func isLeaf(e criteria.Expr) bool {
	switch e := e.(type) {
	case *criteria.Not:
		return isLeaf(e.X)
	case *criteria.Logic, *criteria.Guarded:
		return false
	}
	return true
}

// Unfit is met where a value is stored in a column with dates that is none.
func Unfit(ref criteria.Ref) Expr {
	x := Column{ref}
	if !ref.Nullable {
		return Not{Fits{ref}}
	}
	return all(Not{IsBlank{x}}, Not{Fits{ref}})
}
