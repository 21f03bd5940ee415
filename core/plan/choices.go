package plan

import (
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

// Choices makes the statement that lists the choices of a question: the values
// that occur under the query's criteria and the other answers, with counts
// (value, count), or the rows of another query (value, label).
func (p Planner) Choices(question string, values parameter.Values, search Search) (Statement, diag.Problems) {
	if p.Query.Parts != nil {
		return p.offeredIn(question, search, func(part Planner) (Statement, diag.Problems) { return part.Choices(question, values, search) })
	}
	offer := p.Query.Offers[question]
	if offer.Query != nil {
		return p.rowsOf(offer, search)
	}
	if p.Query.SQL != nil { // what else the SQL does is not known
		return p.Occurring(question, search)
	}
	b, s := p.others(question, values)
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
func (p Planner) Occurring(question string, search Search) (Statement, diag.Problems) {
	if p.Query.Parts != nil {
		return p.offeredIn(question, search, func(part Planner) (Statement, diag.Problems) { return part.Occurring(question, search) })
	}
	offer := p.Query.Offers[question]
	if offer.Query != nil {
		return p.rowsOf(offer, search)
	}
	column := Column{offer.Column.Ref}
	s := Statement{From: p.binder(nil).tableOf(p.Query.TableOf(offer.Column.Ref.Alias), offer.Column.Ref.Alias), DateIndex: -1}
	s.Where = append(s.Where, Condition{Expr: Not{IsBlank{column}}})
	grouped(&s, column)
	narrow(&s, column, column, search)
	return s, nil
}

// others binds everything but one question, which is taken as not asked.
func (p Planner) others(question string, values parameter.Values) (*binder, Statement) {
	rest := parameter.Values{}
	for name, v := range values {
		if name != question {
			rest[name] = v
		}
	}
	b := p.binder(rest)
	b.skipped = question
	s := Statement{DateIndex: -1}
	b.from(&s)
	b.where(&s)
	return b, s
}

// rowsOf lists the value and label columns of another query.
func (p Planner) rowsOf(offer definition.Offer, search Search) (Statement, diag.Problems) {
	p.Query = offer.Query
	b, s := p.others("", nil)
	b.raw(&s)
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
	conditions := &s.Where
	if s.Raw != nil {
		conditions = &s.Narrowed
	}
	if search.Text != "" {
		*conditions = append(*conditions, Condition{Expr: Contains{label, search.Text}})
	}
	if search.Wanted != nil {
		*conditions = append(*conditions, Condition{Expr: In{X: value, Values: search.Wanted}})
	}
	s.Limit, s.Offset = search.Limit, search.Offset
}
