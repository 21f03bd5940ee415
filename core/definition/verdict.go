package definition

import (
	"fmt"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/evaluate"
	"pikegate/core/parameter"
)

// Verdict is a condition on totals of a result, such as count >= 1.
type Verdict struct {
	// Totals are those that it asks for.
	Totals []CompiledTotal
	expr   criteria.Expr
	places map[string]int // of the totals, by the names they have in the condition
}

// Verdict reads a condition on totals over the columns that a report shows.
func (out *Compiled) Verdict(r *Report, text Text) (*Verdict, diag.Problems) {
	e, problems := criteria.Parse(text.Value)
	if problems.Failed() {
		return nil, problems
	}
	v := &Verdict{places: map[string]int{}}
	totals := catalog.Table{Name: "totals"}
	inner := map[criteria.Pos]bool{} // where there is what an aggregate is made of
	criteria.Walk(e, func(e criteria.Expr) {
		if aggregate, ok := e.(*criteria.Aggregate); ok && aggregate.X != nil {
			criteria.Walk(aggregate.X, func(e criteria.Expr) { inner[e.At()] = true })
		}
	})
	e = criteria.Map(e, func(e criteria.Expr) criteria.Expr {
		var total string
		switch n := e.(type) {
		case *criteria.Aggregate:
			if inner[n.Pos] { // told with the one around it
				return e
			}
			total = criteria.Print(n)
		case *criteria.Column:
			if n.Table != "" || n.Name != "count" || inner[n.Pos] {
				return e
			}
			total = "count"
		default:
			return e
		}
		view, found := out.View(&Report{Columns: r.Columns, Totals: []Text{{Value: total}}})
		if found.Failed() || len(view.Totals) != 1 {
			for _, p := range found { // placed in the condition
				at := diag.At(text.Value, e.At().Start, e.At().End, p.Code, p.Message)
				at.Hint = p.Hint
				problems = append(problems, at)
			}
			return e
		}
		name := fmt.Sprintf("total_%d", len(v.Totals))
		v.places[name] = len(v.Totals)
		v.Totals = append(v.Totals, view.Totals[0])
		totals.Columns = append(totals.Columns, catalog.Column{Name: name, Type: criteria.TypeOf(view.Totals[0].Expr), Nullable: true})
		return &criteria.Column{Pos: e.At(), Name: name}
	})
	if problems.Failed() {
		return nil, problems
	}
	if len(v.Totals) == 0 {
		p := diag.At(text.Value, 0, len([]rune(text.Value)), "no_totals", "This is no condition on totals.")
		p.Hint = "Write count, or sum, average, least, greatest or count distinct of a column: count >= 1."
		return nil, diag.Problems{p}
	}
	v.expr = e
	return v, criteria.ResolveCondition(text.Value, e, criteria.Scope{Tables: []criteria.Table{{Alias: "totals", Table: totals}}})
}

// Holds tells whether it holds for the values of the totals: a decimal, text, bool or
// catalog.Stamp, nil for blank. What is not known does not hold.
func (v *Verdict) Holds(values []any, calendar civil.Calendar) bool {
	evaluator := evaluate.New(calendar, func(c *criteria.Column, row []any) any { return row[v.places[c.Name]] })
	holds, known := evaluator.Holds(parameter.Values(nil).Put(v.expr, calendar), values)
	return holds && known
}
