package definition

import (
	"fmt"
	"slices"
	"strings"

	"pikegate/core/criteria"
)

// CompiledHighlight makes values of a result stand out.
type CompiledHighlight struct {
	When criteria.Expr
	As   string
	// Columns are those it is about; none means the whole record.
	Columns []string
}

// resultScope is what conditions on the columns of a result can name.
func (out *Compiled) resultScope(shown []CompiledColumn) criteria.Scope {
	scope := criteria.Scope{Tables: []criteria.Table{{Alias: "result", Table: resultTable(shown)}}}
	for _, q := range out.Questions {
		scope.Questions = append(scope.Questions, q.Question())
	}
	scope.Open = len(out.Columns) == 0 // they are those of a table that is not known here
	return scope
}

// emphasis checks what is said with the columns of a query.
func (c *compiler) emphasis() {
	if !slices.ContainsFunc(c.query.Columns, func(col Column) bool { return len(col.Emphasis) > 0 }) {
		return
	}
	before := c.scope
	defer func() { c.scope = before }()
	c.scope = c.out.resultScope(c.out.Columns)
	c.scope.Open = c.scope.Open || before.Open
	for i, col := range c.out.Columns {
		for at, h := range c.query.Columns[i].Emphasis {
			field := fmt.Sprintf("columns[%d].emphasis[%d]", i, at)
			c.highlight(field, h)
			if h.Columns != nil {
				c.fail(field+".columns", h.When.Line, "emphasis_of_column", "This emphasis is of "+col.Name+" alone.", "Leave columns out, or write it in the report.")
			}
		}
	}
}

// highlight reads the condition of one.
func (c *compiler) highlight(field string, h Highlight) criteria.Expr {
	e := c.expression(field+".when", h.When, true)
	c.ofRecords(field+".when", h.When, e)
	for _, name := range criteria.Parameters(e) {
		c.used = append(c.used, strings.ToLower(name))
	}
	return e
}

// highlights are what a report makes stand out, and what the columns that it shows say
// themselves, which counts where the report says nothing.
func (c *compiler) highlights(out *Compiled, r *Report, shown []CompiledColumn) []CompiledHighlight {
	var all []CompiledHighlight
	names := make([]string, len(shown))
	for i, col := range shown {
		names[i] = col.Name
	}
	for i, h := range r.Emphasis {
		field := fmt.Sprintf("emphasis[%d]", i)
		all = append(all, CompiledHighlight{c.highlight(field, h), h.As, h.Columns})
		for at, name := range h.Columns {
			if !slices.Contains(names, name) && !c.scope.Open {
				c.fail(fmt.Sprintf("%s.columns[%d]", field, at), h.When.Line, "unknown_column", "The report shows no column "+name+".", nearOr(name, names))
			}
		}
	}
	for _, col := range shown {
		for _, h := range col.Emphasis {
			e, _ := criteria.Parse(h.When.Value)
			for _, used := range criteria.Columns(e) {
				if !slices.Contains(names, used.Name) && !c.scope.Open {
					c.fail("columns", h.When.Line, "emphasis_needs", fmt.Sprintf("The emphasis of %s depends on %s, which the report leaves out.", col.Name, used.Name), "Add "+used.Name+" to the columns, or take the emphasis out of the query.")
					return all
				}
			}
			all = append(all, CompiledHighlight{c.highlight("columns", h), h.As, []string{col.Name}})
		}
	}
	return all
}
