// Package dialect writes a logical statement as SQL: identifiers quoted,
// every value bound, one line for each condition. What differs between
// engines is in one file per engine.
package dialect

import (
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/definition"
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
	// quote quotes an identifier.
	quote func(name string) string
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
	// moment writes a date column as text; offset writes its offset from UTC in
	// seconds, for an engine that knows no zones.
	moment func(m plan.Moment, column string, offset func() string) string
	// part writes something said of a day, which is text.
	part func(p plan.DatePart, x string) string
	// moved writes a date, as text, moved by months and then days.
	moved func(m plan.Moved, x string) string
	// daysBetween counts the days from one day, as text, to another.
	daysBetween func(from, to string) string
	// match writes contains, starts with or ends with.
	match func(op, x, y string) string
	// function writes a function of values that it does its own way; empty
	// for what is written as name(x, …).
	function func(name string, args []string) string
	// divide writes a division that keeps its fraction.
	divide func(x, y string) string
	// collate has a text compared by code point.
	collate func(x string) string
	// blanks writes where blanks stand in an order; x is the key, and the text
	// so far its direction.
	blanks func(x, key string, first bool) string
	// finish puts the last hand to a statement; nil for none.
	finish func(q Query) Query
}

// done gives the statement that was written.
func (w *writer) done() Query {
	q := Query{w.sql.String(), w.args, w.lines}
	if w.dialect.finish != nil {
		return w.dialect.finish(q)
	}
	return q
}

// longList is how many values a list may bind one by one.
const longList = 200

// Write writes the statement.
func (d Dialect) Write(s plan.Statement) Query {
	w := writer{dialect: d}
	w.statement(s)
	return w.done()
}

// WriteTogether writes statements that fetch one value each as one statement
// that fetches all of them.
func (d Dialect) WriteTogether(statements []plan.Statement) Query {
	w := writer{dialect: d}
	for i, s := range statements {
		if i == 0 {
			w.text("select\n(")
		} else {
			w.text("),\n(")
		}
		w.statement(s)
	}
	w.text(")")
	return w.done()
}

func (w *writer) statement(s plan.Statement) {
	w.text("select " + w.selection(s))
	if s.Raw == nil {
		w.text("\nfrom " + w.table(s.From))
	}
	for _, j := range s.Joins {
		w.text("\n")
		if j.Optional {
			w.text("left ")
		}
		w.text("join " + w.table(j.Table) + " on " + w.expr(j.On, true))
	}
	if s.Raw != nil {
		w.text("\nfrom (\n")
		w.raw(s)
		w.text("\n) as " + w.dialect.quote(definition.Result))
		w.tail(s)
		return
	}
	for i, condition := range w.conditions(s, true) {
		if i == 0 {
			w.text("\nwhere " + condition)
		} else {
			w.text("\n  and " + condition)
		}
	}
	for i := range s.GroupBy {
		if i == 0 {
			w.text("\ngroup by ")
		} else {
			w.text(", ")
		}
		w.text(strconv.Itoa(i + 1))
	}
	w.tail(s)
}

// tail writes the order and the limit.
func (w *writer) tail(s plan.Statement) {
	w.order(s)
	if s.Limit > 0 {
		w.text("\nlimit " + strconv.Itoa(s.Limit))
		if s.Offset > 0 {
			w.text(" offset " + strconv.Itoa(s.Offset))
		}
	}
}

type writer struct {
	dialect Dialect
	sql     strings.Builder
	args    []any
	lines   []Line
}

func (w *writer) text(s string) { w.sql.WriteString(s) }

// selection writes what is returned: columns, or groups and what is made of
// their records.
func (w *writer) selection(s plan.Statement) string {
	var items []string
	for _, ref := range s.Fetch {
		items = append(items, w.dialect.selected(ref, w.column(ref)))
	}
	for i, e := range slices.Concat(s.GroupBy, s.Aggregates) {
		text := w.comparable(e, true)
		if c, ok := e.(plan.Column); ok {
			text = w.dialect.selected(c.Ref, text)
		}
		items = append(items, text+" as "+alias(i))
	}
	return strings.Join(items, ", ")
}

// moment writes a date column as text, following the clocks of the zone.
func (w *writer) moment(m plan.Moment) string {
	x := w.column(m.Ref)
	return w.dialect.moment(m, x, func() string {
		n := len(m.Shifts)
		if n == 1 {
			return strconv.Itoa(m.Shifts[0].Offset)
		}
		offset := "case"
		for _, s := range m.Shifts[:n-1] {
			offset += " when " + x + " >= " + w.bind(w.dialect.value(s.From)) + " then " + strconv.Itoa(s.Offset)
		}
		return offset + " else " + strconv.Itoa(m.Shifts[n-1].Offset) + " end"
	})
}

// WriteRaw writes hand-written SQL by itself, as Described has it.
func (d Dialect) WriteRaw(s plan.Statement) Query {
	w := writer{dialect: d}
	w.raw(s)
	return w.done()
}

// raw writes hand-written SQL with its conditions and values in place.
func (w *writer) raw(s plan.Statement) {
	told := false
	for _, p := range s.Raw {
		switch {
		case p.Slot:
			conditions := w.conditions(s, !told)
			told = true
			if len(conditions) == 0 {
				conditions = []string{"1 = 1"}
			}
			w.text("(" + strings.Join(conditions, "\n  and ") + ")")
		case p.Values != nil:
			holders := make([]string, len(p.Values))
			for i, v := range p.Values {
				holders[i] = w.bind(w.dialect.value(v))
			}
			text := strings.Join(holders, ", ")
			if p.List {
				text = "(" + text + ")"
			}
			w.text(text)
		default:
			w.text(p.Text)
		}
	}
}

// conditions writes each condition, and tells what it became.
func (w *writer) conditions(s plan.Statement, tell bool) []string {
	var out []string
	for _, c := range s.Where {
		line := Line{Words: c.Words, Text: c.Text}
		if c.Expr != nil {
			line.SQL = w.expr(c.Expr, false)
			out = append(out, line.SQL)
		}
		if tell {
			w.lines = append(w.lines, line)
		}
	}
	return out
}

// alias names an item of a grouped statement, so that it can be ordered by.
func alias(i int) string { return "item_" + strconv.Itoa(i+1) }

func (w *writer) order(s plan.Statement) {
	items := slices.Concat(s.GroupBy, s.Aggregates)
	for i, k := range s.Sort {
		if i == 0 {
			w.text("\norder by ")
		} else {
			w.text(", ")
		}
		x := ""
		if at := slices.IndexFunc(items, func(e plan.Expr) bool { return reflect.DeepEqual(e, k.Expr) }); at >= 0 {
			x = alias(at)
		} else {
			x = w.comparable(k.Expr, false)
		}
		key := x
		if k.Descending {
			key += " desc"
		}
		// Blanks come last whatever the direction, and an index still serves
		// where the column cannot be blank.
		if k.BlanksFirst || k.Nullable {
			key = w.dialect.blanks(x, key, k.BlanksFirst)
		}
		w.text(key)
	}
}

// comparable writes an expression that is compared, grouped or ordered: a text
// by code point, whatever the database would do.
func (w *writer) comparable(e plan.Expr, nested bool) string {
	if collated(e) {
		return w.dialect.collate(w.expr(e, nested))
	}
	return w.expr(e, nested)
}

// collated tells whether an expression is a text that the database would
// compare otherwise than by code point.
func collated(e plan.Expr) bool {
	switch e := e.(type) {
	case plan.Column:
		return e.Ref.Column.Collated && e.Ref.Column.Type == catalog.Text && e.Ref.Column.Encoding == ""
	case plan.If:
		return collated(e.Then) || collated(e.Else)
	case plan.Func:
		return e.Name != "length" && slices.ContainsFunc(e.Args, collated)
	}
	return false
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
		return w.column(e.Ref)
	case plan.Value:
		if e.V == nil {
			return "null"
		}
		return w.bind(w.dialect.value(e.V))
	case plan.Const:
		if e.V {
			return "1 = 1"
		}
		return "1 = 0"
	case plan.Compare:
		if collated(e.Left) || collated(e.Right) {
			return w.dialect.collate(w.expr(e.Left, true)) + " " + e.Op + " " + w.expr(e.Right, true)
		}
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
		return w.dialect.contains(w.expr(e.X, true), w.bind(w.dialect.value(e.Text)))
	case plan.Moment:
		return w.moment(e)
	case plan.DatePart:
		return "(" + w.dialect.part(e, w.expr(e.X, true)) + ")"
	case plan.Moved:
		return w.dialect.moved(e, w.expr(e.X, true))
	case plan.DaysBetween:
		return w.dialect.daysBetween(w.expr(e.From, true), w.expr(e.To, true))
	case plan.Match:
		return "(" + w.match(e) + ")"
	case plan.If:
		return "case when " + w.expr(e.When, false) + " then " + w.expr(e.Then, true) + " else " + w.expr(e.Else, true) + " end"
	case plan.Func:
		return w.function(e)
	case plan.Aggregate:
		return w.aggregate(e)
	case plan.Arithmetic:
		x, y := w.expr(e.Left, true), w.expr(e.Right, true)
		if e.Op == '/' {
			return w.dialect.divide(x, y)
		}
		return "(" + x + " " + string(e.Op) + " " + y + ")"
	}
	panic(fmt.Sprintf("dialect: no such expression: %T", e))
}

func (w *writer) match(e plan.Match) string {
	x, y := w.expr(e.X, true), w.expr(e.Y, true)
	if collated(e.X) || collated(e.Y) {
		x, y = w.dialect.collate(x), w.dialect.collate(y)
	}
	return w.dialect.match(e.Op, x, y)
}

func (w *writer) function(e plan.Func) string {
	args := make([]string, len(e.Args))
	for i, arg := range e.Args {
		args[i] = w.expr(arg, true)
	}
	if text := w.dialect.function(e.Name, args); text != "" {
		return text
	}
	switch {
	case e.Name == "concat":
		return "(" + strings.Join(args, " || ") + ")"
	case e.Name == "coalesce" && len(args) == 1:
		return args[0]
	}
	return e.Name + "(" + strings.Join(args, ", ") + ")"
}

func (w *writer) aggregate(e plan.Aggregate) string {
	switch e.Name {
	case "count":
		return "count(*)"
	case "count distinct":
		return "count(distinct " + w.comparable(e.X, false) + ")"
	}
	names := map[string]string{"sum": "sum", "average": "avg", "least": "min", "greatest": "max", "present": "count"}
	return names[e.Name] + "(" + w.comparable(e.X, false) + ")"
}

func (w *writer) in(e plan.In) string {
	x := w.comparable(e.X, true)
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

func (w *writer) table(t plan.Table) string {
	if t.Alias == t.Name {
		return w.dialect.quote(t.Name)
	}
	return w.dialect.quote(t.Name) + " as " + w.dialect.quote(t.Alias)
}

func (w *writer) column(ref criteria.Ref) string {
	return w.dialect.quote(ref.Alias) + "." + w.dialect.quote(ref.Column.Name)
}

func isMonday(p plan.DatePart) bool { return p.WeekStart == time.Monday }

// quoteStandard quotes an identifier as the SQL standard does.
func quoteStandard(name string) string {
	if strings.IndexByte(name, '"') < 0 {
		return `"` + name + `"`
	}
	return `"` + strings.ReplaceAll(name, `"`, `""`) + `"`
}

// blanksStandard writes NULLS FIRST and NULLS LAST; source: SQL:2003.
func blanksStandard(_, key string, first bool) string {
	if first {
		return key + " nulls first"
	}
	return key + " nulls last"
}
