package definition

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/sqltext"
)

// Result is the name the rows of hand-written SQL have in the statement.
const Result = "result"

// handWritten takes the SQL of a query apart: the slot for its criteria, the
// answers it uses, and, from the database, its columns.
func (c *compiler) handWritten() {
	q := c.query
	if q.From != "" || len(q.Joins) > 0 {
		c.fail("sql", q.SQL.Line, "twice", "A query has sql, or from and joins, not both.", "Remove one of them.")
	}
	var flavour sqltext.Flavour
	if c.source != nil {
		flavour = c.source.Traits.SQL
	}
	pieces, problems := sqltext.Split(q.SQL.Value, flavour)
	c.place("sql", q.SQL, problems)
	c.out.SQL = pieces
	tables := q.Tables
	if len(tables) == 0 && c.source != nil {
		tables = TablesIn(q.SQL.Value, c.source)
	}
	for _, alias := range slices.Sorted(maps.Keys(tables)) {
		c.scope.Tables = append(c.scope.Tables, c.table("tables."+alias, tables[alias], alias, false))
	}
	c.out.Slot = c.scope.Tables
	c.out.rowsOf = map[string]catalog.Table{}
	for _, p := range pieces {
		if p.Kind != sqltext.Rows || c.source == nil {
			continue
		}
		t, ok := c.source.Table(p.Text)
		if !ok {
			found := diag.At(q.SQL.Value, p.Start, p.End, "unknown_table", "The source has no table "+p.Text+".")
			found.Hint = diag.DidYouMean(p.Text, c.source.TableNames())
			problems = append(problems, found)
			c.place("sql", q.SQL, diag.Problems{found})
			continue
		}
		c.out.rowsOf[strings.ToLower(p.Text)] = t
	}
	if !slices.ContainsFunc(pieces, func(p sqltext.Piece) bool { return p.Kind == sqltext.Criteria }) && q.Criteria.Value != "" {
		c.fail("criteria", q.Criteria.Line, "no_slot", "The SQL has no criteria(), so the criteria would change nothing.", "Write where criteria() in the SQL.")
	}
	c.out.From = criteria.Table{Alias: Result, Table: catalog.Table{Name: Result, View: true}}
	if c.library.Result == nil || c.source == nil || problems.Failed() {
		return
	}
	result, err := c.library.Result(q)
	if err != nil {
		c.refusedSQL(err)
		return
	}
	c.out.From.Table = result.Table
	c.encodings()
	c.heldAgainst(result)
	if c.out.Reads = result.Reads; c.out.Reads == nil {
		c.out.Reads = c.source.ReadsOf(q.SQL.Value)
	}
	for _, what := range c.out.Reads.Unknown {
		c.problems = append(c.problems, diag.Problem{
			Code: "not_followed", Severity: diag.Warning, Field: "sql", Line: q.SQL.Line,
			Message: "What this reads cannot be told: " + what + ". It counts as reading every table.", Hint: "Use functions of the database that read nothing else, and tables of the source.",
		})
	}
	for _, found := range result.Table.Columns {
		if len(q.Columns) > 0 && !slices.ContainsFunc(q.Columns, func(col Column) bool { return names(col.Value, found.Name) }) {
			c.problems = append(c.problems, diag.Problem{
				Code: "column_not_listed", Severity: diag.Warning, Field: "columns",
				Message: "The SQL returns " + found.Name + " as well, which is not shown.", Hint: "Add it to columns, or take it out of the SQL.",
			})
		}
	}
}

// encodings says how the dates in the result of hand-written SQL are stored, as the columns
// have it.
func (c *compiler) encodings() {
	table := c.out.From.Table
	table.Columns = slices.Clone(table.Columns)
	result := catalog.Source{Name: Result, Traits: c.source.Traits, Tables: []catalog.Table{table}}
	for i, col := range c.query.Columns {
		encoding := catalog.Encoding(col.Encoding)
		if encoding == "" || encoding.Check() != nil {
			continue // told with the column
		}
		column, ok := col.plain()
		if !ok {
			continue
		}
		if err := result.SetEncoding(Result+"."+column.Name, encoding); errors.Is(err, catalog.ErrNotText) {
			c.fail(nth("columns", i)+".encoding", col.Value.Line, "layout_of_text", column.Name+" is no text, and "+col.Encoding+" is a layout of texts.", "Set an encoding of numbers, such as ymd, unix-s or serial-1900.")
		} // an unknown column is told with its value
	}
	c.out.From.Table = result.Tables[0]
}

// heldAgainst holds what is said of the dates in the result, and what is not, against some
// of its values.
func (c *compiler) heldAgainst(result Described) {
	for i, col := range c.query.Columns {
		column, ok := col.plain()
		if !ok {
			continue
		}
		stored, found := c.out.From.Table.Column(column.Name)
		if !found || len(result.Values[stored.Name]) == 0 {
			continue
		}
		some := result.Values[stored.Name]
		field := nth("columns", i)
		proposed := result.Proposed[stored.Name]
		switch said := catalog.Encoding(col.Encoding); {
		case said == "" && !stored.Type.IsDate() && proposed != "":
			c.problems = append(c.problems, diag.Problem{
				Code: "looks_dated", Severity: diag.Warning, Field: field, Line: col.Value.Line,
				Message: fmt.Sprintf("%s looks like dates: %s fits the first %d values.", stored.Name, proposed, len(some)),
				Hint:    fmt.Sprintf("To have them compared, grouped and shown as dates, write {name: %s, value: %s, encoding: %s}.", col.Name, col.Value.Value, proposed),
			})
		case said != "" && said.Check() == nil && stored.Type.IsDate():
			n := catalog.Unfitting(*stored, said, some)
			if n == 0 {
				continue
			}
			hint := "Records with such values have no date."
			if proposed != "" {
				hint = string(proposed) + " would fit them."
			}
			c.problems = append(c.problems, diag.Problem{
				Code: "encoding_does_not_fit", Severity: diag.Warning, Field: field + ".encoding", Line: col.Value.Line,
				Message: fmt.Sprintf("%s does not fit %s: of the first %d values, %d are no such dates.", said, stored.Name, len(some), n), Hint: hint,
			})
		}
	}
}

// refusedSQL says what the database has against hand-written SQL, and where, if
// it says that.
func (c *compiler) refusedSQL(err error) {
	sql := c.query.SQL
	var near interface{ Near() (text string, nth int) }
	text, nth := "", 0
	if errors.As(err, &near) {
		text, nth = near.Near()
	}
	at := -1
	for from := 0; text != "" && nth >= 0; nth-- {
		next := strings.Index(sql.Value[from:], text)
		if next < 0 {
			break
		}
		at = from + next
		from = at + len(text)
	}
	if at < 0 {
		c.fail("sql", sql.Line, "sql_refused", err.Error(), "")
		return
	}
	c.place("sql", sql, diag.Problems{diag.At(sql.Value, at, at+len(text), "sql_refused", err.Error())})
}

// names tells whether a value is made of a column.
func names(value Text, column string) bool {
	e, _ := criteria.ParseAggregate(value.Value)
	return slices.ContainsFunc(criteria.Columns(e), func(c *criteria.Column) bool { return strings.EqualFold(c.Name, column) })
}

// overResult looks names up in the rows of hand-written SQL, where there is
// some, instead of in the tables of its slot.
func (c *compiler) overResult(do func()) {
	scope := c.scope
	if c.out.SQL != nil {
		c.answersInSQL()
		c.scope.Tables = []criteria.Table{c.out.From}
		c.scope.Open = c.scope.Open || c.out.From.Table.Columns == nil
	}
	do()
	c.scope = scope
}
