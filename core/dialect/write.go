// Package dialect writes a logical statement as SQL: identifiers quoted,
// every value bound, one line for each condition. What differs between
// engines is in one file per engine.
package dialect

import (
	"fmt"
	"strconv"
	"strings"

	"pikegate/core/criteria"
	"pikegate/core/plan"
)

// Query is the text of a statement and the values bound to it.
type Query struct {
	SQL  string
	Args []any
	// Lines are the conditions: what each says and the SQL it became.
	Lines []Line
}

// Line is a condition in words, as written, and as SQL; the SQL is empty
// where the condition restricts nothing in this run.
type Line struct {
	Words string `json:"words" doc:"The condition in words"`
	Text  string `json:"text" doc:"The condition as the author wrote it"`
	SQL   string `json:"sql,omitempty" doc:"The SQL it became; empty where it restricts nothing in this run"`
}

// Dialect is what one engine does its own way.
type Dialect struct {
	name string
	// placeholder names the n-th bound value, from 1.
	placeholder func(n int) string
	// value turns a value of ours into one the driver takes.
	value func(v any) any
	// selected writes a column in the select list.
	selected func(ref criteria.Ref, quoted string) string
	// list writes a membership with many values bound as one.
	list func(x, placeholder string) string
	// encodeList makes the one value for list.
	encodeList func(values []any) any
	// contains writes that a text occurs in another, whatever its case.
	contains func(x, placeholder string) string
	// bucket writes the day, month or year of a date column; offset is the
	// expression of the offset from UTC in seconds, empty where none applies.
	bucket func(b plan.Bucket, column, offset string) string
	// divide writes a division that keeps its fraction.
	divide func(x, y string) string
}

// longList is how many values a list may bind one by one.
const longList = 200

// Write writes the statement.
func (d Dialect) Write(s plan.Statement) Query {
	w := writer{dialect: d}
	w.text("select " + w.selection(s))
	w.text("\nfrom " + table(s.From))
	for _, j := range s.Joins {
		w.text("\n")
		if j.Optional {
			w.text("left ")
		}
		w.text("join " + table(j.Table) + " on " + w.expr(j.On, true))
	}
	word := "\nwhere "
	for _, c := range s.Where {
		line := Line{Words: c.Words, Text: c.Text}
		if c.Expr != nil {
			line.SQL = w.expr(c.Expr, false)
			w.text(word + line.SQL)
			word = "\n  and "
		}
		w.lines = append(w.lines, line)
	}
	for i := range s.GroupBy {
		if i == 0 {
			w.text("\ngroup by ")
		} else {
			w.text(", ")
		}
		w.text(strconv.Itoa(i + 1))
	}
	if s.GroupBy == nil {
		w.order(s.Sort)
	} else {
		w.text("\norder by " + strconv.Itoa(len(s.GroupBy))) // the label, or the only one
	}
	if s.Limit > 0 {
		w.text("\nlimit " + strconv.Itoa(s.Limit))
		if s.Offset > 0 {
			w.text(" offset " + strconv.Itoa(s.Offset))
		}
	}
	return Query{w.sql.String(), w.args, w.lines}
}

type writer struct {
	dialect Dialect
	sql     strings.Builder
	args    []any
	lines   []Line
}

func (w *writer) text(s string) { w.sql.WriteString(s) }

// selection writes what is returned: columns, or groups and their counts.
func (w *writer) selection(s plan.Statement) string {
	var items []string
	for _, e := range s.GroupBy {
		items = append(items, w.expr(e, true))
	}
	if s.GroupBy != nil {
		return strings.Join(append(items, "count(*)"), ", ")
	}
	for _, ref := range s.Fetch {
		items = append(items, w.dialect.selected(ref, column(ref)))
	}
	return strings.Join(items, ", ")
}

// bucket writes a unit of time, following the clocks of the zone.
func (w *writer) bucket(b plan.Bucket) string {
	x, offset := column(b.Ref), ""
	if n := len(b.Shifts); n == 1 {
		offset = strconv.Itoa(b.Shifts[0].Offset)
	} else if n > 1 {
		offset = "case"
		for _, s := range b.Shifts[:n-1] {
			offset += " when " + x + " >= " + w.bind(w.dialect.value(s.From)) + " then " + strconv.Itoa(s.Offset)
		}
		offset += " else " + strconv.Itoa(b.Shifts[n-1].Offset) + " end"
	}
	return w.dialect.bucket(b, x, offset)
}

func (w *writer) order(keys []plan.SortKey) {
	for i, k := range keys {
		if i == 0 {
			w.text("\norder by ")
		} else {
			w.text(", ")
		}
		w.text(w.expr(k.Expr, false))
		if k.Descending {
			w.text(" desc")
		}
		// Blanks come last whatever the direction, and an index still serves
		// where the column cannot be blank.
		switch {
		case k.BlanksFirst:
			w.text(" nulls first")
		case k.Nullable:
			w.text(" nulls last")
		}
	}
}

// bind adds a value and gives its placeholder.
func (w *writer) bind(v any) string {
	w.args = append(w.args, v)
	return w.dialect.placeholder(len(w.args))
}

// expr writes an expression; nested tells to put "and" and "or" in parentheses.
func (w *writer) expr(e plan.Expr, nested bool) string {
	switch e := e.(type) {
	case plan.Column:
		return column(e.Ref)
	case plan.Value:
		return w.bind(w.dialect.value(e.V))
	case plan.Const:
		if e.V {
			return "1 = 1"
		}
		return "1 = 0"
	case plan.Compare:
		return w.expr(e.Left, true) + " " + e.Op + " " + w.expr(e.Right, true)
	case plan.In:
		return w.in(e)
	case plan.IsBlank:
		return w.expr(e.X, true) + " is null"
	case plan.Not:
		if blank, ok := e.X.(plan.IsBlank); ok {
			return w.expr(blank.X, true) + " is not null"
		}
		return "not (" + w.expr(e.X, false) + ")"
	case plan.Logic:
		word := " and "
		if e.Or {
			word = " or "
		}
		terms := make([]string, len(e.Terms))
		for i, t := range e.Terms {
			terms[i] = w.expr(t, true)
		}
		text := strings.Join(terms, word)
		if nested || e.Or {
			return "(" + text + ")"
		}
		return text
	case plan.Contains:
		return w.dialect.contains(w.expr(e.X, true), w.bind(e.Text))
	case plan.Bucket:
		return w.bucket(e)
	case plan.Arithmetic:
		x, y := w.expr(e.Left, true), w.expr(e.Right, true)
		if e.Op == '/' {
			return w.dialect.divide(x, y)
		}
		return "(" + x + " " + string(e.Op) + " " + y + ")"
	}
	panic(fmt.Sprintf("dialect: no such expression: %T", e))
}

func (w *writer) in(e plan.In) string {
	x := w.expr(e.X, true)
	values := make([]any, len(e.Values))
	for i, v := range e.Values {
		values[i] = w.dialect.value(v)
	}
	if len(values) > longList {
		return w.dialect.list(x, w.bind(w.dialect.encodeList(values)))
	}
	holders := make([]string, len(values))
	for i, v := range values {
		holders[i] = w.bind(v)
	}
	return x + " in (" + strings.Join(holders, ", ") + ")"
}

func table(t plan.Table) string {
	if t.Alias == t.Name {
		return quote(t.Name)
	}
	return quote(t.Name) + " as " + quote(t.Alias)
}

func column(ref criteria.Ref) string { return quote(ref.Alias) + "." + quote(ref.Column.Name) }

// quote quotes an identifier as the SQL standard does.
func quote(name string) string { return `"` + strings.ReplaceAll(name, `"`, `""`) + `"` }
