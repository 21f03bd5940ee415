package definition

import (
	"fmt"
	"slices"
	"unicode"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/diag"
)

// View is what a report makes of a query's result.
type View struct {
	// Columns are the names of the columns shown, in order; none means all.
	Columns []string
	Groups  []CompiledGroup
	Totals  []CompiledTotal
	// Judged are totals that are worked out and not shown.
	Judged []CompiledTotal
	// Chart is nil where nothing is drawn.
	Chart *CompiledChart
	// Emphasis is what stands out, the first that holds of a value.
	Emphasis []CompiledHighlight
	// Sort takes the place of the query's own order, where it is not empty.
	Sort []SortKey
}

// CompiledGroup puts records together by an expression over the columns of
// the result.
type CompiledGroup struct {
	Label  string
	Expr   criteria.Expr
	Totals []CompiledTotal
}

// CompiledTotal is an aggregate over the columns of the result.
type CompiledTotal struct {
	Name, Label string
	Expr        *criteria.Aggregate
	// Format is that of the column it is made of.
	Format string
}

// CompiledChart is a drawing of totals over the columns of the result.
type CompiledChart struct {
	// Kind is bars or lines.
	Kind   string
	X      criteria.Expr
	XLabel string
	Y      CompiledTotal
	// Split is nil where nothing is told apart.
	Split      criteria.Expr
	SplitLabel string
}

// View checks the groups, totals and chart of a report against a query, and
// resolves the names in them.
func (out *Compiled) View(r *Report) (View, diag.Problems) {
	c := compiler{query: &Query{}, out: &Compiled{}}
	shown := out.Columns
	if len(r.Columns) > 0 {
		shown = slices.DeleteFunc(slices.Clone(shown), func(col CompiledColumn) bool { return !slices.Contains(r.Columns, col.Name) })
	}
	c.scope = out.resultScope(shown)
	view := View{Columns: r.Columns}
	for i, g := range r.Groups {
		field := fmt.Sprintf("groups[%d]", i)
		e := c.apart(field+".by", g.By)
		if criteria.HasInOrder(out.Behind(e)) {
			c.fail(field+".by", g.By.Line, "in_order_here", "Records cannot be grouped by a column that depends on their order.", "Name another column.")
		}
		view.Groups = append(view.Groups, CompiledGroup{out.said(e), e, c.totals(field+".totals", out, g.Totals)})
	}
	view.Totals = c.totals("totals", out, r.Totals)
	view.Chart = c.chart(out, r.Chart)
	view.Emphasis = c.highlights(out, r, shown)
	return view, c.problems
}

// resultTable is a result as a table, whose columns expressions name.
func resultTable(columns []CompiledColumn) catalog.Table {
	t := catalog.Table{Name: "result"}
	for _, col := range columns {
		t.Columns = append(t.Columns, catalog.Column{Name: col.Name, Type: col.Type, Nullable: true})
	}
	return t
}

// apart reads an expression that records are told apart by.
func (c *compiler) apart(field string, text Text) criteria.Expr {
	e := c.expression(field, text, false)
	if _, aggregate := criteria.OfGroup(e); aggregate {
		c.fail(field, text.Line, "type_mismatch", "Records cannot be grouped by an aggregate.", "Name a column.")
	}
	return e
}

// chart reads what is drawn; nil where that is nothing.
func (c *compiler) chart(out *Compiled, chart Chart) *CompiledChart {
	if chart.Kind == "" || chart.X.Value == "" || chart.Y.Value == "" {
		return nil // told when it was read
	}
	x := c.apart("chart.x", chart.X)
	made := &CompiledChart{Kind: chart.Kind, X: x, XLabel: out.said(x)}
	if chart.Split.Value != "" {
		made.Split = c.apart("chart.split", chart.Split)
		made.SplitLabel = out.said(made.Split)
	}
	y := c.totals("chart.y", out, []Text{chart.Y})
	if len(y) == 0 {
		return nil
	}
	made.Y = y[0]
	if expr := made.Y.Expr; expr.X != nil && expr.Name != "count distinct" && !criteria.TypeOf(expr).IsNumber() {
		c.fail("chart.y", chart.Y.Line, "type_mismatch", "What is drawn is a number; this is not.", "Write count, or sum of a column with numbers.")
	}
	return made
}

func (c *compiler) totals(field string, out *Compiled, texts []Text) []CompiledTotal {
	var totals []CompiledTotal
	for i, text := range texts {
		at := field
		if field != "chart.y" {
			at = fmt.Sprintf("%s[%d]", field, i)
		}
		e, problems := criteria.ParseAggregate(text.Value)
		e = c.resolved(at, text, e, problems, false)
		aggregate, ok := e.(*criteria.Aggregate)
		if !ok {
			if e != nil {
				c.fail(at, text.Line, "type_mismatch", fmt.Sprintf("%q is not made of many records.", text.Value), "Write count, sum of toll, average of, least of, greatest of or count distinct of.")
			}
			continue
		}
		if aggregate.IsPlaced() {
			c.fail(at, text.Line, "no_percentile", "A "+aggregate.Name+" is no total: it would need all records at once.", "Have the query work it out, as a column of its groups.")
			continue
		}
		total := CompiledTotal{Name: criteria.Print(e), Label: out.said(e), Expr: aggregate}
		if column, ok := aggregate.X.(*criteria.Column); ok && aggregate.Name != "count distinct" {
			for _, col := range out.Columns {
				if col.Name == column.Name {
					total.Format = col.Format
				}
			}
		}
		totals = append(totals, total)
	}
	return totals
}

// said is how people read a group or a total: with the labels of columns.
func (out *Compiled) said(e criteria.Expr) string {
	if e == nil {
		return ""
	}
	if column, ok := e.(*criteria.Column); ok {
		for _, col := range out.Columns {
			if col.Name == column.Name {
				return col.Heading()
			}
		}
	}
	switch n := e.(type) {
	case *criteria.Aggregate:
		where := ""
		if n.Where != nil {
			where = " where " + inner(Labelled(criteria.Print(n.Where)))
		}
		if n.X == nil {
			return "Records" + where
		}
		return n.Of() + inner(out.said(n.X)) + where
	case *criteria.UnitOf:
		return Labelled(n.Unit) + " of " + inner(out.said(n.X))
	}
	return Labelled(criteria.Print(e))
}

// inner is a label inside another: its first letter small, unless it is one of
// several capitals.
func inner(label string) string {
	runes := []rune(label)
	if len(runes) > 1 && unicode.IsLower(runes[1]) {
		runes[0] = unicode.ToLower(runes[0])
	}
	return string(runes)
}

// Behind puts the expressions that the columns of the result were made of in
// the place of their names.
func (out *Compiled) Behind(e criteria.Expr) criteria.Expr {
	return criteria.Map(e, func(e criteria.Expr) criteria.Expr {
		if column, ok := e.(*criteria.Column); ok {
			for _, col := range out.Columns {
				if col.Name == column.Name {
					return col.Expr
				}
			}
		}
		return e
	})
}
