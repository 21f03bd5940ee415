// Package dialect writes a logical statement as SQL: identifiers quoted,
// every value bound, one line for each condition. What differs between
// engines is in one file per engine.
package dialect

import (
	"reflect"
	"slices"
	"strconv"
	"strings"

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
	// Reach is that of the statement, for a source that need not read all of a table.
	Reach []plan.Reach
	// Passing tells that no value of a row is looked at once the next one has come, so that a
	// source may give it in memory that it uses again.
	Passing bool

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
	// mark stands around an identifier.
	mark byte
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
	fits, stored func(c *catalog.Column, x string) string
	// piece writes the nth of the texts that another one joins with |, and matches that
	// all of a text is of a regular expression of POSIX; nil where functions of the
	// engine's own read dates in layouts.
	piece   func(x string, n int) string
	matches func(x, pattern string) string
	// matching is a text that is of a regular expression, else blank; position is where
	// a text stands in one of the product's own, from 1, and 0 where it does not.
	matching func(x, pattern string) string
	position func(names, x string) string
	// convert writes a text of another character set as one that can be compared with the
	// others; nil where all can. With it, texts below each other are to be compared alike.
	convert func(x string) string
	// null writes a blank of a column's type in a union; nil where a blank has none.
	null func(c *catalog.Column) string
	// cast writes a placeholder with the type of its value; nil for none.
	cast func(v any, placeholder string) string
	// subqueries tells that a subquery in "from" can refer to the records outside.
	subqueries bool
	// text gives a bound text its type, where nothing it is compared with does; nil
	// where it has one.
	text func(placeholder string) string
	// aggregate writes a value of many records its own way; empty for what is
	// written as name(x). Where, if it is not empty, is which records it is made of.
	aggregate func(name, x, where string, of plan.Expr) string
	// percentile writes the value at a place in the order of all of them; nil where there
	// is no way. Those of groups are found by windows where that is so, or faster.
	percentile func(x, where string, at plan.Place) string
	windows    bool
	// undivided is the clause of a window that is all rows, over which x is added up; nil
	// for that of the standard.
	undivided func(x string) string
	// unfiltered tells that it lacks the standard's filter clause.
	unfiltered bool
	// widen makes a whole number one that does not run over; nil where none does.
	widen func(x string) string
	// number makes a number, to be compared, of a sum that is returned as a text of
	// every digit; nil where sums are numbers.
	number func(x string) string
	// countsAll tells that a subquery must count every record, since its engine takes
	// no notice of a limit in "exists".
	countsAll bool
	// repeats tells that an order by an aggregate must repeat it instead of its
	// alias where it stands inside an expression.
	repeats bool
	// part writes something said of a day, which is text.
	part func(p plan.DatePart, x string) string
	// moved writes a date, as text, moved by months and then days.
	moved func(m plan.Moved, x string) string
	// daysBetween counts the days from one day, as text, to another.
	daysBetween func(from, to string) string
	// steps counts how many of some numbers, which rise, a whole number comes up to.
	steps func(x string, numbers []int) string
	// nth is one of some numbers by its place, from 0, and times how often a whole number
	// goes into another.
	nth   func(n string, numbers []int) string
	times func(x string, n int) string
	// dayAt is the day, as text, so many days after another.
	dayAt func(day, n string) string
	// whole has a number that is whole be one of the engine's whole numbers.
	whole func(x string) string
	// match writes contains, starts with or ends with.
	match func(op, x, y string) string
	// function writes a function of values that it does its own way; empty
	// for what is written as name(x, …).
	function func(name string, args []string) string
	// seconds counts the whole seconds from one date-time, as text, to another.
	seconds func(from, to string) string
	// pattern makes of one with * and ? what x is compared with, by the operator wild.
	pattern func(text string) string
	wild    string
	// divide writes a division that keeps its fraction.
	divide func(x, y string) string
	// collate has a text compared by code point.
	collate func(x string) string
	// sorted writes the first key of the order of a union whose last row is waited for, so
	// that it is sorted; nil where it always is.
	sorted func(x string) string
	// blanks writes where blanks stand in an order; x is the key, and the text
	// so far its direction.
	blanks func(x, key string, first bool) string
	// finish puts the last hand to a statement; nil for none.
	finish func(q Query) Query
}

// done gives the statement that was written.
func (w *writer) done() Query {
	q := Query{SQL: w.sql.String(), Args: w.args, Lines: w.lines, tooLong: w.tooLong || w.sql.Len() > MaxSQL}
	if w.dialect.finish != nil {
		return w.dialect.finish(q)
	}
	return q
}

// longList is how many values a list may bind one by one.
const longList = 200

// ordinary is about how many bytes a statement has.
const ordinary = 2048

// Write writes the statement.
func (d Dialect) Write(s plan.Statement) Query {
	w := writer{dialect: d}
	w.sql.Grow(ordinary)
	w.statement(s)
	q := w.done()
	q.Reach = s.Reach
	return q
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
	text, args, lines := w.sql.String(), len(w.args), len(w.lines)
	again := func() {
		w.sql.Reset()
		w.text(text)
		w.args, w.lines = w.args[:args], w.lines[:lines]
		w.attempt(s)
	}
	w.attempt(s)
	if w.unmeasured {
		w.measured = &measured{keys: s.GroupBy}
		again() // learns what its groups are made of
		again()
		w.measured, w.unmeasured = nil, false
	}
}

func (w *writer) attempt(s plan.Statement) {
	switch grouped := len(s.GroupBy)+len(s.Aggregates) > 0; {
	case layered(s) && grouped:
		w.orderedGroups(s)
		return
	case layered(s):
		w.firstRecords(s)
		return
	}
	w.text("select ", w.selection(s))
	w.body(s)
	w.tail(s)
}

// body writes where the rows come from, which they are, and how they are grouped.
func (w *writer) body(s plan.Statement) {
	if w.measured != nil {
		w.measuredRecords(s)
		w.groups(s)
		return
	}
	switch {
	case s.Union != nil:
		w.union(s.Union)
	case s.Raw == nil:
		w.text("\nfrom ", w.table(s.From))
	}
	for _, j := range s.Joins {
		w.text("\n")
		if j.Optional {
			w.text("left ")
		}
		w.text("join ", w.table(j.Table), " on ", w.expr(j.On, true))
		if j.Rows != nil {
			w.text(" and " + w.expr(j.Rows, true))
		}
	}
	for _, m := range s.Summaries {
		end := w.apart()
		w.summary(m)
		end()
	}
	where := s.Where
	if s.Raw != nil {
		w.text("\nfrom (\n")
		w.raw(s)
		w.text("\n) as " + w.dialect.quote(definition.Result))
		where = s.Narrowed
	}
	var conditions []string
	if s.From.Rows != nil {
		conditions = append(conditions, w.expr(s.From.Rows, true))
	}
	for i, condition := range append(conditions, w.conditions(where, true)...) {
		if i == 0 {
			w.text("\nwhere ", condition)
		} else {
			w.text("\n  and ", condition)
		}
	}
	w.groups(s)
}

// groups writes how rows are grouped, and which of the groups are left.
func (w *writer) groups(s plan.Statement) {
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
}

// tail writes the order and the limit.
func (w *writer) tail(s plan.Statement) {
	w.order(s)
	w.limit(s)
}

func (w *writer) limit(s plan.Statement) {
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
	// measured is set while a statement is written around another one that has what its
	// groups are made of, unmeasured where it has to be.
	measured   *measured
	unmeasured bool
	// isApart is set while something else is written than values of the groups.
	isApart bool
}

func (w *writer) text(parts ...string) {
	for _, s := range parts {
		w.sql.WriteString(s)
	}
}

// selection writes what is returned: columns, or groups and what is made of
// their records.
func (w *writer) selection(s plan.Statement) string {
	items := w.items(s)
	for i := range items {
		if i >= len(s.Fetch) && (len(s.GroupBy)+len(s.Aggregates) > 0) || i < len(s.Fetch) && s.Fetch[i].Value != nil {
			if items[i] != alias(i) && items[i] != partNumber {
				items[i] += " as " + alias(i)
			}
		}
	}
	return strings.Join(items, ", ")
}

// items writes each value that is returned.
func (w *writer) items(s plan.Statement) []string {
	items := make([]string, 0, len(s.Fetch)+len(s.GroupBy)+len(s.Aggregates)+1)
	for _, f := range s.Fetch {
		items = append(items, w.fetched(f))
	}
	for _, e := range slices.Concat(s.GroupBy, s.Aggregates) {
		text := ""
		if a, ok := e.(plan.Aggregate); ok {
			text = w.aggregate(a)
		} else if !isOrdered(e) {
			text = w.comparable(e, true)
		}
		if c, ok := e.(plan.Column); ok {
			text = w.dialect.selected(c.Ref, text)
		}
		items = append(items, text)
	}
	if len(items) == 0 { // every column is a constant
		items = append(items, "1")
	}
	return items
}

func (w *writer) fetched(f plan.Fetched) string {
	switch value := f.Value.(type) {
	case nil:
		return w.dialect.selected(f.Ref, w.column(f.Ref))
	case plan.RelatedValue:
		defer w.apart()()
		return w.relatedValue(value, w.made(value.Of))
	case plan.SummaryValue:
		return w.summaryValue(value, false)
	}
	return w.comparable(f.Value, true)
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
			w.placed(s.Where, !told)
			told = true
		case p.Condition != nil:
			w.placed([]plan.Condition{*p.Condition}, true)
		case p.Table != nil:
			w.text(w.rowsOf(*p.Table, p.Named))
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

// rowsOf writes a table in hand-written SQL, or those of its rows that may be seen.
func (w *writer) rowsOf(t plan.Table, named bool) string {
	alias := ""
	if !named {
		alias = " as " + w.dialect.quote(t.Alias)
	}
	if t.Rows == nil {
		return w.name(t) + alias
	}
	return "(select * from " + w.table(t) + " where " + w.expr(t.Rows, true) + ")" + alias
}

// placed writes conditions that are all met, in parentheses: always, where there are
// none.
func (w *writer) placed(all []plan.Condition, tell bool) {
	conditions := w.conditions(all, tell)
	if len(conditions) == 0 {
		conditions = []string{"1 = 1"}
	}
	w.text("(" + strings.Join(conditions, "\n  and ") + ")")
}

// conditions writes each condition, and tells what it became.
func (w *writer) conditions(all []plan.Condition, tell bool) []string {
	out := make([]string, 0, len(all))
	if tell {
		w.lines = slices.Grow(w.lines, len(all))
	}
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

// repeated tells whether a key has to be written again where the order names it: an
// engine may return a sum in another way than it orders by.
func (w *writer) repeated(key plan.Expr, blanks bool) bool {
	aggregate, ok := key.(plan.Aggregate)
	switch e := key.(type) {
	case plan.RelatedValue:
		aggregate, _ = e.Of.(plan.Aggregate)
	case plan.SummaryValue:
		aggregate, _ = e.Of.(plan.Aggregate)
	}
	return ok && blanks && w.dialect.repeats || aggregate.Name == "sum" && w.dialect.number != nil
}

// alias names an item of a grouped statement, so that it can be ordered by.
func alias(i int) string { return "item_" + strconv.Itoa(i+1) }

func (w *writer) order(s plan.Statement) {
	items := slices.Concat(s.GroupBy, s.Aggregates)
	if len(items) == 0 {
		for _, f := range s.Fetch {
			items = append(items, f.Value)
		}
	}
	for i, k := range s.Sort {
		if i == 0 {
			w.text("\norder by ")
		} else {
			w.text(", ")
		}
		x := ""
		blanks := k.BlanksFirst || k.Nullable
		if _, ok := k.Expr.(plan.PartNumber); ok {
			x = partNumber
		} else if at := slices.IndexFunc(items, func(e plan.Expr) bool { return reflect.DeepEqual(e, k.Expr) }); at >= 0 && !w.repeated(k.Expr, blanks) {
			x = alias(at)
		} else {
			x = w.comparable(k.Expr, false)
		}
		if i == 0 && s.Whole && s.Union != nil && w.dialect.sorted != nil {
			x = w.dialect.sorted(x)
		}
		w.text(w.key(k, x))
	}
}

// key writes a key of an order, whose value is x.
func (w *writer) key(k plan.SortKey, x string) string {
	key := x
	if k.Descending {
		key += " desc"
	}
	// Blanks come last whatever the direction, and an index still serves
	// where the column cannot be blank.
	if k.BlanksFirst || k.Nullable {
		return w.dialect.blanks(x, key, k.BlanksFirst)
	}
	return key
}
