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
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/plan"
)

// Query is the text of a statement and the values bound to it.
type Query struct {
	SQL  string
	Args []any
	// Lines are the conditions: what each says and the SQL it became.
	Lines []Line

	tooLong bool
}

// MaxSQL is how long a statement may become, in bytes.
const MaxSQL = 1 << 20

// Err says that the statement became too long to be asked of a database: it is
// not whole then.
func (q Query) Err() error {
	if !q.tooLong {
		return nil
	}
	return diag.Problems{{
		Code: "too_large", Field: "criteria", Message: "With these answers the criteria become SQL of more than 1 MiB.",
		Hint: "Ask with fewer conditions, or with fewer functions inside each other.",
	}}
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
	// list writes a membership with many values bound as one; blanks are in none,
	// and not out of one either.
	list func(x, placeholder string, values []any) string
	// encodeList makes the one value for list.
	encodeList func(values []any) any
	// contains writes that a text occurs in another, whatever its case.
	contains func(x, placeholder string) string
	// moment writes a date column, whose value fits, as text; offset writes its
	// offset from UTC in seconds, given it in UTC as such text, for an engine that
	// knows no zones.
	moment func(m plan.Moment, column string, offset func(utc string) string) string
	// clocked writes a date as text all by itself; empty where moment does. Nil
	// where it always does.
	clocked func(m plan.Moment, column string) string
	// change writes when the clocks change in the year of a date given as text.
	change func(c civil.YearlyChange, utc string) string
	// fits writes that the value of a date column is one as its encoding has it;
	// stored gives a count that is kept as text as a number.
	fits, stored func(c catalog.Column, x string) string
	// cast writes a placeholder with the type of its value; nil for none.
	cast func(v any, placeholder string) string
	// subqueries tells that a subquery in "from" can refer to the records outside.
	subqueries bool
	// text gives a bound text its type, where nothing it is compared with does; nil
	// where it has one.
	text func(placeholder string) string
	// aggregate writes a value of many records its own way; empty for what is
	// written as name(x).
	aggregate func(name string, x string, of plan.Expr) string
	// widen makes a whole number one that does not run over; nil where none does.
	widen func(x string) string
	// number makes a number, to be compared, of a sum that is returned as a text of
	// every digit; nil where sums are numbers.
	number func(x string) string
	// repeats tells that an order by an aggregate must repeat it instead of its
	// alias where it stands inside an expression.
	repeats bool
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
	q := Query{w.sql.String(), w.args, w.lines, w.tooLong || w.sql.Len() > MaxSQL}
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
	for i, condition := range w.conditions(s.Where, true) {
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
	for i, condition := range w.conditions(s.Having, true) {
		if i == 0 {
			w.text("\nhaving " + condition)
		} else {
			w.text("\n  and " + condition)
		}
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
	tooLong bool
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
		text := ""
		if a, ok := e.(plan.Aggregate); ok {
			text = w.aggregate(a)
		} else {
			text = w.comparable(e, true)
		}
		if c, ok := e.(plan.Column); ok {
			text = w.dialect.selected(c.Ref, text)
		}
		items = append(items, text+" as "+alias(i))
	}
	if items == nil { // every column is a constant
		items = append(items, "1")
	}
	return strings.Join(items, ", ")
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
			conditions := w.conditions(s.Where, !told)
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
func (w *writer) conditions(all []plan.Condition, tell bool) []string {
	var out []string
	for _, c := range all {
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
		_, aggregate := k.Expr.(plan.Aggregate)
		blanks := k.BlanksFirst || k.Nullable
		if at := slices.IndexFunc(items, func(e plan.Expr) bool { return reflect.DeepEqual(e, k.Expr) }); at >= 0 && !(aggregate && (blanks && w.dialect.repeats || w.dialect.number != nil)) {
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
		if blanks {
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
	if nested {
		return w.operand(e)
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
	holder := w.dialect.placeholder(len(w.args))
	if w.dialect.cast != nil {
		return w.dialect.cast(v, holder)
	}
	return holder
}

// expr writes an expression; nested tells to put "and" and "or" in parentheses.
// What is too long is not gone on with: some functions have to write what they
// are of several times, and inside each other would not come to an end.
func (w *writer) expr(e plan.Expr, nested bool) string {
	if w.tooLong {
		return "null"
	}
	text := w.written(e, nested)
	if len(text) > MaxSQL {
		w.tooLong = true
		return "null"
	}
	return text
}

func (w *writer) written(e plan.Expr, nested bool) string {
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
			return w.dialect.collate(w.operand(e.Left)) + " " + e.Op + " " + w.operand(e.Right)
		}
		return w.operand(e.Left) + " " + e.Op + " " + w.operand(e.Right)
	case plan.Fits:
		return "(" + w.dialect.fits(e.Ref.Column, w.column(e.Ref)) + ")"
	case plan.Plain:
		x := "replace(replace(" + w.column(e.Ref) + ", ' ', 'T'), 'Z', '')"
		if e.Ref.Column.Collated {
			return w.dialect.collate(x)
		}
		return x
	case plan.Either:
		column := w.dialect.quote("other") + "." + w.dialect.quote(e.Ref.Column.Name)
		return fmt.Sprintf("(select case when exists (select 1 from %s where %s >= %s and %s < %s) then %s else %s end)",
			w.table(plan.Table{Name: e.Table, Alias: "other"}), column, w.bind(e.Low), column, w.bind(e.High), w.bind(e.Then), w.bind(e.Else))
	case plan.In:
		return w.in(e)
	case plan.IsBlank:
		return w.value(e.X) + " is null"
	case plan.Not:
		if blank, ok := e.X.(plan.IsBlank); ok {
			return w.value(blank.X) + " is not null"
		}
		// Of what is no date, a database's own functions make blanks; of its own dates
		// they make none, and an index serves what is left.
		if fits, ok := e.X.(plan.Fits); ok && !fits.Ref.Column.Encoding.IsNative() {
			return w.expr(e.X, true) + " is not true"
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
		return w.once(w.expr(e.X, true), func(x string) string { return "(" + w.dialect.part(e, x) + ")" })
	case plan.Moved:
		return w.once(w.expr(e.X, true), func(x string) string { return w.dialect.moved(e, x) })
	case plan.DaysBetween:
		return w.dialect.daysBetween(w.expr(e.From, true), w.expr(e.To, true))
	case plan.Match:
		return "(" + w.match(e) + ")"
	case plan.If:
		return "case when " + w.expr(e.When, false) + " then " + w.value(e.Then) + " else " + w.value(e.Else) + " end"
	case plan.Func:
		return w.function(e)
	case plan.Aggregate:
		text := w.aggregate(e)
		if e.Name == "sum" && w.dialect.number != nil {
			return w.dialect.number(text)
		}
		return text
	case plan.Arithmetic:
		x, y := w.expr(e.Left, true), w.expr(e.Right, true)
		if e.Op == '/' {
			return w.dialect.divide(x, y)
		}
		return "(" + w.exact(e.Left, x) + " " + string(e.Op) + " " + w.exact(e.Right, y) + ")"
	}
	panic(fmt.Sprintf("dialect: no such expression: %T", e))
}

// short is how long a value may be that is written several times.
const short = 1000

// once writes something that is made of a value, where it stands more than once,
// so that a long value is written only once.
func (w *writer) once(x string, made func(x string) string) string {
	if len(x) <= short || !w.dialect.subqueries {
		return made(x)
	}
	return "(select " + made("value") + " from (select " + x + " as value) as once)"
}

// operand writes one side of a comparison: a condition that stands there as a
// value goes in parentheses.
func (w *writer) operand(e plan.Expr) string {
	text := w.expr(e, true)
	switch e.(type) {
	case plan.Compare, plan.In, plan.IsBlank, plan.Not, plan.Const:
		return "(" + text + ")"
	}
	return text
}

// value writes a value that stands by itself, so that its type has to be its own.
func (w *writer) value(e plan.Expr) string {
	text := w.operand(e)
	if v, ok := e.(plan.Value); ok && w.dialect.text != nil {
		if _, ok := v.V.(string); ok {
			return w.dialect.text(text)
		}
	}
	return text
}

// exact keeps sums and products of whole numbers from running over: as decimals
// they have room.
func (w *writer) exact(e plan.Expr, x string) string {
	if _, value := e.(plan.Value); value || w.dialect.widen == nil {
		return x
	}
	return w.dialect.widen(x)
}

func (w *writer) match(e plan.Match) string {
	x, y := w.value(e.X), w.value(e.Y)
	if collated(e.X) || collated(e.Y) {
		x, y = w.dialect.collate(x), w.dialect.collate(y)
	}
	return w.dialect.match(e.Op, x, y)
}

func (w *writer) function(e plan.Func) string {
	args := make([]string, len(e.Args))
	for i, arg := range e.Args {
		args[i] = w.value(arg)
	}
	if e.Name == "abs" {
		args[0] = w.exact(e.Args[0], args[0])
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
	x := w.comparable(e.X, false)
	if w.dialect.aggregate != nil {
		if text := w.dialect.aggregate(e.Name, x, e.X); text != "" {
			return text
		}
	}
	return names[e.Name] + "(" + x + ")"
}

func (w *writer) in(e plan.In) string {
	x := w.comparable(e.X, true)
	if len(e.Values) > longList {
		return w.dialect.list(x, w.bind(w.dialect.encodeList(e.Values)), e.Values)
	}
	values := make([]any, len(e.Values))
	for i, v := range e.Values {
		values[i] = w.dialect.value(v)
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
