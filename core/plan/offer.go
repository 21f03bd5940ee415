package plan

import (
	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
)

// Search narrows what is offered: by a text that occurs in it, or to some
// values; and says which page is wanted.
type Search struct {
	Text   string
	Wanted []any
	// Limit is how many at the most, Offset how many are skipped.
	Limit, Offset int
}

// Offer makes the statement that lists the choices of a question: the values
// that occur under the query's criteria and the other answers, with counts
// (value, count), or the rows of another query (value, label).
func Offer(c *definition.Compiled, question string, values parameter.Values, ctx civil.Context, search Search) (Statement, diag.Problems) {
	offer := c.Offers[question]
	if offer.Query != nil {
		return offerRows(offer, ctx, search)
	}
	if c.SQL != nil { // what else the SQL does is not known
		return Occurring(c, question, ctx, search)
	}
	b, s := others(c, question, values, ctx)
	column := Column{offer.Column.Ref}
	s.Where = append(s.Where, Condition{Expr: Not{IsBlank{column}}})
	if offer.Where != nil {
		if bare := b.bare(offer.Where); bare != nil {
			s.Where = append(s.Where, Condition{Expr: b.condition(bare, false)})
		}
	}
	grouped(&s, column)
	narrow(&s, column, column, search)
	return s, b.problems
}

// Occurring makes the statement that lists the answers a question can have at
// all, whatever the others are: what occurs in the column, or the rows of the
// other query.
func Occurring(c *definition.Compiled, question string, ctx civil.Context, search Search) (Statement, diag.Problems) {
	offer := c.Offers[question]
	if offer.Query != nil {
		return offerRows(offer, ctx, search)
	}
	column := Column{offer.Column.Ref}
	s := Statement{From: Table{c.TableOf(offer.Column.Ref.Alias), offer.Column.Ref.Alias}, DateIndex: -1}
	s.Where = append(s.Where, Condition{Expr: Not{IsBlank{column}}})
	grouped(&s, column)
	narrow(&s, column, column, search)
	return s, nil
}

// others binds everything but one question, which is taken as not asked.
func others(c *definition.Compiled, question string, values parameter.Values, ctx civil.Context) (*binder, Statement) {
	rest := parameter.Values{}
	for name, v := range values {
		if name != question {
			rest[name] = v
		}
	}
	b := &binder{compiled: c, given: rest, ctx: ctx, skipped: question}
	s := Statement{From: Table{c.From.Table.Name, c.From.Alias}, DateIndex: -1}
	b.from(&s)
	b.where(&s)
	return b, s
}

// offerRows lists the value and label columns of another query.
func offerRows(offer definition.Offer, ctx civil.Context, search Search) (Statement, diag.Problems) {
	b, s := others(offer.Query, "", nil, ctx)
	value := b.translate(offer.Query.Columns[offer.Value].Expr)
	label := b.translate(offer.Query.Columns[offer.Label].Expr)
	grouped(&s, value, label)
	narrow(&s, value, label, search)
	return s, b.problems
}

// grouped counts the records of each combination, in the order of the last.
func grouped(s *Statement, by ...Expr) {
	s.GroupBy, s.Aggregates = by, []Expr{Aggregate{Name: "count"}}
	s.Sort = []SortKey{{Expr: by[len(by)-1]}}
}

func narrow(s *Statement, value, label Expr, search Search) {
	if search.Text != "" {
		s.Where = append(s.Where, Condition{Expr: Contains{label, search.Text}})
	}
	if search.Wanted != nil {
		s.Where = append(s.Where, Condition{Expr: In{value, search.Wanted}})
	}
	s.Limit, s.Offset = search.Limit, search.Offset
}

// DateQuestion is the question that the date criterion of a query compares its
// column with, and that column; false when it has none.
func DateQuestion(c *definition.Compiled) (string, *criteria.Column, bool) {
	if c.Criteria == nil || c.SQL != nil {
		return "", nil, false
	}
	column := dateColumn(c.Criteria)
	name := ""
	criteria.Walk(c.Criteria, func(e criteria.Expr) {
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
func Coverage(c *definition.Compiled, unit civil.Unit, values parameter.Values, ctx civil.Context) (Statement, diag.Problems) {
	question, column, _ := DateQuestion(c)
	b, s := others(c, question, values, ctx)
	grouped(&s, If{IsBlank{Column{column.Ref}}, Value{int64(1)}, Value{int64(0)}}, DatePart{b.moment(column, false), TextOf, unit, ctx.WeekStart})
	return s, b.problems
}

// CanCover tells whether records can be counted by days of a column.
func CanCover(c catalog.Column, unit civil.Unit) bool {
	return c.Type.IsDate() && (c.Encoding != catalog.EncYM || unit != civil.Day && unit != civil.Week)
}
