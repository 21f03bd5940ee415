package criteria

import (
	"fmt"
	"sort"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/diag"
	"pikegate/core/period"
)

// Scope is what names can mean: the tables of the query and its questions.
type Scope struct {
	Tables    []Table
	Questions []Question
	// Criterion gives the condition of a named criterion, resolved, or what is
	// wrong with naming it; nil where none can be named.
	Criterion func(*Meets) (Expr, *diag.Problem)
	// Related gives a table of the same source by its name; nil where no other
	// tables can be asked about.
	Related func(name string) (catalog.Table, bool)
	// Unplaced tells that there are no medians and percentiles of their records.
	Unplaced bool
	// Near, of the condition on another table, is that table: a bare name is first
	// looked for among its columns.
	Near *Table
	// Calendar is the context in which units are looked up that are a calendar's own; nil
	// where it is not known.
	Calendar *civil.Calendar
	// Ordered tells that values which other records of the result give can stand here, and
	// Limited that, on top, conditions on how many records are left can.
	Ordered, Limited bool
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
	if scope.Limited {
		rest, firsts := TakeFirst(e)
		for _, first := range firsts {
			r.first(first)
		}
		if len(firsts) > 1 {
			r.fail(firsts[1].At(), "twice", "How many records are left is said twice.", "Remove one of them.")
		}
		if e = rest; e == nil {
			return r.problems
		}
	}
	r.condition(e)
	return r.problems
}

// ResolveNumber is Resolve for what must be a number.
func ResolveNumber(text string, e Expr, scope Scope) diag.Problems {
	r := resolver{text: text, scope: scope}
	t := r.typeOf(e)
	r.noBlank(e)
	if t != unknownType && !t.IsNumber() {
		r.fail(e.At(), "type_mismatch", "This is "+t.WithArticle()+", not a number.", "Write an expression that gives a number.")
	}
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
	r.noBlank(e)
	if t != unknownType && t != catalog.Boolean {
		r.fail(e.At(), "type_mismatch", "This is "+t.WithArticle()+", not a condition.", "Compare it with something.")
	}
}

func (r *resolver) typeOf(e Expr) catalog.Type {
	switch e := e.(type) {
	case *Column:
		return r.column(e)
	case *Parameter:
		t := r.parameter(e)
		r.single(e)
		return t
	case *Number:
		if e.Value.IsInteger() {
			return catalog.Integer
		}
		return catalog.Decimal
	case *Text:
		return catalog.Text
	case *Bool:
		return catalog.Boolean
	case *Blank:
		return unknownType
	case *Span:
		return Period
	case *Length:
		return LengthOfTime
	case *Call:
		e.Type = r.call(e)
		return e.Type
	case *UnitOf:
		r.noBlank(e.X)
		if t := r.typeOf(e.X); t != unknownType && !t.IsDate() {
			r.fail(e.X.At(), "type_mismatch", e.Unit+" of needs a date; this is "+t.WithArticle()+".", "")
		}
		r.unitKnown(e)
		return catalog.Text
	case *Aggregate:
		return r.aggregate(e)
	case *InOrder:
		return r.inOrder(e)
	case *First:
		r.fail(e.At(), "first_here", "How many records are left cannot be said here.", "Write it in a query's criteria, joined by and to all other conditions.")
	case *Negative:
		r.number(e.X, r.typeOf(e.X))
		return catalog.Decimal
	case *Arithmetic:
		e.Type = r.arithmetic(e)
		return e.Type
	case *Match:
		r.word(e.X, e.Op)
		r.word(e.Y, e.Op)
		_, written := e.Y.(*Text)
		_, asked := e.Y.(*Parameter)
		if e.Op == "matches" && !written && !asked {
			r.fail(e.Y.At(), "bad_text", "matches needs a pattern that is written here or asked for.", "Write matches 'P*': * stands for any characters, ? for one.")
		}
	case *Spans:
		r.spans(e)
	case *Meets:
		r.meets(e)
	case *Related:
		r.related(e)
	case *Compare:
		r.compared(e.Left, r.typeOf(e.Left), e.Right)
		r.folded(e.Fold, e.Left)
	case *Between:
		t := r.typeOf(e.X)
		r.compared(e.X, t, e.Low)
		r.compared(e.X, t, e.High)
	case *In:
		r.in(e)
	case *Within:
		r.within(e)
	case *IsBlank:
		if p, ok := e.X.(*Parameter); ok { // several answers may be left blank too
			r.parameter(p)
			break
		}
		r.noBlank(e.X)
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

// unitKnown tells that there is no unit of that name in the calendar, where that is known.
func (r *resolver) unitKnown(e *UnitOf) {
	calendar := r.scope.Calendar
	if Units[e.Unit] != 0 || calendar == nil && period.IsWholeName(e.Unit) {
		return
	}
	if calendar == nil {
		calendar = &civil.Calendar{}
	}
	if _, ok := period.WholeOf(e.Unit, *calendar); !ok {
		names := period.WholeNames(*calendar)
		hint := diag.DidYouMean(e.Unit, names)
		if hint == "" {
			hint = "There are " + strings.Join(names, ", ") + "."
		}
		r.fail(e.At(), "unknown_unit", e.Unit+" is not a unit of time.", hint)
	}
}

// number checks an operand of arithmetic, whose type is t.
func (r *resolver) number(e Expr, t catalog.Type) {
	r.noBlank(e)
	if t != unknownType && !t.IsNumber() {
		r.fail(e.At(), "type_mismatch", "Arithmetic needs numbers; this is "+t.WithArticle()+".", "")
	}
}

func (r *resolver) word(e Expr, what string) {
	r.noBlank(e)
	if t := r.typeOf(e); t != unknownType && t != catalog.Text {
		r.fail(e.At(), "type_mismatch", what+" needs a text; this is "+t.WithArticle()+".", "")
	}
}

// folded refuses to ignore the case of what is not text.
func (r *resolver) folded(fold bool, x Expr) {
	if t := TypeOf(x); fold && t != unknownType && t != catalog.Text {
		r.fail(x.At(), "type_mismatch", "Only texts have capitals; this is "+t.WithArticle()+".", "Remove ignoring case.")
	}
}

// arithmetic is of numbers, of a date and a length, or of two dates.
func (r *resolver) arithmetic(e *Arithmetic) catalog.Type {
	left := r.typeOf(e.Left)
	dated := left.IsDate() || left == Period
	if _, moved := e.Right.(*Length); moved {
		r.noBlank(e.Left)
		if e.Op == '*' || e.Op == '/' || left != unknownType && !dated {
			r.fail(e.Right.At(), "type_mismatch", "A length of time is added to a date or taken from it.", "Write issued_on + 30 days.")
			return unknownType
		}
		if _, working := e.MovesWorking(); working && left == Period {
			r.fail(e.At(), "type_mismatch", "A period is not moved by working days.", "Move one of its ends: :period.through + 5 working days.")
		}
		return left
	}
	right := r.typeOf(e.Right)
	if !dated {
		r.number(e.Left, left)
		r.number(e.Right, right)
		return catalog.Decimal
	}
	r.noBlank(e.Right)
	if e.Op != '-' || right != unknownType && !right.IsDate() && right != Period {
		r.fail(e.At(), "type_mismatch", "A date takes a length of time, or another date from it.", "Write paid_on - issued_on, or issued_on + 30 days.")
		return unknownType
	}
	return catalog.Integer
}

func (r *resolver) aggregate(e *Aggregate) catalog.Type {
	r.infer(e)
	if own := e.Records; own != nil && own.Inferred && own.Of == "" && r.hasTable(own.Table) {
		e.Where, e.Records = own.Where, nil // of some of the query's own records
	}
	if e.Records == nil {
		t := r.aggregated(e)
		if e.Where != nil {
			r.condition(e.Where)
		}
		if HasAggregate(e.X) || HasAggregate(e.Where) {
			r.fail(e.At(), "nested_aggregate", "An aggregate cannot be made of others.", "Write each by itself.")
		}
		return t
	}
	t := unknownType
	r.records(e, e.Records, func() {
		if r.inferAll(e.X); HasAggregate(e.X) {
			r.fail(e.X.At(), "nested_aggregate", "An aggregate cannot be made of others.", "Write one of them as a condition on its own.")
			return
		}
		t = r.aggregated(e)
	})
	if e.IsPlaced() && r.scope.Unplaced {
		r.fail(e.At(), "no_percentile", "This database gives no "+e.Name+" of another table's records.", "Join the table, and group by a key of this one.")
	}
	return t
}

// aggregated checks what an aggregate is made of, whose records those are aside.
func (r *resolver) aggregated(e *Aggregate) catalog.Type {
	if e.X == nil {
		return catalog.Integer
	}
	t := r.typeOf(e.X)
	r.noBlank(e.X)
	if (e.Name == "sum" || e.Name == "average") && t != unknownType && !t.IsNumber() {
		r.fail(e.X.At(), "type_mismatch", e.Name+" needs a number; this is "+t.WithArticle()+".", "")
	}
	if e.IsPlaced() && t != unknownType && !t.IsNumber() && !t.IsDate() {
		r.fail(e.X.At(), "type_mismatch", "A "+e.Name+" is one of numbers or dates; this is "+t.WithArticle()+".", "")
	}
	return e.typeOf(func(Expr) catalog.Type { return t })
}

func (r *resolver) spans(e *Spans) {
	var dates []catalog.Type
	for _, side := range []Expr{e.From, e.Until} {
		t := r.typeOf(side)
		r.noBlank(side)
		if t != unknownType && !t.IsDate() {
			r.fail(side.At(), "type_mismatch", "A span runs from one date to another; this is "+t.WithArticle()+".", "")
		}
		dates = append(dates, t)
	}
	if dates[0].IsDate() && dates[1].IsDate() && dates[0] != dates[1] {
		r.fail(e.Until.At(), "type_mismatch", fmt.Sprintf("The span starts with %s and ends with %s.", dates[0].WithArticle(), dates[1].WithArticle()), "Write date_of(…) to have days of both.")
	}
	if e.Op == "covers" && FirstColumn(e.Period) != nil { // a date of the record: what was valid then
		r.noBlank(e.Period)
		if t := r.typeOf(e.Period); t != unknownType && !t.IsDate() {
			r.fail(e.Period.At(), "type_mismatch", "covers needs a period or a date; this is "+t.WithArticle()+".", "Write covers :period or covers passed_at.")
		}
		return
	}
	r.period(e.Period, e.Op)
}

// meets resolves a named criterion; what is wrong inside it is told with it.
func (r *resolver) meets(e *Meets) {
	if r.scope.Criterion == nil {
		r.fail(e.At(), "no_criteria_here", "A named criterion cannot be used here.", "Use it in a query's criteria.")
		return
	}
	x, problem := r.scope.Criterion(e)
	if problem != nil {
		p := diag.At(r.text, e.Start, e.End, problem.Code, problem.Message)
		p.Hint = problem.Hint
		r.problems = append(r.problems, p)
	}
	e.X = x
}

// compared checks two sides of a comparison, the first of which has the type x,
// and reads a text beside a date as a period expression.
func (r *resolver) compared(left Expr, x catalog.Type, right Expr) {
	y := r.typeOf(right)
	if isUnit(left) {
		r.unitCompared(right, y)
		return
	}
	if isUnit(right) {
		r.unitCompared(left, x)
		return
	}
	dated := x.IsDate() || y.IsDate() || x == Period || y == Period
	if dated {
		x, y = r.asPeriod(left, x), r.asPeriod(right, y)
	}
	r.uncompared(left)
	r.uncompared(right)
	switch {
	case x == unknownType || y == unknownType:
	case x == Period && y == Period:
		r.fail(right.At(), "type_mismatch", "Two periods cannot be compared.", "Compare a column with a period.")
	case dated && (x == Period || x.IsDate()) && (y == Period || y.IsDate()):
	case x == y || x.IsNumber() && y.IsNumber():
	default:
		r.fail(right.At(), "type_mismatch", fmt.Sprintf("%s cannot be compared with %s.", capital(x.WithArticle()), y.WithArticle()), "")
	}
}

// single refuses a question that can have several answers.
func (r *resolver) single(e Expr) {
	if p, ok := e.(*Parameter); ok && p.Question.Many && p.Question.Type != Period { // of a period that is told already
		r.fail(p.At(), "many_values", "The question :"+p.Name+" can have several answers.", "Write in :"+p.Name+".")
	}
}

// uncompared refuses a comparison with blank, which nothing satisfies.
func (r *resolver) uncompared(e Expr) {
	if b, ok := e.(*Blank); ok {
		r.fail(b.At(), "compared_with_blank", "Nothing equals blank or differs from it.", "Write is blank or is not blank.")
	}
}

// noBlank refuses the word blank where a value is needed; coalesce and if take it.
func (r *resolver) noBlank(e Expr) {
	if b, ok := e.(*Blank); ok {
		r.fail(b.At(), "blank_alone", "Blank is not a value here.", "Blank stands after is and is not, and in coalesce and if.")
	}
}

// isStretch tells whether a date is a stretch of time that is the same for every
// record: an answer, may be moved.
func isStretch(e Expr) bool {
	switch e := e.(type) {
	case *Parameter:
		return e.Question.Type.IsDate() || e.Question.Type == Period
	case *Arithmetic:
		_, _, moved := e.Moves()
		return moved && isStretch(e.Left)
	}
	return false
}

func isUnit(e Expr) bool {
	_, ok := e.(*UnitOf)
	return ok
}

// unitCompared checks "month of d = '2026-03'", other being what the unit is
// compared with.
func (r *resolver) unitCompared(other Expr, t catalog.Type) {
	if t = r.asPeriod(other, t); t != unknownType && t != Period && !isUnit(other) && !isStretch(other) {
		r.fail(other.At(), "type_mismatch", fmt.Sprintf("A unit of time cannot be compared with %s.", t.WithArticle()), "Write month of d = '2026-03'.")
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

func (r *resolver) in(e *In) {
	t := r.typeOf(e.X)
	for _, item := range e.Items {
		if p, ok := item.(*Parameter); ok {
			if got := r.parameter(p); got.IsDate() && t.IsDate() {
				continue
			} else if got == Period {
				r.fail(p.At(), "type_mismatch", "A period is not a list.", "Write within :"+p.Name+".")
			} else if got != unknownType && t != unknownType && got != t && !(got.IsNumber() && t.IsNumber()) {
				r.fail(p.At(), "type_mismatch", fmt.Sprintf("%s cannot be compared with %s.", capital(t.WithArticle()), got.WithArticle()), "")
			}
			continue
		}
		r.compared(e.X, t, item)
	}
	r.folded(e.Fold, e.X)
}

func (r *resolver) within(e *Within) {
	r.noBlank(e.X)
	if t := r.typeOf(e.X); t != unknownType && !t.IsDate() && !isUnit(e.X) {
		r.fail(e.X.At(), "type_mismatch", "within needs a date; this is "+t.WithArticle()+".", "")
	}
	r.period(e.Period, "within")
}

// period checks what must be a period.
func (r *resolver) period(e Expr, what string) {
	t := r.asPeriod(e, r.typeOf(e))
	r.noBlank(e)
	if t != unknownType && t != Period && !isStretch(e) {
		r.fail(e.At(), "type_mismatch", what+" needs a period; this is "+t.WithArticle()+".", "Write "+what+" :period or "+what+" '2026-Q1'.")
	}
}

func (r *resolver) parameter(e *Parameter) catalog.Type {
	var names []string
	for _, q := range r.scope.Questions {
		if strings.EqualFold(q.Name, e.Name) {
			e.Question = q
			if e.Part != "" && q.Type != Period {
				r.fail(e.At(), "unknown_part", fmt.Sprintf(":%s is %s and has no .%s.", e.Name, q.Type.WithArticle(), e.Part), "")
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
	var room [1]Ref
	found := r.columns(room[:0], e)
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
		return unknownType
	}
	var near, tables []string
	inView := r.scope.Tables
	if r.scope.Near != nil {
		inView = append([]Table{*r.scope.Near}, inView...)
	}
	for _, t := range inView {
		tables = append(tables, t.Alias)
		if e.Table != "" && !strings.EqualFold(e.Table, t.Alias) {
			continue
		}
		for _, c := range t.Table.Columns {
			near = append(near, c.Name)
		}
	}
	if e.Table != "" && near == nil {
		r.fail(e.At(), "unknown_table", "The query has no table "+e.Table+".", hintOf(e.Table, tables))
	} else {
		hint := hintOf(e.Name, near)
		if a := advice[strings.ToLower(e.Name)]; a != "" && diag.DidYouMean(e.Name, near) == "" {
			hint = a
		}
		r.fail(e.At(), "unknown_column", "There is no column "+e.Name+".", hint)
	}
	return unknownType
}

// columns adds those that a name can mean to what was found.
func (r *resolver) columns(found []Ref, e *Column) []Ref {
	if near := r.scope.Near; near != nil && (e.Table == "" || strings.EqualFold(e.Table, near.Alias)) {
		if c, ok := near.Table.Column(e.Name); ok {
			return append(found, Ref{near.Alias, c, c.Nullable})
		}
	}
	for i := range r.scope.Tables {
		t := &r.scope.Tables[i]
		if e.Table != "" && !strings.EqualFold(e.Table, t.Alias) {
			continue
		}
		if c, ok := t.Table.Column(e.Name); ok {
			found = append(found, Ref{t.Alias, c, c.Nullable || t.Optional})
		}
	}
	return found
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

func capital(s string) string { return strings.ToUpper(s[:1]) + s[1:] }
