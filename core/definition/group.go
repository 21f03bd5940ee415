package definition

import (
	"fmt"
	"slices"
	"strings"
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
	// Across is nil where records are shown one by one.
	Across *CompiledAcross
	// Sort takes the place of the query's own order, where it is not empty.
	Sort []SortKey
}

// CompiledGroup puts records together by an expression over the columns of
// the result.
type CompiledGroup struct {
	Label  string
	Expr   criteria.Expr
	Totals []CompiledTotal
	// Head, Once and Page are as the report has them.
	Head, Once, Page bool
}

// CompiledTotal is an aggregate over the columns of the result.
type CompiledTotal struct {
	Name, Label string
	Expr        *criteria.Aggregate
	// Format is that of the column it is made of.
	Format string
}

// CompiledAcross is what stands along the top of a table whose lines are groups.
type CompiledAcross struct {
	Label string
	Expr  criteria.Expr
	Of    []CompiledTotal
	Empty string
	// Emphasis is what makes cells stand out, the first that holds.
	Emphasis []CompiledCellHighlight
}

// CompiledCellHighlight makes a cell stand out.
type CompiledCellHighlight struct {
	When *Verdict
	As   string
}

// CompiledChart is a drawing of totals over the columns of the result.
type CompiledChart struct {
	// Chart is as the report has it.
	Chart
	X      criteria.Expr
	XLabel string
	// Ys are what is drawn, those against the second axis at the end.
	Ys []CompiledTotal
	// Split and Panels are nil where nothing is told apart.
	Split, Panels           criteria.Expr
	SplitLabel, PanelsLabel string
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
		view.Groups = append(view.Groups, CompiledGroup{out.said(e), e, c.totals(field+".totals", out, g.Totals), g.Head, g.Once, g.Page})
		if _, plain := e.(*criteria.Column); g.Once && e != nil && !plain {
			c.fail(field+".once", g.By.Line, "once_of_column", "The group is by a value made of columns, which no column shows.", "Take once out, or group by a column.")
		}
	}
	view.Totals = c.totals("totals", out, r.Totals)
	view.Chart = c.chart(out, r.Chart)
	view.Emphasis = c.highlights(out, r, shown)
	view.Across = c.across(out, r)
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

// across reads what stands along the top; nil where that is nothing.
func (c *compiler) across(out *Compiled, r *Report) *CompiledAcross {
	if r.Across.By.Value == "" {
		return nil
	}
	e := c.apart("across.by", r.Across.By)
	of := r.Across.Of
	if len(of) == 0 {
		of = []Text{{Value: "count", Line: r.Across.By.Line}}
	}
	made := &CompiledAcross{out.said(e), e, c.totals("across.of", out, of), r.Across.Empty, nil}
	for i, h := range r.Across.Emphasis {
		field := fmt.Sprintf("across.emphasis[%d]", i)
		if len(h.Columns) > 0 {
			c.fail(field+".columns", h.When.Line, "not_of_cells", "A cell stands out as a whole.", "Take columns out.")
		}
		when, found := out.Verdict(r, h.When)
		c.place(field+".when", h.When, found)
		if !found.Failed() {
			made.Emphasis = append(made.Emphasis, CompiledCellHighlight{when, h.As})
		}
	}
	switch {
	case len(r.Groups) == 0:
		c.fail("across", r.Across.By.Line, "across_groups", "The lines of such a table are groups, and there are none.", "Write groups: with what is to stand at the left.")
	case len(r.Emphasis) > 0 || slices.ContainsFunc(out.Columns, func(col CompiledColumn) bool { return len(col.Emphasis) > 0 && len(r.Columns) == 0 }):
		c.fail("across", r.Across.By.Line, "across_records", "Emphasis is of records, which such a table does not show.", "Write emphasis under across, with a condition on totals, or name in columns those without.")
	case criteria.HasInOrder(out.Behind(e)):
		c.fail("across.by", r.Across.By.Line, "in_order_here", "Records cannot be grouped by a column that depends on their order.", "Name another column.")
	}
	return made
}

// chart reads what is drawn; nil where that is nothing.
func (c *compiler) chart(out *Compiled, chart Chart) *CompiledChart {
	if chart.Kind == "" || chart.X.Value == "" || chart.Y.Value == "" {
		return nil // told when it was read
	}
	x := c.apart("chart.x", chart.X)
	made := &CompiledChart{Chart: chart, X: x, XLabel: out.said(x)}
	if chart.Split.Value != "" {
		made.Split = c.apart("chart.split", chart.Split)
		made.SplitLabel = out.said(made.Split)
	}
	if chart.Panels.Value != "" {
		made.Panels = c.apart("chart.panels", chart.Panels)
		made.PanelsLabel = out.said(made.Panels)
	}
	drawn := func(field string, text Text) {
		y := c.totals(field, out, []Text{text})
		if len(y) == 0 {
			return
		}
		made.Ys = append(made.Ys, y[0])
		if expr := y[0].Expr; expr.X != nil && expr.Name != "count distinct" && !criteria.TypeOf(expr).IsNumber() {
			c.fail(field, text.Line, "type_mismatch", "What is drawn is a number; this is not.", "Write count, or sum of a column with numbers.")
		}
	}
	drawn("chart.y", chart.Y)
	for i, text := range chart.Also {
		drawn(fmt.Sprintf("chart.also[%d]", i), text)
	}
	for i, text := range chart.Second {
		drawn(fmt.Sprintf("chart.second[%d]", i), text)
	}
	switch several := len(chart.Also) + len(chart.Second); {
	case several > 0 && chart.Split.Value != "":
		c.fail("chart.split", chart.Split.Line, "chart_of_both", "A chart is either of several values or split by one.", "Take out split, or also and second; panels go with both.")
	case several > maxSeries:
		c.fail("chart.also", chart.Y.Line, "too_many", fmt.Sprintf("A chart draws %d values at the most.", maxSeries+1), "Leave some out.")
	}
	if len(made.Ys) != 1+len(chart.Also)+len(chart.Second) {
		return nil // told above
	}
	return made
}

// maxSeries is how many values a chart draws besides the first.
const maxSeries = 7

func (c *compiler) totals(field string, out *Compiled, texts []Text) []CompiledTotal {
	var totals []CompiledTotal
	for i, text := range texts {
		at := field
		if !strings.HasPrefix(field, "chart.") {
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
	case *criteria.Call:
		if n.Name == "date_of" {
			return "Day of " + inner(out.said(n.Args[0]))
		}
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
