package definition

import (
	"fmt"
	"slices"
	"strings"

	"pikegate/core/criteria"
	"pikegate/core/diag"
)

// Beside has each value that a query makes of many records stand beside the same of another
// period.
type Beside struct {
	Question string `yaml:"question" doc:"The question for the period" example:"period" required:"true"`
	With     string `yaml:"with" doc:"The other period: the same a year before, or as long before it" enum:"year-before,as-long-before" required:"true"`
}

// The names that are added to those of a column, and to that of the question.
const (
	besideBefore  = "_before"
	besideChange  = "_change"
	besidePercent = "_percent"
)

// beside writes the other period into a query: its conditions take the records of both, each
// aggregate those of one, and columns for the other, the difference and the change in
// percent follow it. It is then a query like any other.
func (q *Query) beside() (problems diag.Problems) {
	b := q.Beside
	if b.Question == "" || b.With == "" {
		return nil // there is none, or it was told when it was read
	}
	fail := func(code, message, hint string) diag.Problems {
		return diag.Problems{{Code: code, Field: "beside", Message: message, Hint: hint}}
	}
	at := slices.IndexFunc(q.Parameters, func(p Question) bool { return p.Name == b.Question })
	switch {
	case q.SQL.Value != "" || len(q.Union) > 0 || q.Distinct:
		return fail("not_beside", "Another period stands beside one in queries of tables that take records together.", "Name a table in from, and have columns made of many records.")
	case at < 0 || q.Parameters[at].Kind != "period" || q.Parameters[at].Many:
		return fail("not_beside", fmt.Sprintf("There is no question %s for a period.", b.Question), "Name a question of the kind period.")
	}
	e, found := criteria.Parse(q.Criteria.Value)
	if found.Failed() && strings.TrimSpace(q.Criteria.Value) != "" {
		return nil // told with the criteria
	}
	other := b.Question + besideBefore
	var rest, now, before []criteria.Expr
	for _, term := range criteria.Conditions(e) {
		switch {
		case !slices.ContainsFunc(criteria.Parameters(term), func(name string) bool { return strings.EqualFold(name, b.Question) }):
			rest = append(rest, term)
		case criteria.HasAggregate(term):
			return fail("not_beside", "A condition on groups asks for the period.", "Have a condition on each record ask for it.")
		default:
			now, before = append(now, term), append(before, asking(term, b.Question, other))
		}
	}
	if now == nil {
		return fail("not_beside", "No condition asks for "+b.Question+".", "Write one in the criteria, such as passed_at within :"+b.Question+".")
	}
	of := func(e criteria.Expr, when []criteria.Expr) criteria.Expr {
		return criteria.MapOwn(e, func(e criteria.Expr) criteria.Expr {
			aggregate, ok := criteria.OfGroup(e)
			if !ok {
				return e
			}
			made := *aggregate
			where := slices.Clone(when)
			if made.Where != nil {
				where = append([]criteria.Expr{made.Where}, where...)
			}
			made.Where = all(where)
			return &made
		})
	}
	var columns []Column
	several := false
	for i, c := range q.Columns {
		e, found := criteria.ParseAggregate(c.Value.Value)
		if found.Failed() || e == nil || !criteria.HasAggregate(e) {
			problems = append(problems, apart(i, c, e, now)...)
			columns = append(columns, c)
			continue
		}
		several = true
		first, second := criteria.Print(of(e, now)), criteria.Print(of(e, before))
		text := func(s string) Text { return Text{s, c.Value.Line} }
		words := map[string]string{"year-before": ", a year before", "as-long-before": ", before"}[b.With]
		shown := c
		if shown.Name == "" {
			shown.Name = c.Value.Value
		}
		shown.Label, shown.Value = c.Heading(), text(first)
		columns = append(columns, shown, Column{Name: shown.Name + besideBefore, Value: text(second), Label: shown.Label + words, Format: c.Format, Words: c.Words})
		if isQuantity(e) {
			columns = append(columns,
				Column{Name: shown.Name + besideChange, Value: text("(" + first + ") - (" + second + ")"), Label: "Change of " + inner(shown.Label), Format: c.Format},
				Column{Name: shown.Name + besidePercent, Value: text("((" + first + ") - (" + second + ")) / (" + second + ")"), Label: "Change in %", Format: "+0.0%;-0.0%"},
			)
		}
	}
	if !several {
		return fail("not_beside", "No column is made of many records, so that there is nothing to stand beside another.", "Write columns such as count or sum of toll.")
	}
	q.Columns = columns
	q.Criteria.Value = criteria.Print(all(append(rest, &criteria.Logic{Or: true, Terms: []criteria.Expr{all(now), all(before)}})))
	for i, key := range q.Sort { // one that is the name of a column stands for its value
		_, by := sortKey(key.Value)
		e, found := criteria.ParseAggregate(by)
		isColumn := slices.ContainsFunc(columns, func(c Column) bool { return c.Name == by })
		if !isColumn && !found.Failed() && e != nil && criteria.HasAggregate(e) {
			q.Sort[i].Value = strings.Replace(key.Value, by, criteria.Print(of(e, now)), 1)
		}
	}
	q.Parameters = append(q.Parameters, Question{Name: other, Kind: "period", Label: q.Parameters[at].Label, Shown: "hidden", Derive: Text{Value: b.Derive()}, Limits: Limits{Ends: q.Parameters[at].Limits.Ends}})
	return problems
}

// besideEachOther are the units of time that are alike in every year, by the functions that
// tell them.
var besideEachOther = map[string]string{"month": "month", "quarter": "quarter", "week": "week", "day": "day"}

// apart warns that a column that records are taken together by has other values in the other
// period, since it goes by the time that the conditions ask for.
func apart(i int, c Column, e criteria.Expr, now []criteria.Expr) diag.Problems {
	asked := map[string]bool{}
	for _, term := range now {
		for _, column := range criteria.Columns(term) {
			asked[strings.ToLower(column.Name)] = true
		}
	}
	hint := ""
	criteria.Walk(e, func(e criteria.Expr) {
		var of criteria.Expr
		unit := ""
		switch n := e.(type) {
		case *criteria.UnitOf:
			of, unit = n.X, besideEachOther[n.Unit]
		case *criteria.Call:
			if n.Name == "date_of" || n.Name == "start_of" {
				of = n.Args[len(n.Args)-1]
			}
		}
		if column, ok := of.(*criteria.Column); ok && asked[strings.ToLower(column.Name)] && hint == "" {
			if hint = "Take the records together by what does not go by the time."; unit != "" {
				hint = fmt.Sprintf("Write %s(%s), which is the same in every year.", unit, criteria.Print(column))
			}
		}
	})
	if hint == "" {
		return nil
	}
	return diag.Problems{{
		Code: "beside_apart", Severity: diag.Warning, Field: nth("columns", i),
		Message: fmt.Sprintf("%s is another value in the other period, so that the two never stand in one row.", c.Heading()), Hint: hint,
	}}
}

// Derive works the other period out of the one asked for.
func (b Beside) Derive() string {
	if b.With == "as-long-before" {
		return "as long before :" + b.Question
	}
	return ":" + b.Question + " - 1 year"
}

// all is conditions that are all to be met.
func all(terms []criteria.Expr) criteria.Expr {
	if len(terms) == 1 {
		return terms[0]
	}
	return &criteria.Logic{Terms: terms}
}

// asking is an expression that asks for another question.
func asking(e criteria.Expr, question, other string) criteria.Expr {
	return criteria.Map(e, func(e criteria.Expr) criteria.Expr {
		if p, ok := e.(*criteria.Parameter); ok && strings.EqualFold(p.Name, question) {
			made := *p
			made.Name = other
			return &made
		}
		return e
	})
}

// isQuantity tells whether what is made of many records is sure to be a number: the least and
// the greatest may be dates or texts.
func isQuantity(e criteria.Expr) bool {
	number := true
	criteria.WalkOwn(e, func(e criteria.Expr) {
		if aggregate, ok := criteria.OfGroup(e); ok {
			switch aggregate.Name {
			case "least", "greatest", "median", "percentile":
				number = false
			}
		}
	})
	return number
}
