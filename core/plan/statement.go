// Package plan turns a checked query and typed answers into one logical
// statement: what to read, from where, which records, in which order. It
// knows no SQL; package dialect writes that.
package plan

import (
	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
)

// Statement is one reading of the database.
type Statement struct {
	// Fetch is what the database returns for each record, in this order.
	Fetch []criteria.Ref
	// Outputs are the columns people see, made from what was fetched.
	Outputs []Output
	From    Table
	Joins   []Join
	Where   []Condition
	Sort    []SortKey
	// DateIndex is the fetched column that the date criterion is on, -1 if none.
	DateIndex int
	// GroupBy, where set, takes the place of Fetch: each combination that
	// occurs is returned once, with how many records have it.
	GroupBy []Expr
	// Limit is the most rows, 0 for all, after Offset rows are skipped.
	Limit, Offset int
}

// Table is a table and its name in the statement.
type Table struct{ Name, Alias string }

// Join adds a table; an optional one keeps records that have no match.
type Join struct {
	Table
	Optional bool
	On       Expr
}

// Output is one column people see.
type Output struct {
	Name   string       `json:"name"`
	Label  string       `json:"label"`
	Type   catalog.Type `json:"type"`
	Format string       `json:"format,omitempty"`
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
	// Value is a bound value: text, int64, float64, bool or decimal.
	Value struct{ V any }
	// Compare is = <> < <= > >=.
	Compare struct {
		Op          string
		Left, Right Expr
	}
	// In tells whether X is one of the values.
	In struct {
		X      Expr
		Values []any
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
	// Contains tells whether a text occurs in X, whatever its case.
	Contains struct {
		X    Expr
		Text string
	}
	// Bucket is the day, month or year a date falls on, as text (2026-03-31,
	// 2026-03, 2026). For instants, Shifts give the zone's offset from UTC,
	// newest first; the last one has no From.
	Bucket struct {
		Ref    criteria.Ref
		Unit   civil.Unit
		Shifts []Shift
	}
	// Arithmetic is + - * / on numbers; / never cuts to whole numbers.
	Arithmetic struct {
		Op          byte
		Left, Right Expr
	}
)

// Shift is an offset from UTC, in seconds, that holds from a stored value on.
type Shift struct {
	From   any
	Offset int
}

func (Contains) isExpr()   {}
func (Bucket) isExpr()     {}
func (Column) isExpr()     {}
func (Value) isExpr()      {}
func (Compare) isExpr()    {}
func (In) isExpr()         {}
func (IsBlank) isExpr()    {}
func (Logic) isExpr()      {}
func (Not) isExpr()        {}
func (Const) isExpr()      {}
func (Arithmetic) isExpr() {}
