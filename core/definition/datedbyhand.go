package definition

import (
	"fmt"
	"slices"
	"strings"

	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/sqltext"
)

// DatedByHand is the condition of hand-written SQL on a period that is asked for.
type DatedByHand struct {
	// Question is the first that it asks.
	Question string
	// Column is what it compares, of a table that the SQL reads, and Returned the same as
	// the SQL returns it.
	Column, Returned *criteria.Column
}

// ConditionsByHand are the conditions of hand-written SQL that say which records are read:
// those of the criteria, then those in braces that are no part of a value.
func (out *Compiled) ConditionsByHand() []criteria.Expr {
	var conditions []criteria.Expr
	if out.Criteria != nil {
		conditions = criteria.Conditions(out.Criteria)
	}
	for _, p := range out.Placed {
		if !p.Part {
			conditions = append(conditions, p.Expr)
		}
	}
	return conditions
}

// DateByHand finds the condition of hand-written SQL on a period that is asked for, if the
// records nearest to the period and those of each day can be told. Where there is one and
// they cannot, it says what is in the way.
func (out *Compiled) DateByHand() (dated DatedByHand, inTheWay string, ok bool) {
	if out.SQL == nil {
		return DatedByHand{}, "", false
	}
	conditions := out.ConditionsByHand()
	at := slices.IndexFunc(conditions, func(e criteria.Expr) bool {
		return criteria.DateColumn(e) != nil && criteria.AsksAny(e)
	})
	if at < 0 {
		return DatedByHand{}, "", false
	}
	asked := criteria.Parameters(conditions[at])
	dated = DatedByHand{Question: asked[0], Column: criteria.DateColumn(conditions[at])}
	asks := func(name string) bool { return slices.Contains(asked, name) }
	elsewhere := slices.ContainsFunc(conditions, func(e criteria.Expr) bool {
		column := criteria.DateColumn(e)
		return slices.ContainsFunc(criteria.Parameters(e), asks) && (column == nil || !column.Same(dated.Column))
	}) || slices.ContainsFunc(out.SQL, func(p sqltext.Piece) bool { return p.Kind == sqltext.Value && asks(p.Text) })
	returned, found := out.From.Table.Column(dated.Column.Name)
	switch {
	case elsewhere:
		return dated, "The SQL uses :" + dated.Question + " for more than " + dated.Column.Name, false
	case !found || !returned.Type.IsDate():
		return dated, "The SQL does not return " + dated.Column.Name + " as a date", false
	}
	dated.Returned = &criteria.Column{Name: returned.Name, Ref: criteria.Ref{Alias: Result, Column: returned, Nullable: true}}
	return dated, "", true
}

// datedByHand says where hand-written SQL keeps from telling what lies around a period.
func (c *compiler) datedByHand() {
	if c.out.SQL == nil || c.out.From.Table.Columns == nil || c.problems.Failed() {
		return
	}
	if dated, inTheWay, ok := c.out.DateByHand(); !ok && inTheWay != "" {
		name, hint := dated.Column.Name, ""
		switch stored, found := c.out.From.Table.Column(name); {
		case found && !stored.Type.IsDate():
			hint = fmt.Sprintf("Say how it is stored where it is shown: {name: %s, value: %s, encoding: %s}.", strings.ToLower(stored.Name), stored.Name, dated.Column.Ref.Column.Encoding)
		case found:
			hint = "Use it in one condition, in braces."
		default:
			hint = "Select it under that name."
		}
		c.problems = append(c.problems, diag.Problem{
			Code: "dates_unknown", Severity: diag.Warning, Field: "sql", Line: c.query.SQL.Line,
			Message: inTheWay + ", so that the records nearest to the period and those of each day cannot be told.",
			Hint:    hint,
		})
	}
}
