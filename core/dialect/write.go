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
	// divide writes a division that keeps its fraction.
	divide func(x, y string) string
}

// longList is how many values a list may bind one by one.
const longList = 200

// Write writes the statement.
func (d Dialect) Write(s plan.Statement) Query {
	w := writer{dialect: d}
	w.text("select ")
	if s.Distinct {
		w.text("distinct ")
	}
	for i, ref := range s.Fetch {
		if i > 0 {
			w.text(", ")
		}
		w.text(d.selected(ref, column(ref)))
	}
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
	w.order(s.Sort)
	if s.Limit > 0 {
		w.text("\nlimit " + strconv.Itoa(s.Limit))
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
