package criteria

import (
	"fmt"
	"sort"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/diag"
	"pikegate/core/period"
)

// Scope is what names can mean: the tables of the query and its questions.
type Scope struct {
	Tables    []Table
	Questions []Question
	// Open tells that the tables are not known yet (checking without a
	// database): columns are then taken as they are.
	Open bool
}

// Table is a table of the query under its alias.
type Table struct {
	Alias    string
	Table    catalog.Table
	Optional bool
}

// unknownType is the type of what could not be resolved, or not yet: it goes
// with everything, so that one mistake is told once.
const unknownType catalog.Type = ""

// Resolve checks the tree against the scope and sets the references in it.
// It returns the type of the whole and every problem.
func Resolve(text string, e Expr, scope Scope) (catalog.Type, diag.Problems) {
	r := resolver{text: text, scope: scope}
	return r.typeOf(e), r.problems
}

// ResolveCondition is Resolve for what must be true or false.
func ResolveCondition(text string, e Expr, scope Scope) diag.Problems {
	r := resolver{text: text, scope: scope}
	r.condition(e)
	return r.problems
}

type resolver struct {
	text     string
	scope    Scope
	problems diag.Problems
}

func (r *resolver) fail(at Pos, code, message, hint string) {
	p := diag.At(r.text, at.Start, at.End, code, message)
	p.Hint = hint
	r.problems = append(r.problems, p)
}

func (r *resolver) condition(e Expr) {
	t := r.typeOf(e)
	if t != unknownType && t != catalog.Boolean {
		r.fail(e.At(), "type_mismatch", "This is "+a(t)+", not a condition.", "Compare it with something.")
	}
}

func (r *resolver) typeOf(e Expr) catalog.Type {
	switch e := e.(type) {
	case *Column:
		return r.column(e)
	case *Parameter:
		return r.parameter(e)
	case *Number:
		if e.Value.IsInteger() {
			return catalog.Integer
		}
		return catalog.Decimal
	case *Text:
		return catalog.Text
	case *Bool:
		return catalog.Boolean
	case *Negative:
		r.number(e.X)
		return catalog.Decimal
	case *Arithmetic:
		r.number(e.Left)
		r.number(e.Right)
		return catalog.Decimal
	case *Compare:
		r.comparable(e.Left, e.Right)
	case *Between:
		r.comparable(e.X, e.Low)
		r.comparable(e.X, e.High)
	case *In:
		r.in(e)
	case *Within:
		r.within(e)
	case *IsBlank:
		r.typeOf(e.X)
	case *Logic:
		for _, t := range e.Terms {
			r.condition(t)
		}
	case *Not:
		r.condition(e.X)
	}
	return catalog.Boolean
}

func (r *resolver) number(e Expr) {
	if t := r.typeOf(e); t != unknownType && !t.IsNumber() {
		r.fail(e.At(), "type_mismatch", "Arithmetic needs numbers; this is "+a(t)+".", "")
	}
}

// comparable checks two sides of a comparison, and reads a text beside a date
// as a period expression.
func (r *resolver) comparable(left, right Expr) {
	x, y := r.typeOf(left), r.typeOf(right)
	dated := x.IsDate() || y.IsDate() || x == Period || y == Period
	if dated {
		x, y = r.asPeriod(left, x), r.asPeriod(right, y)
	}
	switch {
	case x == unknownType || y == unknownType:
	case x == Period && y == Period:
		r.fail(right.At(), "type_mismatch", "Two periods cannot be compared.", "Compare a column with a period.")
	case dated && (x == Period || x.IsDate()) && (y == Period || y.IsDate()):
		r.sameEncoding(left, right)
	case x == y || x.IsNumber() && y.IsNumber():
	default:
		r.fail(right.At(), "type_mismatch", fmt.Sprintf("%s cannot be compared with %s.", capital(a(x)), a(y)), "")
	}
	for _, side := range []Expr{left, right} {
		if p, ok := side.(*Parameter); ok && p.Question.Many {
			r.fail(p.At(), "many_values", "The question :"+p.Name+" can have several answers.", "Write in :"+p.Name+".")
		}
	}
}

// asPeriod reads a text beside a date.
func (r *resolver) asPeriod(e Expr, t catalog.Type) catalog.Type {
	text, ok := e.(*Text)
	if !ok {
		return t
	}
	expr, problems := period.Parse(text.Value)
	if len(problems) > 0 {
		p := problems[0]
		r.fail(e.At(), p.Code, p.Message, p.Hint)
		return unknownType
	}
	text.Period = &expr
	return Period
}

// sameEncoding refuses to compare two columns whose dates are stored differently.
func (r *resolver) sameEncoding(left, right Expr) {
	x, ok1 := left.(*Column)
	y, ok2 := right.(*Column)
	if ok1 && ok2 && x.Ref.Column.Encoding != y.Ref.Column.Encoding {
		r.fail(right.At(), "different_encodings",
			fmt.Sprintf("%s is stored as %s, %s as %s.", x.Name, x.Ref.Column.Encoding, y.Name, y.Ref.Column.Encoding), "Compare each with a question instead.")
	}
}

func (r *resolver) in(e *In) {
	t := r.typeOf(e.X)
	for _, item := range e.Items {
		if p, ok := item.(*Parameter); ok {
			if got := r.parameter(p); got.IsDate() && t.IsDate() {
				continue
			} else if got == Period {
				r.fail(p.At(), "type_mismatch", "A period is not a list.", "Write within :"+p.Name+".")
			} else if got != unknownType && t != unknownType && got != t && !(got.IsNumber() && t.IsNumber()) {
				r.fail(p.At(), "type_mismatch", fmt.Sprintf("%s cannot be compared with %s.", capital(a(t)), a(got)), "")
			}
			continue
		}
		r.comparable(e.X, item)
	}
}

func (r *resolver) within(e *Within) {
	if t := r.typeOf(e.X); t != unknownType && !t.IsDate() {
		r.fail(e.X.At(), "type_mismatch", "within needs a date; this is "+a(t)+".", "")
	}
	t := r.asPeriod(e.Period, r.typeOf(e.Period))
	if _, isColumn := e.Period.(*Column); t != unknownType && t != Period && (isColumn || !t.IsDate()) {
		r.fail(e.Period.At(), "type_mismatch", "within needs a period; this is "+a(t)+".", "Write within :period or within '2026-Q1'.")
	}
}

func (r *resolver) parameter(e *Parameter) catalog.Type {
	var names []string
	for _, q := range r.scope.Questions {
		if strings.EqualFold(q.Name, e.Name) {
			e.Question = q
			if e.Part != "" && q.Type != Period {
				r.fail(e.At(), "unknown_part", fmt.Sprintf(":%s is %s and has no .%s.", e.Name, a(q.Type), e.Part), "")
			}
			return q.Type
		}
		names = append(names, q.Name)
	}
	hint := diag.DidYouMean(e.Name, names)
	if hint == "" {
		hint = "Declare it under parameters."
	}
	r.fail(e.At(), "undeclared_parameter", "No question is called "+e.Name+".", hint)
	return unknownType
}

func (r *resolver) column(e *Column) catalog.Type {
	if r.scope.Open {
		return unknownType
	}
	var found []Ref
	var near []string
	for _, t := range r.scope.Tables {
		if e.Table != "" && !strings.EqualFold(e.Table, t.Alias) {
			continue
		}
		if c, ok := t.Table.Column(e.Name); ok {
			found = append(found, Ref{t.Alias, c, c.Nullable || t.Optional})
		}
		for _, c := range t.Table.Columns {
			near = append(near, c.Name)
		}
	}
	switch {
	case len(found) == 1:
		e.Ref = found[0]
		return found[0].Column.Type
	case len(found) > 1:
		names := make([]string, len(found))
		for i, f := range found {
			names[i] = f.Alias + "." + f.Column.Name
		}
		sort.Strings(names)
		r.fail(e.At(), "ambiguous_column", "Several tables have a column "+e.Name+".", "Write "+strings.Join(names, " or ")+".")
	case e.Table != "" && near == nil:
		var tables []string
		for _, t := range r.scope.Tables {
			tables = append(tables, t.Alias)
		}
		r.fail(e.At(), "unknown_table", "The query has no table "+e.Table+".", hintOf(e.Table, tables))
	default:
		r.fail(e.At(), "unknown_column", "There is no column "+e.Name+".", hintOf(e.Name, near))
	}
	return unknownType
}

func hintOf(word string, names []string) string {
	if hint := diag.DidYouMean(word, names); hint != "" {
		return hint
	}
	if len(names) > 8 {
		names = names[:8]
	}
	return "There are " + strings.Join(names, ", ") + "."
}

// a is the type with its article.
func a(t catalog.Type) string {
	if t == catalog.Integer {
		return "an integer"
	}
	return "a " + string(t)
}

func capital(s string) string { return strings.ToUpper(s[:1]) + s[1:] }
