// Package plan turns a checked query and typed answers into one logical
// statement: what to read, from where, which records, in which order. It
// knows no SQL; package dialect writes that.
package plan

import (
	"time"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/format"
	"pikegate/core/period"
	"pikegate/core/proof"
)

// Statement is one reading of the database.
type Statement struct {
	// Fetch is what the database returns for each record, in this order.
	Fetch []Fetched
	From  Table
	Joins []Join
	// Summaries are joined after them.
	Summaries []Summary
	Where     []Condition
	Sort      []SortKey
	// First leaves the first rows of the result; nil for all of them.
	First *First
	// Having is the conditions on groups.
	Having []Condition
	// Reach is what the records of its tables have in common that it returns anything of.
	Reach []Reach
	// DateIndex is the fetched column that the date criterion is on, -1 if none.
	DateIndex int
	// Fit are the fetched columns whose dates have to fit their encoding, since a
	// condition compares them: a record in which one does not is left out as it
	// passes. Written are those the order of which holds only while all values
	// are written as the catalogue has it.
	Fit, Written []int
	// GroupBy and Aggregates, where set, take the place of Fetch: each
	// combination that occurs is returned once, with what is made of the
	// records that have it.
	GroupBy, Aggregates []Expr
	// Distinct tells that the groups are what each different row is returned once by.
	Distinct bool
	// Raw, where set, takes the place of From and Joins: hand-written SQL, among
	// whose pieces the conditions and values stand.
	Raw []Piece
	// Union, where set, takes the place of From and Joins: queries whose rows are put below
	// each other.
	Union []Part
	// Narrowed are conditions on what the hand-written SQL returns.
	Narrowed []Condition
	// Said is the answers that hand-written SQL uses, in words.
	Said []string
	// Whole tells that the last row is waited for, as of a file, rather than the first.
	Whole bool
	// Limit is the most rows, 0 for all, after Offset rows are skipped.
	Limit, Offset int
}

// Shown is what people see of the rows of a statement: columns, made from what was
// fetched, and what is made of the rows as they come.
type Shown struct {
	Outputs []Output
	Groups  []Group
	Totals  []Total
	Judged  []Total // worked out and not shown
	Chart   *Chart
	// Across is nil where records are shown one by one.
	Across *Across
	// Emphasis is what stands out, the first that holds of a value.
	Emphasis []Highlight
	// Parts are those of a union, which read its rows.
	Parts []Part
	// Passing are the values that are worked out while the rows pass, in this order.
	Passing []Passing
}

// Selection is a statement and what is shown of its rows.
type Selection struct {
	Statement
	Shown
}

// Piece is a stretch of hand-written SQL: text that stays as it is, the slot for
// the conditions, one condition that stands by itself, the values of an answer, or the
// rows of a table that may be seen.
type Piece struct {
	Text      string
	Slot      bool
	Condition *Condition
	Values    []any
	// List tells that the values stand in parentheses, however many there are.
	List bool
	// Table is one of which the rows are read that may be seen; Named tells that a name
	// for it follows.
	Table *Table
	Named bool
}

// Fetched is a column of a record, or, where Value is set, a value that the database
// works out for it, which is read as the column says.
type Fetched struct {
	criteria.Ref
	Value Expr
}

// Table is a table and its name in the statement.
type Table struct {
	Schema, Name, Alias string
	// Rows is what its rows meet that are read, nil where all are. Bare is the same as
	// criteria, nil where there are none, and Words what people read of it.
	Rows  Expr
	Bare  criteria.Expr
	Words string
}

// Join adds a table; an optional one keeps records that have no match.
type Join struct {
	Table
	Optional bool
	On       Expr
}

// Output is one column people see.
type Output struct {
	Name   string        `json:"name"`
	Label  string        `json:"label"`
	Type   catalog.Type  `json:"type"`
	Format string        `json:"format,omitempty"`
	Words  *format.Words `json:"words,omitempty"`
	// Column says how the fetched value is stored, and Index which it is;
	// a computed column has a Formula instead.
	Column  catalog.Column `json:"-"`
	Index   int            `json:"-"`
	Formula Formula        `json:"-"`
}

// Condition is one top-level criterion, bound to values.
type Condition struct {
	// Words says it to a person, Text as the author wrote it.
	Words, Text string
	// Expr is nil where the condition restricts nothing in this run.
	Expr Expr
	// Bare is the condition it came from: answers put in, columns bare.
	Bare criteria.Expr
}

// SortKey is one key of the order.
type SortKey struct {
	Expr        Expr
	Descending  bool
	BlanksFirst bool
	// Nullable tells that the key can be blank.
	Nullable bool
}

// Expr is a bound expression: one of the types below.
type Expr interface{ isExpr() }

type (
	// Column is a column of one of the tables.
	Column struct{ Ref criteria.Ref }
	// Value is a bound value: text, int64, float64, bool or decimal, nil for blank.
	Value struct{ V any }
	// Compare is = <> < <= > >=.
	Compare struct {
		Op          string
		Left, Right Expr
	}
	// In tells whether X is one of the values. Constant ones are nobody's input, and stand
	// in the text, however many there are.
	In struct {
		X        Expr
		Values   []any
		Constant bool
	}
	// IsBlank tells whether X is blank.
	IsBlank struct{ X Expr }
	// Logic is "and", or "or", of its terms.
	Logic struct {
		Or    bool
		Terms []Expr
	}
	// Not is the negation, which blanks do not satisfy either.
	Not struct{ X Expr }
	// Const is always or never.
	Const struct{ V bool }
	// Related tells whether a table has so many records that meet the condition.
	Related struct {
		From  Table
		Where Expr
		Least int64
	}
	// RelatedValue is one value of a table's records that meet the condition; of none,
	// a sum is 0.
	RelatedValue struct {
		From  Table
		Where Expr
		Of    Expr
	}
	// Ratio is the sum of numbers and how many there are as one text, 14/3, so that
	// the division can be done exactly.
	Ratio struct{ X Expr }
	// Contains tells whether a text occurs in X, whatever its case.
	Contains struct {
		X    Expr
		Text string
	}
	// Match is "contains", "starts with" or "ends with", by code points.
	Match struct {
		Op   string
		X, Y Expr
	}
	// Func is one of the functions of package criteria on values.
	Func struct {
		Name string
		Args []Expr
		// Places are whole numbers among its operands that are written.
		Places []int64
	}
	// SecondsBetween counts the whole seconds from one date-time, as text, to another.
	SecondsBetween struct{ From, To Expr }
	// MovedBy is a date given as text, moved by as many days as N says; blank where that
	// leaves the years that are accepted.
	MovedBy struct {
		X, N Expr
		Fine bool
	}
	// If is Then where the condition is met, and Else elsewhere.
	If struct{ When, Then, Else Expr }
	// Fits tells whether the value stored in a date column is a date as its
	// encoding has it; it is false for a blank.
	Fits struct{ Ref criteria.Ref }
	// Plain is a date-time kept as text, written with T and without Z, so that
	// it compares with such a text whatever way it is stored in.
	Plain struct{ Ref criteria.Ref }
	// Either is a value: Then where the table has a value of the column from Low
	// on and before High, else Else. Unlike the conditions of records, it is
	// worked out once for a statement.
	Either struct {
		Table                 Table
		Ref                   criteria.Ref
		Low, High, Then, Else string
	}
	// Moment is a date as text in the zone that was asked for: 2026-03-31, or,
	// Fine, 2026-03-31T08:30:15.000000000; blank where what is stored does not
	// fit. For instants, Shifts give the zone's offset from UTC, newest first;
	// the last one has no From. Yearly, if there is one, gives it from a year on.
	// Zone is its name.
	//
	// Sure tells that every value fits, and has the column's Shape where it has one.
	Moment struct {
		Ref        criteria.Ref
		Fine, Sure bool

		Shifts []Shift
		Yearly *civil.Yearly
		Zone   string
	}
	// DatePart is something said of a date that is given as text.
	DatePart struct {
		X         Expr
		Form      Form
		Unit      civil.Unit
		WeekStart time.Weekday
	}
	// Moved is a date given as text, moved by months (keeping the day of the
	// month or taking the month's last) and then by days.
	Moved struct {
		X            Expr
		Fine         bool
		Months, Days int
	}
	// DaysBetween counts the days from one day, as text, to another.
	DaysBetween struct{ From, To Expr }
	// WorkingDays counts those after one day, as text, through another; blank beyond the
	// days that the almanac knows.
	WorkingDays struct {
		From, To Expr
		Almanac  *civil.Almanac
	}
	// WorkingMoved is a date given as text, moved by working days; blank where that leaves
	// the days that the almanac knows.
	WorkingMoved struct {
		X       Expr
		Fine    bool
		Days    int
		Almanac *civil.Almanac
	}
	// OwnUnit is what a unit of a calendar is called that holds a day, as text; blank where
	// none does.
	OwnUnit struct {
		X     Expr
		Units []period.Stretch
	}
	// Aggregate is one value for many records, those that meet Where if that is not
	// nil; X is nil for count.
	Aggregate struct {
		Name     string
		X, Where Expr
		Place    Place
	}
	// Arithmetic is + - * / on numbers; / never cuts to whole numbers.
	Arithmetic struct {
		Op          byte
		Left, Right Expr
	}
)

// Place is a place in the order of values from the least on: the first that a number of
// ten thousand of them does not exceed or, Above, the first that is after as many of them.
type Place struct {
	Of10000 int64
	Above   bool
}

// Form is what is said of a date.
type Form uint8

// The forms: 3 for March, 2026-03-01, 2026-03; and 1 for Monday to 7.
const (
	NumberOf Form = iota
	StartOf
	TextOf
	DayOf
)

// Shift is an offset from UTC, in seconds, that holds from a stored value on.
type Shift struct {
	From   any
	Offset int
}

func (Related) isExpr()        {}
func (RelatedValue) isExpr()   {}
func (Ratio) isExpr()          {}
func (Contains) isExpr()       {}
func (Fits) isExpr()           {}
func (Plain) isExpr()          {}
func (Either) isExpr()         {}
func (Match) isExpr()          {}
func (Func) isExpr()           {}
func (SecondsBetween) isExpr() {}
func (MovedBy) isExpr()        {}
func (If) isExpr()             {}
func (Moment) isExpr()         {}
func (DatePart) isExpr()       {}
func (Moved) isExpr()          {}
func (DaysBetween) isExpr()    {}
func (WorkingDays) isExpr()    {}
func (WorkingMoved) isExpr()   {}
func (OwnUnit) isExpr()        {}
func (Aggregate) isExpr()      {}
func (Column) isExpr()         {}
func (Value) isExpr()          {}
func (Compare) isExpr()        {}
func (In) isExpr()             {}
func (IsBlank) isExpr()        {}
func (Logic) isExpr()          {}
func (Not) isExpr()            {}
func (Const) isExpr()          {}
func (Arithmetic) isExpr()     {}

// Impossible says why no record can match, if that can be proved of the
// conditions, empty if not.
func (s Statement) Impossible() string {
	if s.Raw != nil { // what else the SQL returns is not known
		return ""
	}
	if s.Union != nil {
		return impossibleIn(s.Union)
	}
	var terms []criteria.Expr
	words := map[criteria.Expr]string{}
	add := func(bare criteria.Expr, said string) {
		if bare == nil {
			return
		}
		for _, term := range criteria.Conditions(bare) {
			terms = append(terms, term)
			words[term] = said
		}
	}
	for _, c := range s.Where {
		add(c.Bare, c.Words)
	}
	add(s.From.Bare, s.From.Words)
	for _, j := range s.Joins {
		if !j.Optional {
			add(j.Bare, j.Words)
		}
	}
	if len(terms) == 0 {
		return ""
	}
	finding, never := proof.Contradiction(&criteria.Logic{Terms: terms})
	if !never {
		return ""
	}
	return finding.Reason(func(e criteria.Expr) string { return words[e] })
}
