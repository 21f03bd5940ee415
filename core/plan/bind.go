package plan

import (
	"reflect"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/format"
	"pikegate/core/parameter"
	"pikegate/core/period"
)

// Records makes the statement of one run: optional questions left blank drop
// out, periods become bounds in each column's own encoding. The view says which
// of the query's columns are wanted, and what is made of them.
func (p Planner) Records(view definition.View, values parameter.Values) (Selection, diag.Problems) {
	if p.Query.Parts != nil {
		return p.union(view, values)
	}
	c, b := p.Query, p.binder(values)
	b.records, b.used = !c.Grouped && c.SQL == nil, map[string]bool{}
	b.dependent = b.ranked()
	s := Selection{Statement: Statement{DateIndex: -1, Distinct: c.Query.Distinct}}
	b.resolved = b.conditions()
	if len(c.Placed) == 0 { // those may be on other records
		b.window = windowOf(b.resolved)
	}
	b.from(&s.Statement)
	b.raw(&s.Statement)
	b.outputs(&s, view.Columns)
	b.where(&s.Statement)
	s.Reach = b.reach()
	switch dated, _, ok := c.DateByHand(); {
	case ok:
		s.DateIndex = b.fetch(&s.Statement, dated.Returned.Ref)
	case c.Criteria != nil && !c.Grouped && c.SQL == nil:
		if date := criteria.DateColumn(c.Criteria); date != nil {
			s.DateIndex = b.fetch(&s.Statement, date.Ref)
		}
	}
	b.sortAndFirst(&s.Statement, view.Sort)
	s.settle()
	b.view(&s, view)
	b.without()
	return s, b.problems
}

// Conditions are the conditions of a run, each with its words, those on groups
// last.
func (p Planner) Conditions(values parameter.Values) ([]Condition, diag.Problems) {
	if p.Query.Parts != nil {
		return p.conditionsOfParts(values)
	}
	b := p.binder(values)
	var s Statement
	b.where(&s)
	conditions := slices.Concat(s.Where, s.Having)
	for _, placed := range b.compiled.Placed {
		conditions = append(conditions, b.placed(&s, placed))
	}
	return conditions, b.problems
}

// without refuses answers that would change nothing: those compared together
// with a question that was left blank.
func (b *binder) without() {
	for _, q := range b.compiled.Questions { // what others are made of is used with them
		for _, name := range definition.NamesIn(q.Derive) {
			b.used[name] = true
		}
	}
	for _, offer := range b.compiled.Offers {
		if offer.Where != nil {
			for _, name := range criteria.Parameters(offer.Where) {
				b.used[name] = true
			}
		}
	}
	for _, q := range b.compiled.Questions {
		v := b.given[q.Name]
		if !v.Given || v.Default || q.Derive != "" || b.used[q.Name] {
			continue
		}
		p := diag.Problem{Code: "no_effect", Field: q.Name, Message: "This answer restricts nothing, because what it is compared together with was left blank."}
		criteria.Walk(b.compiled.Criteria, func(e criteria.Expr) {
			if names := criteria.Parameters(e); p.Hint == "" && criteria.IsComparison(e) && slices.Contains(names, q.Name) {
				for _, name := range names {
					if !b.given[name].Given {
						p.Hint = "Answer " + name + " too, or leave this blank."
					}
				}
			}
		})
		if p.Hint != "" { // what no condition asks is refused by the check
			b.problems = append(b.problems, p)
		}
	}
}

type binder struct {
	compiled *definition.Compiled
	given    parameter.Values
	calendar civil.Calendar
	// skipped is a question whose conditions drop out whatever it says.
	skipped string
	// records tells that the statement returns records one by one, so that what
	// does not fit can be left out as they pass.
	records bool
	// dependent tells that the rows depend on each other, so that what does not fit is
	// left out before they are returned.
	dependent bool
	// used are the questions whose answers were put into something; nil where
	// that is not asked for.
	used map[string]bool
	// lenient has comparisons met by dates that do not fit, but for columns that
	// are sure to have none.
	lenient bool
	// sure and rows are those of the planner.
	sure func(*catalog.Column) bool
	rows Rows
	// window is the stretch of time that the top-level conditions leave of
	// columns, by alias and name: other records do not matter. It is not set where
	// they do.
	window map[string]period.Span
	// summed is the statement that summaries of other tables are joined to; nil where
	// records of other tables are looked up for each record.
	summed *Statement
	// resolved are the top-level conditions, once they are.
	resolved []resolved
	problems diag.Problems
	// parts counts what was translated.
	parts int
}

// from reads the tables of the query.
func (b *binder) from(s *Statement) {
	s.From = b.tableOf(b.compiled.From.Table, b.compiled.From.Alias)
	if b.resolved == nil {
		b.resolved = b.conditions()
	}
	for _, j := range b.compiled.Joins {
		on := Expr(Const{true})
		if bare := b.bare(j.On); bare != nil {
			on = b.condition(bare, false)
		}
		s.Joins = append(s.Joins, Join{b.tableOf(j.Table.Table, j.Alias), j.Optional, on})
		for _, condition := range criteria.Conditions(j.On) {
			if !criteria.AsksAny(condition) {
				continue
			}
			if said := b.askedOf(condition); said != "" {
				s.Said = append(s.Said, definition.Labelled(j.Alias)+" where "+said)
			}
		}
	}
	if b.readsAll() {
		b.summed = s
	}
}

// resolved is a top-level condition as it was written, and with its answers; nil
// where it restricts nothing in this run.
type resolved struct{ written, bare criteria.Expr }

func (b *binder) conditions() (out []resolved) {
	if b.compiled.Criteria == nil {
		return nil
	}
	for _, condition := range criteria.Conditions(b.compiled.Criteria) {
		if _, first := condition.(*criteria.First); first {
			continue // of what the others leave
		}
		out = append(out, resolved{condition, b.bare(condition)})
	}
	return out
}

// windowOf is what conditions that are all met leave of the columns they bound.
func windowOf(conditions []resolved) map[string]period.Span {
	window := map[string]period.Span{}
	for _, r := range conditions {
		if r.bare == nil {
			continue
		}
		for _, e := range criteria.Conditions(r.bare) {
			if guarded, ok := e.(*criteria.Guarded); ok {
				e = guarded.X // which is met as well
			}
			if bounds, ok := boundsOf(e); ok {
				name := windowName(bounds.Column.Ref)
				span, ok := window[name]
				if !ok {
					span = period.All
				}
				window[name] = period.Span{From: max(span.From, bounds.Span.From), Until: min(span.Until, bounds.Span.Until)}
			}
		}
	}
	return window
}

func windowName(ref criteria.Ref) string { return ref.Alias + "." + ref.Column.Name }

// where binds the top-level conditions, each with its words.
func (b *binder) where(s *Statement) {
	if b.compiled.Criteria == nil {
		return
	}
	if b.resolved == nil {
		b.resolved = b.conditions()
	}
	for _, r := range b.resolved {
		condition, at := r.written, r.written.At()
		made := b.bindOne(s, r, b.compiled.CriteriaText[at.Start:at.End])
		if criteria.HasAggregate(condition) {
			s.Having = append(s.Having, made)
		} else {
			s.Where = append(s.Where, made)
		}
	}
}

// bindOne binds a condition, with its words.
func (b *binder) bindOne(s *Statement, r resolved, text string) Condition {
	made := Condition{Text: text, Bare: r.bare}
	switch {
	case made.Bare == nil && criteria.Asks(r.written, func(name string) bool { return b.given[name].Given && name != b.skipped }):
		made.Words = b.said(r.written) // true of every record with these answers
	case made.Bare == nil:
		made.Words = b.anything(r.written)
	case b.records && !b.dependent:
		made.Words, made.Expr = b.said(r.written), b.top(s, made.Bare)
	default:
		made.Words, made.Expr = b.said(r.written), b.condition(made.Bare, false)
	}
	return made
}

// fetch gives the place of a column in the fetched row, adding it if needed. A text that is
// read as a date besides is another one.
func (b *binder) fetch(s *Statement, ref criteria.Ref) int {
	at := slices.IndexFunc(s.Fetch, func(f Fetched) bool {
		return f.Value == nil && f.Alias == ref.Alias && f.Column.Name == ref.Column.Name && f.Column.Encoding == ref.Column.Encoding
	})
	if at < 0 {
		at = len(s.Fetch)
		s.Fetch = append(s.Fetch, Fetched{Ref: ref})
	}
	return at
}

// mostCompared is how many columns are looked at for one that is fetched already: where
// there are more, some are fetched twice.
const mostCompared = 100

// fetchRelated puts columns in the place of what an expression says of the records
// of other tables, and tells where in the fetched row the database gives them.
func (b *binder) fetchRelated(s *Statement, e criteria.Expr, places map[*criteria.Column]int) criteria.Expr {
	related := func(e criteria.Expr) bool { return criteria.RecordsOf(e) != nil }
	return criteria.ReplaceOwn(e, related, func(e criteria.Expr) criteria.Expr {
		fetch := func(value Expr, shape string) *criteria.Column {
			f := Fetched{Ref: criteria.Ref{Column: relatedColumn(e), Nullable: true}, Value: value}
			if shape != "" {
				f.Column = &catalog.Column{Type: f.Column.Type, Shape: shape}
			}
			at := len(s.Fetch)
			for i, other := range s.Fetch[:min(at, mostCompared)] {
				if other.Value != nil && reflect.DeepEqual(other.Value, f.Value) {
					at = i
				}
			}
			if at == len(s.Fetch) {
				s.Fetch = append(s.Fetch, f)
			}
			column := &criteria.Column{Pos: e.At(), Name: criteria.Print(e), Ref: f.Ref}
			places[column] = at
			return column
		}
		aggregate, ok := e.(*criteria.Aggregate)
		switch {
		case ok && aggregate.Name == "average":
			return fetch(b.ofRecords(aggregate.Records, Ratio{b.translate(aggregate.X)}), ratioShape)
		case ok && aggregate.Name == "sum":
			x, factor, term, ok := ofColumn(aggregate)
			if !ok {
				break
			}
			part := func(name string) criteria.Expr {
				return fetch(b.ofRecords(aggregate.Records, Aggregate{Name: name, X: b.translate(x)}), "")
			}
			return summed(part("sum"), part, factor, term)
		case ok && aggregate.Name == "median" && criteria.TypeOf(e).IsNumber():
			x := b.ordered(aggregate.X)
			return middle(aggregate, false, func(turned bool) criteria.Expr {
				return fetch(b.ofRecords(aggregate.Records, atPlace(aggregate, x, turned)), "")
			})
		}
		return fetch(b.ordered(e), "")
	})
}

// relatedColumn is how the database gives what is said of related records.
func relatedColumn(e criteria.Expr) *catalog.Column {
	aggregate, ok := e.(*criteria.Aggregate)
	if !ok {
		return &catalog.Column{Type: catalog.Boolean}
	}
	t := criteria.TypeOf(e)
	if plain, ok := aggregate.X.(*criteria.Column); ok && t.IsDate() {
		return orderedColumn(plain.Ref.Column)
	}
	c := computedColumn(aggregate.X, t)
	if t == catalog.DateTime {
		c.Encoding = catalog.EncISOLocal // as translate writes it
	}
	return c
}

func (b *binder) outputs(s *Selection, wanted []string) {
	columns := b.compiled.Columns
	if len(wanted) > 0 {
		columns = nil
		for _, name := range wanted {
			at := slices.IndexFunc(b.compiled.Columns, func(c definition.CompiledColumn) bool { return c.Name == name })
			columns = append(columns, b.compiled.Columns[at])
		}
	}
	s.Outputs = make([]Output, 0, len(columns))
	s.Fetch = make([]Fetched, 0, len(columns)+2)
	for i := range columns {
		c := &columns[i]
		s.Outputs = append(s.Outputs, Output{Name: c.Name, Label: c.Heading(), Type: c.Type, Format: c.Format})
		out := &s.Outputs[i]
		if c.Words != (format.Words{}) {
			out.Words = &c.Words
		}
		if out.Type == "" {
			out.Type = catalog.Other // only its values will tell
		}
		if asked := b.askedIn(c.Expr); len(asked) > 0 && b.compiled.Query.Beside.Question == "" { // else the criteria say it
			s.Said = append(s.Said, lowered(out.Label)+" where "+strings.Join(asked, ", and where "))
		}
		if b.compiled.Grouped {
			if c.IsKey() {
				b.keyOutput(&s.Statement, out, c.Expr)
			}
			continue
		}
		if plain, ok := c.Expr.(*criteria.Column); ok {
			out.Column = *plain.Ref.Column
			out.Index = b.fetch(&s.Statement, plain.Ref)
		} else {
			b.computedOutput(s, out, b.value(c.Expr))
		}
	}
	if !b.compiled.Grouped {
		return
	}
	for _, c := range b.compiled.Columns {
		chosen := slices.ContainsFunc(columns, func(other definition.CompiledColumn) bool { return other.Name == c.Name })
		if c.IsKey() && !chosen && !b.compiled.Query.Distinct { // not shown, but what groups differ by
			b.keyOutput(&s.Statement, &Output{Type: c.Type}, c.Expr)
		}
	}
	for i, c := range columns { // of all the keys
		if !c.IsKey() {
			b.madeOutput(s, &s.Outputs[i], b.value(c.Expr))
		}
	}
}

// computedOutput adds a column that is worked out of what is fetched, and of the rows that
// passed before.
func (b *binder) computedOutput(s *Selection, out *Output, e criteria.Expr) {
	places := map[*criteria.Column]int{}
	e = b.ofOthers(e, func(value Expr, c *catalog.Column) *criteria.Column {
		column := &criteria.Column{Ref: criteria.Ref{Column: c, Nullable: true}}
		places[column] = len(s.Fetch)
		s.Fetch = append(s.Fetch, Fetched{Ref: column.Ref, Value: value})
		return column
	})
	e = b.fetchRelated(&s.Statement, e, places)
	index := func(column *criteria.Column) int {
		if at, ok := places[column]; ok {
			return at
		}
		return b.fetch(&s.Statement, column.Ref)
	}
	e = b.passing(s, e, places, index)
	out.Column = *computedColumn(e, out.Type)
	out.Formula = newFormula(e, b.calendar, index)
}

// sort sets the order, and appends keys of the tables until it is the same
// at every run.
func (b *binder) sort(s *Statement, keys []definition.SortKey) {
	descending := false
	for _, key := range keys {
		if criteria.FirstColumn(key.Expr) == nil && !criteria.HasAggregate(key.Expr) && len(criteria.RelatedTables(key.Expr)) == 0 {
			continue // the same for every record
		}
		bare, factor, _ := criteria.Linear(key.Expr)
		descending = key.Descending
		if factor.Sign() < 0 {
			key.Descending = !key.Descending
		}
		expr := b.ordered(b.value(bare))
		if b.compiled.Query.Distinct && !criteria.HasAggregate(key.Expr) && !slices.ContainsFunc(s.GroupBy, func(e Expr) bool { return reflect.DeepEqual(e, expr) }) {
			continue // an order by what is not shown has no meaning
		}
		if column, ok := expr.(Column); ok && column.Ref.Column.Encoding != "" && !column.Ref.Column.Encoding.IsNative() && b.records {
			s.Written = append(s.Written, b.fetch(s, column.Ref))
		}
		s.Sort = append(s.Sort, SortKey{expr, key.Descending, key.BlanksFirst, canBeBlank(expr, key.Expr)})
	}
	if b.compiled.Grouped {
		for _, e := range s.GroupBy {
			s.Sort = append(s.Sort, SortKey{Expr: e, Descending: descending, Nullable: true})
		}
		return
	}
	for _, t := range keyed(b.compiled) {
		for _, name := range t.Table.Key {
			column, ok := t.Table.Column(name)
			if !ok { // not to be read
				continue
			}
			key := Column{criteria.Ref{Alias: t.Alias, Column: column}}
			if slices.ContainsFunc(s.Sort, func(k SortKey) bool {
				c, ok := k.Expr.(Column)
				return ok && c.Ref.Alias == t.Alias && strings.EqualFold(c.Ref.Column.Name, name)
			}) {
				continue
			}
			// In the direction of the last key, so that one index serves all.
			s.Sort = append(s.Sort, SortKey{Expr: key, Descending: descending, Nullable: t.Optional})
		}
	}
}

// canBeBlank tells whether a key of an order can be blank: one that is worked out, say a
// division by nothing, or of a column that can.
func canBeBlank(bound Expr, e criteria.Expr) bool {
	_, plain := bound.(Column)
	return !plain || slices.ContainsFunc(criteria.Columns(e), func(c *criteria.Column) bool { return c.Ref.Nullable })
}

// keyed are the tables whose keys together tell the records of a result apart.
func keyed(c *definition.Compiled) []*criteria.Table {
	tables := make([]*criteria.Table, 1, 1+len(c.Joins))
	tables[0] = &c.From
	for i := range c.Joins {
		if j := &c.Joins[i]; !pinned(j) {
			tables = append(tables, &j.Table)
		}
	}
	return tables
}

// Identify has the statement fetch what tells its records apart, and returns
// the places of that in the rows; none where nothing does.
func (p Planner) Identify(s *Statement) (places []int) {
	c := p.Query
	switch {
	case c.SQL != nil || c.Parts != nil:
		return nil
	case c.Grouped:
		for i := range s.GroupBy {
			places = append(places, i)
		}
		return places
	}
	b := p.binder(nil)
	for _, t := range keyed(c) {
		if len(t.Table.Key) == 0 {
			return nil
		}
		for _, name := range t.Table.Key {
			column, ok := t.Table.Column(name)
			if !ok {
				return nil
			}
			places = append(places, b.fetch(s, criteria.Ref{Alias: t.Alias, Column: column}))
		}
	}
	return places
}

// pinned tells whether a joined table has at most one record for each: its
// whole key is compared for equality.
func pinned(j *definition.CompiledJoin) bool {
	equal := map[string]bool{}
	for _, c := range criteria.Conditions(j.On) {
		if compare, ok := c.(*criteria.Compare); ok && compare.Op == "=" {
			for _, side := range []criteria.Expr{compare.Left, compare.Right} {
				if column, ok := side.(*criteria.Column); ok && column.Ref.Alias == j.Alias {
					equal[strings.ToLower(column.Ref.Column.Name)] = true
				}
			}
		}
	}
	for _, name := range j.Table.Table.Key {
		if !equal[strings.ToLower(name)] {
			return false
		}
	}
	return len(j.Table.Table.Key) > 0
}

// bare resolves a condition and simplifies it; nil where it restricts nothing
// in this run.
func (b *binder) bare(e criteria.Expr) criteria.Expr {
	made, open := b.resolve(e)
	if open {
		return nil
	}
	made = criteria.Simplify(made, b.calendar)
	if constant, ok := made.(*criteria.Bool); ok && constant.Value {
		return nil
	}
	return made
}
