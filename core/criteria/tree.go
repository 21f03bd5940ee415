// Package criteria is the language that says which records match:
//
//	passed_at within :period
//	and locks.name in :locks
//	and (paid_on is blank or paid_on >= issued_on)
//
// It uses the words of SQL. Parse turns text into a tree with positions,
// Resolve checks the tree against the tables and questions at hand, Print
// writes it canonically and Words says it to a person. From loose to tight:
//
//	or, and, not, comparisons, + -, * /, sign
package criteria

import (
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
	// Arithmetic is + - * / on numbers.
	Arithmetic struct {
		Pos
		Op          byte
		Left, Right Expr
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
		X     Expr
		Items []Expr
		Not   bool
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
)

// Ref is the column a name was resolved to.
type Ref struct {
	// Alias is the name of its table in the query.
	Alias  string
	Column catalog.Column
	// Nullable tells that the value can be blank, in its table or because its
	// table is joined as optional.
	Nullable bool
}

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

// Walk calls visit for the node and everything below it.
func Walk(e Expr, visit func(Expr)) {
	if e == nil {
		return
	}
	visit(e)
	for _, child := range Children(e) {
		Walk(child, visit)
	}
}

// Children are the nodes directly below.
func Children(e Expr) []Expr {
	switch e := e.(type) {
	case *Arithmetic:
		return []Expr{e.Left, e.Right}
	case *Negative:
		return []Expr{e.X}
	case *Compare:
		return []Expr{e.Left, e.Right}
	case *Between:
		return []Expr{e.X, e.Low, e.High}
	case *In:
		return append([]Expr{e.X}, e.Items...)
	case *Within:
		return []Expr{e.X, e.Period}
	case *IsBlank:
		return []Expr{e.X}
	case *Logic:
		return e.Terms
	case *Not:
		return []Expr{e.X}
	}
	return nil
}

// places is how many decimal places a division is carried to.
const places = 12

// Calculate works out x op y exactly; false for a division by zero.
func Calculate(op byte, x, y decimal.Decimal) (decimal.Decimal, bool) {
	switch op {
	case '+':
		return x.Add(y), true
	case '-':
		return x.Sub(y), true
	case '*':
		return x.Mul(y), true
	}
	if y.IsZero() {
		return decimal.Decimal{}, false
	}
	return x.DivRound(y, places), true
}

// Conditions are the top-level conditions: the terms of an outermost "and",
// or the expression itself.
func Conditions(e Expr) []Expr {
	if l, ok := e.(*Logic); ok && !l.Or {
		return l.Terms
	}
	return []Expr{e}
}
