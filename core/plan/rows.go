package plan

import (
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/parameter"
)

// Rows tells which rows of a table, under an alias, whoever asks may see: those that
// any of some conditions opens to them, where restricted, and else all. What a
// condition asks of the records of other tables is asked of all of them.
type Rows func(table catalog.Table, alias string) (opened []Opened, restricted bool)

// Opened is a condition that opens rows, resolved, with what it asks of whoever asks.
type Opened struct {
	// Title is what people read of it, blank where that is the condition itself.
	Title     string
	Condition criteria.Expr
	Questions []parameter.Parameter
	Values    parameter.Values
	// Calendar is that in which it is read; the zero one is that of the statement.
	Calendar civil.Calendar
}

// tableOf is a table under an alias, of which only those rows are read that whoever
// asks may see. Nothing else makes a Table.
func (b *binder) tableOf(t catalog.Table, alias string) Table {
	made := Table{Schema: t.Schema, Name: t.Own(), Alias: alias}
	if b.rows == nil {
		return made
	}
	opened, restricted := b.rows(t, alias)
	if !restricted {
		return made
	}
	any, all, words := Logic{Or: true}, &criteria.Logic{Or: true}, []string{}
	for _, o := range opened {
		bare, own := b.opened(o)
		if bare == nil {
			return made // it opens every row
		}
		any.Terms, all.Terms = append(any.Terms, own.condition(bare, false)), append(all.Terms, bare)
		said := o.Title
		if said == "" {
			said = own.said(o.Condition)
		}
		words = append(words, said)
		b.parts += own.parts
		b.problems = append(b.problems, own.problems...)
	}
	switch len(any.Terms) {
	case 0:
		made.Rows = Const{false}
	case 1:
		made.Rows, made.Bare = any.Terms[0], all.Terms[0]
	default:
		made.Rows, made.Bare = any, all
	}
	made.Words = strings.Join(words, "; or ")
	return made
}

// opened gives a condition that opens rows its values, and who is to bind it: for
// itself, of whole tables, and strictly, since what it lets through is not looked at
// again. It is nil where it opens every row.
func (b *binder) opened(o Opened) (criteria.Expr, *binder) {
	own := &binder{compiled: &definition.Compiled{Query: &definition.Query{}, Questions: o.Questions, Traits: b.compiled.Traits}, given: o.Values, calendar: o.Calendar, sure: b.sure}
	if own.calendar.Zone == nil {
		own.calendar = b.calendar
	}
	return own.bare(o.Condition), own
}

// alone is a table that is read by itself.
func (b *binder) alone(t catalog.Table) Table { return b.tableOf(t, t.Own()) }

// Restricted is a table of which not every row may be seen.
type Restricted struct {
	Table string
	// Rows are those that are seen, by what opens them: its title, and its condition in
	// words. There are none where it is empty.
	Rows []Seen
}

// Seen is rows that are seen.
type Seen struct{ Title, Words string }

// Restricts tells of which of some tables not every row is shown to whoever asks.
func (p Planner) Restricts(tables []catalog.Table) (all []Restricted) {
	if p.Rows == nil {
		return nil
	}
	b := p.binder(nil)
	for _, t := range tables {
		opened, restricted := p.Rows(t, t.Own())
		if !restricted {
			continue
		}
		r := Restricted{Table: t.Name, Rows: []Seen{}}
		for _, o := range opened {
			if _, own := b.opened(o); !slices.ContainsFunc(r.Rows, func(s Seen) bool { return s.Words == own.said(o.Condition) }) {
				r.Rows = append(r.Rows, Seen{o.Title, own.said(o.Condition)})
			}
		}
		all = append(all, r)
	}
	return all
}
