package plan

import (
	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/parameter"
)

// DateQuestion is the question that the date criterion of a query compares its
// column with, and that column; false when it has none.
func (p Planner) DateQuestion() (string, *criteria.Column, bool) {
	c := p.Query
	switch {
	case c.SQL != nil:
		dated, _, ok := c.DateByHand()
		return dated.Question, dated.Returned, ok
	case c.Criteria == nil:
		return "", nil, false
	}
	column := criteria.DateColumn(c.Criteria)
	name := ""
	criteria.WalkOwn(c.Criteria, func(e criteria.Expr) {
		if !criteria.IsComparison(e) || name != "" || criteria.FirstColumn(e) != column {
			return
		}
		if names := criteria.Parameters(e); len(names) > 0 {
			name = names[0]
		}
	})
	return name, column, column != nil && name != ""
}

// Coverage makes the statement that counts the records of each day, month or
// year of the query's date column in the zone (1 for a blank, unit text, count),
// the other answers applied. A unit is blank where the date is, or does not fit.
func (p Planner) Coverage(unit civil.Unit, values parameter.Values) (Statement, diag.Problems) {
	question, column, _ := p.DateQuestion()
	b, s := p.others(question, values)
	b.raw(&s)
	grouped(&s, If{IsBlank{Column{column.Ref}}, Value{int64(1)}, Value{int64(0)}}, DatePart{b.moment(column, false), TextOf, unit, p.Calendar.WeekStart})
	return s, b.problems
}

// CanCover tells whether records can be counted by days of a column.
func CanCover(c *catalog.Column, unit civil.Unit) bool {
	return c.Type.IsDate() && (c.Encoding != catalog.EncYM || unit != civil.Day && unit != civil.Week)
}
