package plan

import (
	"pikegate/core/catalog"
	"pikegate/core/criteria"
)

// Rows gives the condition that the rows of a table meet which whoever asks may see,
// resolved for the table under an alias, with nothing left to be asked; nil where they
// may see all. What a condition asks of the records of other tables is asked of all of
// them.
type Rows func(table catalog.Table, alias string) criteria.Expr

// tableOf is a table under an alias, of which only those rows are read that whoever
// asks may see. Nothing else makes a Table.
func (b *binder) tableOf(t catalog.Table, alias string) Table {
	made := Table{Schema: t.Schema, Name: t.Own(), Alias: alias}
	if b.rows == nil {
		return made
	}
	condition := b.rows(t, alias)
	if condition == nil {
		return made
	}
	outer := *b // the condition is on the whole table, and reads others whole
	b.rows, b.summed, b.window = nil, nil, nil
	if bare := b.bare(condition); bare != nil {
		made.Rows = b.condition(bare, false)
	}
	b.rows, b.summed, b.window = outer.rows, outer.summed, outer.window
	return made
}

// alone is a table that is read by itself.
func (b *binder) alone(t catalog.Table) Table { return b.tableOf(t, t.Own()) }
