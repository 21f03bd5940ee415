package plan

import (
	"slices"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
)

// FirstRows makes the statement for rows of a table as they are stored, some of
// its columns or all.
func (p Planner) FirstRows(t catalog.Table, columns []catalog.Column, most int) Selection {
	s := Selection{Statement: Statement{From: p.binder(nil).alone(t), DateIndex: -1, Limit: most}}
	for i := range columns {
		c := &columns[i]
		s.Fetch = append(s.Fetch, Fetched{Ref: criteria.Ref{Alias: t.Own(), Column: c, Nullable: c.Nullable}})
		s.Outputs = append(s.Outputs, Output{Name: c.Name, Label: c.Name, Type: c.Type, Column: *c, Index: i})
	}
	return s
}

// Values makes the statement that lists the values that occur in a column of a table,
// with how many records have each.
func (p Planner) Values(t catalog.Table, c *catalog.Column, search Search) Statement {
	s := Statement{From: p.binder(nil).alone(t), DateIndex: -1}
	column := Column{criteria.Ref{Alias: t.Own(), Column: c, Nullable: c.Nullable}}
	s.Where = append(s.Where, Condition{Expr: Not{IsBlank{column}}})
	grouped(&s, column)
	narrow(&s, column, column, search)
	return s
}

// RowsOf narrows a statement of a table's rows to those that have one of the
// values in a column.
func (s Statement) RowsOf(c *catalog.Column, values []any) Statement {
	s.Where = []Condition{{Expr: In{X: Column{criteria.Ref{Alias: s.From.Alias, Column: c}}, Values: values}}}
	return s
}

// UnfitRows makes the statement for the records of a table in which a value of a
// column with dates is none, their keys first.
func (p Planner) UnfitRows(t catalog.Table, c *catalog.Column, most int) Selection {
	var keys, others []catalog.Column
	for _, name := range t.Key {
		if key, ok := t.Column(name); ok && key.Name != c.Name {
			keys = append(keys, *key)
		}
	}
	for _, other := range t.Columns {
		if other.Name != c.Name && !slices.Contains(t.Key, other.Name) {
			others = append(others, other)
		}
	}
	s := p.FirstRows(t, slices.Concat(keys, []catalog.Column{*c}, others), most)
	for _, key := range s.Fetch[:len(keys)] {
		s.Sort = append(s.Sort, SortKey{Expr: Column{key.Ref}})
	}
	s.Where = []Condition{{Expr: Unfit(s.Fetch[len(keys)].Ref)}}
	return s
}

// Ends makes the statement for the least and the greatest number of a column.
func (p Planner) Ends(t catalog.Table, c *catalog.Column) Statement {
	column := Column{criteria.Ref{Alias: t.Own(), Column: c}}
	return Statement{From: p.binder(nil).alone(t), DateIndex: -1, Aggregates: []Expr{Aggregate{Name: "least", X: column}, Aggregate{Name: "greatest", X: column}}}
}

// Statistic says where in a row of Statistics what is known of a column stands,
// -1 where it is not asked; Read is how its ends are read.
type Statistic struct {
	Present, Distinct, Least, Greatest int
	Read                               *catalog.Column
}

// Statistics makes the statement that tells of each column of a table how many
// values it has, how many different ones, the least and the greatest. The first
// value of its row is how many records there are.
func (p Planner) Statistics(t catalog.Table) (s Statement, statistics []Statistic) {
	s = Statement{From: p.binder(nil).alone(t), DateIndex: -1}
	add := func(name string, x Expr) int {
		s.Aggregates = append(s.Aggregates, Aggregate{Name: name, X: x})
		return len(s.Aggregates) - 1
	}
	add("count", nil)
	b := p.binder(nil)
	for i := range t.Columns {
		c := &t.Columns[i]
		column := Column{criteria.Ref{Alias: t.Own(), Column: c}}
		at := Statistic{add("present", column), -1, -1, -1, orderedColumn(c)}
		if c.Type != catalog.Other {
			at.Distinct = add("count distinct", column)
		}
		if c.Encoding != "" || c.Type.IsNumber() {
			ordered := b.ordered(&criteria.Column{Name: c.Name, Ref: column.Ref})
			at.Least, at.Greatest = add("least", ordered), add("greatest", ordered)
		}
		statistics = append(statistics, at)
	}
	return s, statistics
}
