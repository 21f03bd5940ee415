// Package criteria is the language that says which records match:
//
//	passed_at within :period
//	and locks.name in :locks
//	and (paid_on is blank or paid_on >= issued_on)
//
// It uses the words of SQL. Parse turns text into a tree with positions,
// Resolve checks the tree against the tables and questions at hand, Print
// writes it canonically. Once questions have their answers, Bare moves
// functions of a column over to the other side of a comparison. From loose to
// tight:
//
//	or, and, not, comparisons, + -, * /, sign
package criteria

import (
	"iter"
	"slices"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/period"
)

// Expr is a node of the tree: one of the types below.
type Expr interface {
	// At is where the node stands in the text, in bytes.
	At() Pos
}

// Pos is a stretch of the text, in bytes.
type Pos struct{ Start, End int }

// At is the stretch itself.
func (p Pos) At() Pos { return p }

type (
	// Column names a column; Ref is set by Resolve.
	Column struct {
		Pos
		Table, Name string
		Ref         Ref
	}
	// Parameter refers to a question, or to one end of a period asked for:
	// from (first day in), through (last day in), until (first day out).
	Parameter struct {
		Pos
		Name, Part string
		Question   Question
	}
	// Number is an exact decimal.
	Number struct {
		Pos
		Value decimal.Decimal
	}
	// Text is a quoted text. Beside a date it is a period expression, which
	// Resolve puts into Period.
	Text struct {
		Pos
		Value  string
		Period *period.Expr
	}
	// Bool is true or false.
	Bool struct {
		Pos
		Value bool
	}
	// Blank is the value that is not there.
	Blank struct{ Pos }
	// Span is a stretch of time that is known: what a period expression or an
	// answer was read as. Parse never makes one.
	Span struct {
		Pos
		Span period.Span
		// Type is that of the date it is the answer for; empty for a period.
		Type catalog.Type
	}
	// Length is how far a date is moved: 30 days, P1M; or Working days, where that is not
	// 0, by the calendar of the organisation.
	Length struct {
		Pos
		Text    string
		Length  period.Length
		Working int
	}
	// Call is a function of values; Functions tells which there are. Resolve
	// sets its Type, here and in Arithmetic.
	Call struct {
		Pos
		Name string
		Args []Expr
		Type catalog.Type
	}
	// UnitOf is the unit of the calendar a date falls in, as people write it:
	// "month of passed_at" is 2026-03.
	UnitOf struct {
		Pos
		Unit string
		X    Expr
	}
	// Aggregate is one value for many records: count, or "sum of toll". They are
	// those of a group, or, where Records is not nil, those of another table that
	// belong to a record: "count of passages where …".
	Aggregate struct {
		Pos
		Name string
		// Percent is how many of a hundred values a percentile is not less than; nil for all else.
		Percent *Number
		// X is nil for count.
		X Expr
		// Where chooses among the records of a group; nil for all of them.
		Where   Expr
		Records *Records
	}
	// InOrder is a value that other records of the result give: "running sum of x",
	// "running count" and the like, over the records through this one, "previous x",
	// that of the record before it, "rank of x", from the greatest down unless it is
	// Ascending, and "share of x", of the sum of all. By are what the records are kept
	// apart by.
	InOrder struct {
		Pos
		Name      string
		X         Expr // nil for running count
		Ascending bool
		By        []Expr
	}
	// First leaves the first N records, Which is first, or those with the greatest or
	// the least Of, for each combination of what they are kept apart By. It is a
	// condition on the result as it is ordered, after all others.
	First struct {
		Pos
		Which string
		N, Of Expr
		By    []Expr
	}
	// Arithmetic is + - * / on numbers, a date moved by a length, or the days
	// between two dates.
	Arithmetic struct {
		Pos
		Op          byte
		Left, Right Expr
		Type        catalog.Type
	}
	// Negative is a number with a minus sign.
	Negative struct {
		Pos
		X Expr
	}
	// Compare is one of = <> < <= > >=.
	Compare struct {
		Pos
		Op          string
		Left, Right Expr
		Fold        bool // ignoring case, here and below
	}
	// Match is "x contains y", "x starts with y" or "x ends with y".
	Match struct {
		Pos
		Op        string
		X, Y      Expr
		Not, Fold bool
	}
	// Spans compares the stretch from one date to another with a period:
	// "span(a, b) overlaps p", "inside p" or "covers p", which may be a date of the
	// record as well. Where b is blank, it is still going on.
	Spans struct {
		Pos
		Op          string
		From, Until Expr
		Period      Expr
		Not         bool
	}
	// Meets is a named criterion; Resolve fills in what it says.
	Meets struct {
		Pos
		Name string
		// Of names the table it is asked of, where the query has several.
		Of string
		// Title is what people read, and X the condition.
		Title string
		X     Expr
	}
	// Related says how many records of another table belong to a record: "any
	// passages of vessels where …", "no", "at least 3", "at most 3", "exactly 3".
	Related struct {
		Pos
		// Quantity is one of these words, and N the number where one goes with it.
		Quantity string
		N        Expr
		Records
	}
	// Between is "x between a and b"; b is covered whole.
	Between struct {
		Pos
		X, Low, High Expr
		Not          bool
	}
	// In is "x in (a, b)" or "x in :list".
	In struct {
		Pos
		X         Expr
		Items     []Expr
		Not, Fold bool
	}
	// Within is "x within PERIOD".
	Within struct {
		Pos
		X, Period Expr
		Not       bool
	}
	// IsBlank is "x is blank" or "x is not blank".
	IsBlank struct {
		Pos
		X   Expr
		Not bool
	}
	// Logic joins two or more terms by "and" or by "or".
	Logic struct {
		Pos
		Or    bool
		Terms []Expr
	}
	// Not is "not x".
	Not struct {
		Pos
		X Expr
	}
	// Guarded is a condition that is open, as with a blank, where another one does
	// not hold: a date moved out of the years that are accepted is none. Only
	// Simplify makes one.
	Guarded struct {
		Pos
		X, Where Expr
	}
)

// Records are those of another table that belong to a record.
type Records struct {
	// Table is the other one, As its name here if it is given one, and Of the
	// table of the query it belongs to, if that is said. All tells that its records
	// belong to every record: "greatest of taken_on from all stocktakes".
	Table, As, Of string
	All           bool
	// Inferred tells that Table was not written, but is that of the columns in
	// "sum of passages.toll_pence".
	Inferred bool
	// Where is nil where nothing else is asked of its records.
	Where Expr
	// Inner is the table as Where names it, and Link how its records belong to
	// those of the query, along a foreign key; nil where Where says so. Resolve
	// sets both.
	Inner Table
	Link  Expr
}

// Ref is the column a name was resolved to.
type Ref struct {
	// Alias is the name of its table in the query.
	Alias string
	// Column is the catalogue's own, which nobody changes; never nil, see NoColumn.
	Column *catalog.Column
	// Nullable tells that the value can be blank, in its table or because its
	// table is joined as optional.
	Nullable bool
}

// NoColumn is what a name refers to before it is resolved, and a value that no column of a table
// gives.
var NoColumn = Ref{Column: new(catalog.Column)}

// Question is what the criteria need to know of a parameter.
type Question struct {
	Name string
	// Type is Period, or the type of the value.
	Type     catalog.Type
	Many     bool
	Required bool
}

// Period is the type of a period; it has no column.
const Period catalog.Type = "period"

// LengthOfTime is the type of 30 days.
const LengthOfTime catalog.Type = "length of time"

// Walk calls visit for the node and everything below it.
func Walk(e Expr, visit func(Expr)) {
	if e == nil {
		return
	}
	visit(e)
	each(e, func(child Expr) { Walk(child, visit) })
}

// Any tells whether something holds of the node or of anything below it.
func Any(e Expr, holds func(Expr) bool) bool {
	if e == nil || holds(e) {
		return e != nil
	}
	found := false
	each(e, func(child Expr) { found = found || Any(child, holds) })
	return found
}

// Children are the nodes directly below, in order.
func Children(e Expr) iter.Seq[Expr] {
	return func(yield func(Expr) bool) {
		enough := false
		each(e, func(child Expr) { enough = enough || !yield(child) })
	}
}

// each calls visit for the nodes directly below, in order.
func each(e Expr, visit func(Expr)) {
	all := func(list []Expr) {
		for _, item := range list {
			visit(item)
		}
	}
	switch e := e.(type) {
	case *Call:
		all(e.Args)
	case *UnitOf:
		visit(e.X)
	case *Aggregate:
		if e.X != nil {
			visit(e.X)
		}
		if e.Where != nil {
			visit(e.Where)
		}
		if e.Records != nil && e.Records.Where != nil {
			visit(e.Records.Where)
		}
	case *InOrder:
		if e.X != nil {
			visit(e.X)
		}
		all(e.By)
	case *First:
		visit(e.N)
		if e.Of != nil {
			visit(e.Of)
		}
		all(e.By)
	case *Match:
		visit(e.X)
		visit(e.Y)
	case *Spans:
		visit(e.From)
		visit(e.Until)
		visit(e.Period)
	case *Meets:
		if e.X != nil {
			visit(e.X)
		}
	case *Related:
		if e.N != nil {
			visit(e.N)
		}
		if e.Where != nil {
			visit(e.Where)
		}
	case *Arithmetic:
		visit(e.Left)
		visit(e.Right)
	case *Negative:
		visit(e.X)
	case *Compare:
		visit(e.Left)
		visit(e.Right)
	case *Between:
		visit(e.X)
		visit(e.Low)
		visit(e.High)
	case *In:
		visit(e.X)
		all(e.Items)
	case *Within:
		visit(e.X)
		visit(e.Period)
	case *IsBlank:
		visit(e.X)
	case *Logic:
		all(e.Terms)
	case *Not:
		visit(e.X)
	case *Guarded:
		visit(e.X)
		visit(e.Where)
	}
}

// Conditions are the top-level conditions: the terms of an outermost "and",
// or the expression itself.
func Conditions(e Expr) []Expr {
	if l, ok := e.(*Logic); ok && !l.Or {
		return l.Terms
	}
	return []Expr{e}
}

// Parts are the conditions that a group is made of, the terms of an "and" or an "or" or
// what is denied; nil for a condition that is no group.
func Parts(e Expr) []Expr {
	switch e := e.(type) {
	case *Logic:
		return e.Terms
	case *Not:
		if inner, ok := e.X.(*Logic); ok {
			return inner.Terms
		}
		return []Expr{e.X}
	}
	return nil
}

// IsComparison tells whether the node is the smallest condition that a
// question left blank takes away.
func IsComparison(e Expr) bool {
	switch e.(type) {
	case *Compare, *Within, *Between, *In, *Match, *Spans:
		return true
	}
	return false
}

// Parameters are the names of the questions the expression refers to.
func Parameters(e Expr) []string {
	var names []string
	Walk(e, func(e Expr) {
		if p, ok := e.(*Parameter); ok && !slices.Contains(names, p.Name) {
			names = append(names, p.Name)
		}
	})
	return names
}

// RecordsOf are the records of another table that a node is about; nil for a node
// that is about none.
func RecordsOf(e Expr) *Records {
	switch e := e.(type) {
	case *Related:
		return &e.Records
	case *Aggregate:
		return e.Records
	}
	return nil
}

// WalkOwn is Walk without what is asked of the records of other tables.
func WalkOwn(e Expr, visit func(Expr)) {
	if e == nil {
		return
	}
	visit(e)
	if RecordsOf(e) == nil {
		each(e, func(child Expr) { WalkOwn(child, visit) })
	}
}

// RelatedTables are the other tables whose records an expression asks about.
func RelatedTables(e Expr) (tables []Table) {
	Walk(e, func(e Expr) {
		if records := RecordsOf(e); records != nil {
			tables = append(tables, records.Inner)
		}
	})
	return tables
}

// RelatedNames are the names of those tables, before anything is resolved: an
// aggregate may be of the table that its columns name.
func RelatedNames(e Expr) (names []string) {
	Walk(e, func(e Expr) {
		if records := RecordsOf(e); records != nil {
			names = append(names, records.Table)
		} else if aggregate, ok := e.(*Aggregate); ok && tableIn(aggregate.X) != "" {
			names = append(names, tableIn(aggregate.X))
		}
	})
	return names
}

// Columns are the columns of the query's own tables that the expression refers to,
// each once, but for those that only say which records of another table are meant.
func Columns(e Expr) []*Column {
	var columns []*Column
	WalkOwn(e, func(e Expr) {
		c, ok := e.(*Column)
		if ok && !slices.ContainsFunc(columns, func(d *Column) bool { return d.Same(c) }) {
			columns = append(columns, c)
		}
	})
	return columns
}

// FirstColumn is the column that stands first, the one a comparison is about;
// nil where there is none.
func FirstColumn(e Expr) *Column {
	if c, ok := e.(*Column); ok {
		return c
	}
	if RecordsOf(e) != nil {
		return nil
	}
	var first *Column
	each(e, func(child Expr) {
		if first == nil {
			first = FirstColumn(child)
		}
	})
	return first
}

// Asks tells whether the expression needs the answer to a question of which
// something holds. Whether a question was left blank can be told of any; and a
// value of many records is there whatever is asked of them.
func Asks(e Expr, holds func(name string) bool) bool {
	if p, ok := e.(*Parameter); ok {
		return holds(p.Name)
	}
	if blank, ok := e.(*IsBlank); ok {
		if _, question := blank.X.(*Parameter); question {
			return false
		}
	}
	if aggregate, ok := e.(*Aggregate); ok {
		return aggregate.X != nil && Asks(aggregate.X, holds)
	}
	found := false
	each(e, func(child Expr) { found = found || Asks(child, holds) })
	return found
}

// AsksAny tells whether the expression refers to any question.
func AsksAny(e Expr) bool { return Asks(e, func(string) bool { return true }) }

// Moves tells whether a date is moved, how far, and where to: n is 1 for later,
// -1 for earlier.
func (e *Arithmetic) Moves() (length period.Length, n int, ok bool) {
	by, ok := e.Right.(*Length)
	if !ok || by.Working != 0 {
		return length, 0, false
	}
	if e.Op == '-' {
		return by.Length, -1, true
	}
	return by.Length, 1, true
}

// MovesWorking tells whether a date is moved by working days, and by how many: less than 0
// for earlier.
func (e *Arithmetic) MovesWorking() (n int, ok bool) {
	by, ok := e.Right.(*Length)
	if !ok || by.Working == 0 {
		return 0, false
	}
	if e.Op == '-' {
		return -by.Working, true
	}
	return by.Working, true
}

// Move is a stretch of time moved as the expression says; false where that
// leaves the years that are accepted, or nothing is moved.
func (e *Arithmetic) Move(s *Span) (*Span, bool) {
	length, n, ok := e.Moves()
	if !ok {
		return nil, false
	}
	moved := length.Move(s.Span, n)
	if !moved.OpenStart() && !moved.From.Date().InRange() || !moved.OpenEnd() && !moved.Until.Date().InRange() {
		return nil, false
	}
	return &Span{e.Pos, moved, s.Type}, true
}

// IsInstant tells whether the expression is a column of date-times that are stored
// as instants.
func IsInstant(e Expr) bool {
	c, ok := e.(*Column)
	return ok && c.Ref.Column.Encoding.IsInstant()
}

// Same tells whether two resolved columns are the same.
func (c *Column) Same(d *Column) bool {
	if c.Ref.Alias == "" && d.Ref.Alias == "" { // not resolved
		return c.Table == d.Table && c.Name == d.Name
	}
	return c.Ref.Alias == d.Ref.Alias && c.Ref.Column.Name == d.Ref.Column.Name
}
