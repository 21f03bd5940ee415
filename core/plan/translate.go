package plan

import (
	"fmt"
	"math/big"
	"regexp"
	"slices"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/period"
)

// condition turns a simplified condition into an expression over what is
// stored: the bounds of dates in each column's own encoding. Negations go down
// to the comparisons, and each comparison is met only where every date in it
// fits, so that what is stored wrong meets neither a condition nor its
// negation.
func (b *binder) condition(e criteria.Expr, negated bool) Expr {
	if b.full(e) {
		return Const{false}
	}
	switch e := e.(type) {
	case *criteria.Logic:
		terms := make([]Expr, len(e.Terms))
		for i, t := range e.Terms {
			terms[i] = b.condition(t, negated)
		}
		return Logic{e.Or != negated, terms}
	case *criteria.Not:
		return b.condition(e.X, !negated)
	case *criteria.Bool:
		return Const{e.Value != negated}
	case *criteria.Guarded:
		x := b.condition(e.X, negated)
		if !negated && implies(e.X, e.Where) {
			return x
		}
		return all(x, b.condition(e.Where, false))
	}
	x, fits := b.leaf(e, negated)
	if x == nil {
		return Const{false} // told
	}
	for _, c := range datedColumns(e) {
		switch {
		case b.trusts(c.Ref):
		case b.lenient:
			x = Logic{true, []Expr{x, Unfit(c.Ref)}}
		case !fits(c):
			x = all(x, guard(e, c.Ref))
		}
	}
	return x
}

// maxParts is how many parts the criteria of one run may come to. Some stand for
// several others, so that inside each other they would come to any number.
const maxParts = 50_000

// full counts the parts that were translated, and says once that there are too
// many.
func (b *binder) full(e criteria.Expr) bool {
	b.parts++
	if b.parts == maxParts {
		b.problems = append(b.problems, diag.Problem{
			Code: "too_large", Field: b.field(e), Message: "With these answers the criteria come to more than 50,000 parts.",
			Hint: "Ask with fewer conditions, or with fewer functions inside each other.",
		})
	}
	return b.parts >= maxParts
}

// leaf translates a comparison, and tells which dates in it are sure to
// fit where it is met.
func (b *binder) leaf(e criteria.Expr, negated bool) (x Expr, fits func(*criteria.Column) bool) {
	never := func(*criteria.Column) bool { return false }
	switch e := e.(type) {
	case *criteria.Within, *criteria.Compare:
		if bounds, ok := boundsOf(e); ok {
			return b.bounds(bounds, e, negated), func(*criteria.Column) bool {
				return !negated && inside(bounds.Span) && b.sureWithin(bounds.Column)
			}
		}
	case *criteria.IsBlank:
		if c, ok := e.X.(*criteria.Column); ok && c.Ref.Column.Encoding != "" && negated && !b.trusts(c.Ref) {
			return Fits{c.Ref}, func(*criteria.Column) bool { return true }
		}
		if c, ok := e.X.(*criteria.Column); ok && c.Ref.Column.Encoding != "" && !negated {
			if !c.Ref.Nullable { // MariaDB takes 0000-00-00 for blank there
				return Const{false}, func(*criteria.Column) bool { return true }
			}
			return IsBlank{Column{c.Ref}}, func(*criteria.Column) bool { return true }
		}
	}
	switch e := e.(type) {
	case *criteria.IsBlank:
		x = IsBlank{b.translate(e.X)}
	case *criteria.Compare:
		x = b.compare(e)
	case *criteria.Within:
		span := e.Period.(*criteria.Span).Span
		x = Logic{Terms: []Expr{b.bound(e.X, ">=", span.From, e), b.bound(e.X, "<", span.Until, e)}}
	case *criteria.In:
		x = b.in(e)
	case *criteria.Match:
		x = b.match(e)
	case *criteria.Related:
		x = b.quantity(e)
	case *criteria.Call:
		if e.Name == "is_holiday" || e.Name == "is_working_day" {
			return b.daysCondition(e, negated), never
		}
		x = Compare{"=", b.translate(e), Value{true}}
	case *criteria.Column: // a yes-no value, as the next
		x = Column{e.Ref}
	case *criteria.Blank:
		x = Compare{"=", b.translate(e), Value{true}}
	default:
		b.untold(e)
		return nil, never
	}
	if negated {
		x = Not{x}
	}
	return x, never
}

// quantity translates a condition on the records of another table that belong to
// a record.
func (b *binder) quantity(e *criteria.Related) Expr {
	from, condition := b.belonging(&e.Records)
	least := func(n int64) Expr {
		if n <= 0 {
			return Const{true}
		}
		return Related{from, condition, n}
	}
	n := int64(1)
	if number, ok := e.N.(*criteria.Number); ok {
		n = number.Value.IntPart()
	}
	switch e.Quantity {
	case "no":
		return Not{least(1)}
	case "at most":
		return Not{least(n + 1)}
	case "exactly":
		return Compare{"=", b.ofRecords(&e.Records, Aggregate{Name: "count"}), Value{n}}
	}
	return least(n)
}

// belonging are the other table, and the condition its records meet.
func (b *binder) belonging(r *criteria.Records) (Table, Expr) {
	return b.tableOf(r.Inner.Table, r.Inner.Alias), b.together(b.askedOfThem(r))
}

// askedOfThem is what related records meet, simplified: that they belong to the record,
// and what else is asked of them.
func (b *binder) askedOfThem(r *criteria.Records) (conditions []criteria.Expr) {
	for _, part := range []criteria.Expr{r.Link, r.Where} {
		if part != nil {
			conditions = append(conditions, criteria.Simplify(part, b.calendar))
		}
	}
	return conditions
}

// aggregated is an aggregate of what x is: of a group's records, or of related ones.
func (b *binder) aggregated(e *criteria.Aggregate, x Expr) Expr {
	if e.IsPlaced() {
		return b.atPlace(e, x)
	}
	if e.Name == "sum" || e.Name == "average" {
		if made, ok := b.addedUp(e); ok {
			return made
		}
	}
	if e.Records == nil {
		made := Aggregate{Name: e.Name, X: x, Where: b.chosen(e)}
		if e.Name == "sum" && e.Where != nil { // of none it is 0, as that of related records
			return Func{Name: "coalesce", Args: []Expr{made, Value{int64(0)}}}
		}
		return made
	}
	if e.Name == "average" { // as exact as the engine's sums are
		return b.ofRecords(e.Records, Arithmetic{'/', Aggregate{Name: "sum", X: x}, Aggregate{Name: "present", X: x}})
	}
	return b.ofRecords(e.Records, Aggregate{Name: e.Name, X: x})
}

// addedUp is a sum or an average of factor * column + term, for which the database adds up
// the bare column; false for one of anything else.
func (b *binder) addedUp(e *criteria.Aggregate) (Expr, bool) {
	x, factor, term, ok := ofColumn(e)
	if !ok {
		return nil, false
	}
	where, column := b.chosen(e), b.translate(x)
	sum, present := Expr(Aggregate{Name: "sum", X: column, Where: where}), Aggregate{Name: "present", X: column, Where: where}
	switch {
	case e.Name == "average":
		sum = b.scaled(Arithmetic{'/', sum, present}, factor, term)
		if e.Records != nil {
			sum = b.ofRecords(e.Records, sum)
		}
		return sum, true
	case term.Sign() != 0:
		sum = Arithmetic{'+', b.scaled(sum, factor, new(big.Rat)), Arithmetic{'*', present, b.translate(&criteria.Number{Value: ratio(term)})}}
	default:
		sum = b.scaled(sum, factor, term)
	}
	if e.Records != nil {
		sum = b.ofRecords(e.Records, sum)
	}
	if e.Records != nil || e.Where != nil { // of none it is 0
		sum = Func{Name: "coalesce", Args: []Expr{sum, Value{int64(0)}}}
	}
	return sum, true
}

// ofColumn reads what a sum or an average is made of as factor * column + term; false for the
// column itself and for anything else.
func ofColumn(e *criteria.Aggregate) (column criteria.Expr, factor, term *big.Rat, ok bool) {
	column, factor, term = criteria.Linear(e.X)
	_, bare := column.(*criteria.Column)
	return column, factor, term, bare && column != e.X
}

func numeral(n *big.Int) Expr { return Value{decimal.NewFromBigInt(n, 0)} }

// atPlace is a median or a percentile of what x is.
func (b *binder) atPlace(e *criteria.Aggregate, x Expr) Expr {
	column, factor, term, ok := ofColumn(e)
	if ok && criteria.TypeOf(e).IsNumber() {
		x = b.translate(column)
	} else {
		factor, term = big.NewRat(1, 1), new(big.Rat)
	}
	where := b.chosen(e)
	at := func(turned bool) Expr {
		made := atPlace(e, x, turned)
		made.Where = where
		if e.Records == nil {
			return made
		}
		return b.ofRecords(e.Records, made)
	}
	if e.Percent != nil || !criteria.TypeOf(e).IsNumber() {
		return b.scaled(at(factor.Sign() < 0), factor, term)
	}
	return b.scaled(Arithmetic{'/', Arithmetic{'+', at(false), at(true)}, Value{int64(2)}}, factor, term)
}

// scaled is factor * x + term.
func (b *binder) scaled(x Expr, factor, term *big.Rat) Expr {
	if num := factor.Num(); !num.IsInt64() || num.Int64() != 1 {
		x = Arithmetic{'*', x, numeral(num)}
	}
	if !factor.IsInt() {
		x = Arithmetic{'/', x, numeral(factor.Denom())}
	}
	if term.Sign() != 0 {
		x = Arithmetic{'+', x, b.translate(&criteria.Number{Value: ratio(term)})}
	}
	return x
}

// chosen is which of a group's records an aggregate is made of; nil for all of them.
func (b *binder) chosen(e *criteria.Aggregate) Expr {
	if e.Where == nil {
		return nil
	}
	simple := criteria.Simplify(e.Where, b.calendar)
	if always, ok := simple.(*criteria.Bool); ok && always.Value {
		return nil
	}
	return b.condition(simple, false)
}

// inside tells whether a stretch of time has both its ends well within the years
// that are accepted: a bound at their very beginning or end is none.
func inside(s period.Span) bool {
	return !s.OpenStart() && !s.OpenEnd() && s.From.Date().Year() > 1 && s.Until.Date().Year() < civil.MaxYear
}

// sureWithin tells whether what lies in a stretch of time that is closed is
// sure to fit: so it is with dates of the engine's own, but for those of no day.
func (b *binder) sureWithin(c *criteria.Column) bool {
	return c.Ref.Column.Encoding.IsNative() && !b.compiled.Traits.ZeroDates || c.Ref.Column.Encoding.IsUnix() && c.Ref.Column.Stored == catalog.Integer && !b.compiled.Traits.Untyped
}

// trusts tells whether all values of a column with dates are sure to fit.
func (b *binder) trusts(ref criteria.Ref) bool { return b.sure != nil && b.sure(ref.Column) }

// fitting is met where a condition is and a date fits.
func (b *binder) fitting(x Expr, ref criteria.Ref) Expr {
	if b.trusts(ref) {
		return x
	}
	return all(x, Fits{ref})
}

// guard is met where a date of a comparison fits, or is blank where that does
// not leave the comparison open by itself.
func guard(e criteria.Expr, ref criteria.Ref) Expr {
	if _, bare := boundsOf(e); bare || !ref.Nullable {
		return Fits{ref}
	}
	return Logic{true, []Expr{IsBlank{Column{ref}}, Fits{ref}}}
}

// datedColumns are the columns with dates in an expression, each once, but for
// those of aggregates, which take no notice of what does not fit.
func datedColumns(e criteria.Expr) (out []*criteria.Column) {
	for _, c := range criteria.Outside(e) {
		if c.Ref.Column.Encoding != "" {
			out = append(out, c)
		}
	}
	return out
}

// implies tells whether a comparison with a date is met only where another one
// is.
func implies(e, where criteria.Expr) bool {
	if any, ok := e.(*criteria.Logic); ok && any.Or {
		return !slices.ContainsFunc(any.Terms, func(t criteria.Expr) bool { return !implies(t, where) })
	}
	if any, ok := where.(*criteria.Logic); ok && any.Or {
		return slices.ContainsFunc(any.Terms, func(t criteria.Expr) bool { return implies(e, t) })
	}
	x, ok1 := boundsOf(e)
	y, ok2 := boundsOf(where)
	return ok1 && ok2 && x.Span.From >= y.Span.From && x.Span.Until <= y.Span.Until
}

// all is the terms joined by "and", those of a term that is such itself among
// them.
func all(terms ...Expr) Expr {
	if len(terms) == 1 {
		return terms[0]
	}
	isAll := func(t Expr) bool { l, ok := t.(Logic); return ok && !l.Or }
	if !slices.ContainsFunc(terms, isAll) {
		return Logic{Terms: terms}
	}
	out := Logic{}
	for _, t := range terms {
		if isAll(t) {
			out.Terms = append(out.Terms, t.(Logic).Terms...)
		} else {
			out.Terms = append(out.Terms, t)
		}
	}
	return out
}

// boundsOfAll is boundsOf for a condition that stands beside the others of a statement: what
// they leave of a column may be all inside the stretch of time that a condition is only good
// in, else it is cut to that.
func (b *binder) boundsOfAll(e criteria.Expr) (Bounds, bool) {
	guarded, ok := e.(*criteria.Guarded)
	if !ok {
		return boundsOf(e)
	}
	bounds, ok1 := boundsOf(guarded.X)
	where, ok2 := boundsOf(guarded.Where)
	if !ok1 || !ok2 || !bounds.Column.Same(where.Column) {
		return Bounds{}, false
	}
	if left, ok := b.window[windowName(bounds.Column.Ref)]; ok && left.From >= where.Span.From && left.Until <= where.Span.Until {
		return bounds, true
	}
	bounds.Span.From, bounds.Span.Until = max(bounds.Span.From, where.Span.From), min(bounds.Span.Until, where.Span.Until)
	return bounds, bounds.Span.From < bounds.Span.Until
}

// top is a condition that every record has to meet. Where it does nothing but
// compare a column with a stretch of time, the column is fetched, and what does
// not fit is left out as the records pass.
func (b *binder) top(s *Statement, e criteria.Expr) Expr {
	conditions := criteria.Conditions(e)
	terms := make([]Expr, 0, len(conditions))
	for _, t := range conditions {
		bounds, ok := b.boundsOfAll(t)
		if !ok {
			terms = append(terms, b.condition(t, false))
			continue
		}
		terms = append(terms, b.bounds(bounds, t, false))
		if at := b.fetch(s, bounds.Column.Ref); !slices.Contains(s.Fit, at) {
			s.Fit = append(s.Fit, at)
		}
	}
	return all(terms...)
}

// translate turns a value into an expression over what is stored.
func (b *binder) translate(e criteria.Expr) Expr {
	if b.full(e) {
		return Value{nil}
	}
	switch e := e.(type) {
	case *criteria.Column:
		return Column{e.Ref}
	case *criteria.Number:
		return Value{e.Value}
	case *criteria.Text:
		return Value{e.Value}
	case *criteria.Bool:
		return Value{e.Value}
	case *criteria.Blank:
		return Value{nil}
	case *criteria.Negative:
		return Arithmetic{'-', Value{int64(0)}, b.translate(e.X)}
	case *criteria.Arithmetic:
		if !criteria.Dated(e.Left) {
			return Arithmetic{e.Op, b.translate(e.Left), b.translate(e.Right)}
		}
		if criteria.TypeOf(e).IsDate() {
			return b.moment(e, criteria.TypeOf(e) == catalog.DateTime)
		}
		return DaysBetween{b.moment(e.Right, false), b.moment(e.Left, false)}
	case *criteria.UnitOf:
		if criteria.Units[e.Unit] == 0 {
			return OwnUnit{b.moment(e.X, false), b.stretches(e)}
		}
		return DatePart{b.moment(e.X, false), TextOf, criteria.Units[e.Unit], b.calendar.WeekStart}
	case *criteria.Call:
		return b.call(e)
	case *criteria.Aggregate:
		if e.X == nil {
			return b.aggregated(e, nil)
		}
		return b.aggregated(e, b.ordered(e.X))
	case *criteria.InOrder:
		return b.inOrder(e)
	case *criteria.Span:
		return spanValue(e.Span, true)
	}
	return b.truth(criteria.Simplify(e, b.calendar))
}

// truth is a condition as a value: true, false or, of blanks and of dates that
// do not fit, neither. Its size is that of the condition: what is not known
// stays so in each comparison, so that none has to be written twice.
func (b *binder) truth(e criteria.Expr) Expr {
	if b.full(e) {
		return Value{nil}
	}
	switch e := e.(type) {
	case *criteria.Logic:
		terms := make([]Expr, len(e.Terms))
		for i, t := range e.Terms {
			terms[i] = b.truth(t)
		}
		return Logic{e.Or, terms}
	case *criteria.Not:
		return Not{b.truth(e.X)}
	case *criteria.Bool:
		return Value{e.Value}
	case *criteria.Guarded:
		return If{b.condition(e.Where, false), b.truth(e.X), Value{nil}}
	}
	x, _ := b.leaf(e, false)
	if x == nil {
		return Value{nil}
	}
	known := Logic{}
	for _, c := range datedColumns(e) {
		_, bare := boundsOf(e)
		switch {
		case !b.trusts(c.Ref):
			known.Terms = append(known.Terms, guard(e, c.Ref))
		case bare && c.Ref.Nullable: // bounds that all or none meet are met by blanks as well
			known.Terms = append(known.Terms, Not{IsBlank{Column{c.Ref}}})
		}
	}
	if known.Terms == nil {
		return x
	}
	return If{known, x, Value{nil}}
}

// untold says that there is no rule for a part of the criteria, which the check
// of types should have kept out.
func (b *binder) untold(e criteria.Expr) {
	b.problems = append(b.problems, diag.Problem{
		Code: "untranslatable", Field: b.field(e), Message: "This part of the criteria cannot be written as SQL: " + criteria.Print(e) + ".",
		Hint: "Write the condition another way, and tell us of this one.",
	})
}

// ordered is a value that is sorted, grouped or compared with others of its
// kind: a date as it is stored where that has the order of time.
func (b *binder) ordered(e criteria.Expr) Expr {
	if c, ok := e.(*criteria.Column); ok && !c.Ref.Column.Orders() {
		return b.stored(c, c.Ref.Column.Type == catalog.DateTime, civil.UTC)
	}
	return b.translate(e)
}

// orderedColumn is how a date that ordered gives is read.
func orderedColumn(c *catalog.Column) *catalog.Column {
	if c.Orders() {
		return c
	}
	made := &catalog.Column{Name: c.Name, Type: c.Type, Stored: catalog.Text, Encoding: catalog.EncISODate, Shape: "ordered"}
	if c.Type == catalog.DateTime {
		made.Encoding = catalog.EncISOLocal
	}
	if c.Encoding.IsInstant() {
		made.Encoding = catalog.EncISOInstant
	}
	return made
}

func (b *binder) folded(fold bool, e criteria.Expr) Expr {
	x := b.translate(e)
	if fold {
		return Func{Name: "lower", Args: []Expr{x}}
	}
	return x
}

func (b *binder) compare(e *criteria.Compare) Expr {
	if span, ok := e.Right.(*criteria.Span); ok {
		return b.bound(e.Left, e.Op, span.Span.From, e)
	}
	if _, blank := e.Left.(*criteria.Blank); blank {
		return Value{nil}
	}
	left, right := criteria.TypeOf(e.Left), criteria.TypeOf(e.Right)
	if !left.IsDate() || !right.IsDate() || b.sameStored(e.Left, e.Right) {
		return Compare{e.Op, b.folded(e.Fold, e.Left), b.folded(e.Fold, e.Right)}
	}
	if criteria.IsInstant(e.Left) && criteria.IsInstant(e.Right) { // in UTC, where no hour comes twice
		return Compare{e.Op, b.stored(e.Left.(*criteria.Column), true, civil.UTC), b.stored(e.Right.(*criteria.Column), true, civil.UTC)}
	}
	fine := left == catalog.DateTime && right == catalog.DateTime
	return Compare{e.Op, b.moment(e.Left, fine), b.moment(e.Right, fine)}
}

// sameStored tells whether two dates are columns that are stored alike, or the least or
// greatest of one, so that they can be compared as they are.
func (b *binder) sameStored(left, right criteria.Expr) bool {
	x, ok1 := b.storedAs(left)
	y, ok2 := b.storedAs(right)
	if !ok1 || !ok2 {
		return false
	}
	alike := b.trusts(x.Ref) && b.trusts(y.Ref) && x.Ref.Column.Shape != "" && x.Ref.Column.Shape == y.Ref.Column.Shape && x.Ref.Column.Encoding == y.Ref.Column.Encoding
	return alike && x.Ref.Column.Compares() && y.Ref.Column.Orders() || x.Ref.Column.ComparesWith(y.Ref.Column)
}

// storedAs is the column whose stored values a date is one of.
func (b *binder) storedAs(e criteria.Expr) (*criteria.Column, bool) {
	if of, ok := e.(*criteria.Aggregate); ok && of.Records != nil && (of.Name == "least" || of.Name == "greatest") {
		c, ok := of.X.(*criteria.Column)
		return c, ok && c.Ref.Column.Orders() && (b.trusts(c.Ref) || c.Ref.Column.Encoding.IsNative() && !b.compiled.Traits.ZeroDates)
	}
	c, ok := e.(*criteria.Column)
	return c, ok
}

func (b *binder) in(e *criteria.In) Expr {
	in := In{X: b.folded(e.Fold, e.X)}
	for _, item := range e.Items {
		v := b.translate(item)
		constant, ok := v.(Value)
		if !ok || e.Fold {
			return b.inExpressions(in.X, e)
		}
		in.Values = append(in.Values, constant.V)
	}
	return in
}

// match keeps a bare column for the beginning of a text that is known.
func (b *binder) match(e *criteria.Match) Expr {
	prefix, known := e.Y.(*criteria.Text)
	if e.Op == "matches" && known {
		pattern := stars.ReplaceAllString(prefix.Value, "*")
		if strings.Count(pattern, "*") > mostStars {
			b.problems = append(b.problems, diag.Problem{Code: "bad_text", Field: b.field(e), Message: fmt.Sprintf("A pattern has at most %d stars.", mostStars), Hint: "Write fewer of them, or several conditions."})
		}
		if e.Fold {
			pattern = strings.ToLower(pattern)
		}
		return Match{e.Op, b.folded(e.Fold, e.X), Value{pattern}}
	}
	if e.Op != "starts with" || e.Fold || !known {
		return Match{e.Op, b.folded(e.Fold, e.X), b.folded(e.Fold, e.Y)}
	}
	x := b.translate(e.X)
	low := Compare{">=", x, Value{prefix.Value}}
	if after, ok := criteria.TextAfter(prefix.Value); ok {
		return Logic{Terms: []Expr{low, Compare{"<", x, Value{after}}}}
	}
	return low
}

// mostStars is how many a pattern has: databases try each against every place of a text,
// inside the one before.
const mostStars = 6

var stars = regexp.MustCompile(`\*+`)

// inExpressions is "x in (a, b)" where an item is not a plain value.
func (b *binder) inExpressions(x Expr, e *criteria.In) Expr {
	or := Logic{Or: true}
	for _, item := range e.Items {
		or.Terms = append(or.Terms, Compare{"=", x, b.folded(e.Fold, item)})
	}
	return or
}

// call translates a function.
func (b *binder) call(e *criteria.Call) Expr {
	part := func(unit civil.Unit, form Form) Expr {
		return DatePart{b.moment(e.Args[len(e.Args)-1], false), form, unit, b.calendar.WeekStart}
	}
	switch e.Name {
	case "working_days":
		return WorkingDays{b.moment(e.Args[0], false), b.moment(e.Args[1], false), b.almanac(e)}
	case "is_working_day", "is_holiday":
		a := b.almanac(e)
		return If{b.knownDay(e.Args[0], a), b.daysCondition(e, false), Value{nil}}
	case "year", "quarter", "month", "week", "day":
		return part(criteria.Units[e.Name], NumberOf)
	case "weekday":
		return part(civil.Week, DayOf)
	case "date_of", "start_of":
		return b.moment(e, false)
	}
	if t := criteria.TypeOf(e); t.IsDate() {
		return b.moment(e, t == catalog.DateTime)
	}
	if e.Name == "if" {
		return If{b.condition(criteria.Simplify(e.Args[0], b.calendar), false), b.translate(e.Args[1]), b.translate(e.Args[2])}
	}
	return b.function(e)
}

// function translates a function of values, or of the time of day.
func (b *binder) function(e *criteria.Call) Expr {
	ofTime := func(from, length int64) Func {
		return Func{Name: "part", Args: []Expr{b.moment(e.Args[0], true)}, Places: []int64{from, length}}
	}
	switch e.Name {
	case "time_of":
		return ofTime(12, 5)
	case "hour":
		return Func{Name: "digits", Args: []Expr{ofTime(12, 2)}}
	case "minute":
		return Func{Name: "digits", Args: []Expr{ofTime(15, 2)}}
	case "hours_between", "minutes_between":
		from, to := b.elapsed(e.Args[0], e.Args[1])
		return Arithmetic{'/', SecondsBetween{from, to}, Value{criteria.SecondsIn(e.Name)}}
	}
	made := Func{Name: e.Name}
	if e.Name == "number_of" { // its mark is one of two
		made.Args = []Expr{b.translate(e.Args[0])}
		if mark, ok := e.Args[len(e.Args)-1].(*criteria.Text); ok && len(e.Args) > 1 && mark.Value == "," {
			made.Name = "number_with_comma"
		}
		return made
	}
	for i, arg := range e.Args {
		if n, ok := arg.(*criteria.Number); ok && i > 0 && e.Name != "coalesce" && e.Name != "round" {
			made.Places = append(made.Places, n.Value.IntPart())
			continue
		}
		made.Args = append(made.Args, b.translate(arg))
	}
	return made
}

// elapsed are two date-times between which time is measured: instants in UTC, where no hour
// comes twice, and others by the clock.
func (b *binder) elapsed(x, y criteria.Expr) (from, to Expr) {
	if criteria.IsInstant(x) && criteria.IsInstant(y) {
		return b.stored(x.(*criteria.Column), true, civil.UTC), b.stored(y.(*criteria.Column), true, civil.UTC)
	}
	return b.moment(x, true), b.moment(y, true)
}

// field is the question that a part of the criteria came from.
func (b *binder) field(at criteria.Expr) string {
	field := "criteria"
	criteria.Walk(b.compiled.Criteria, func(e criteria.Expr) {
		if names := criteria.Parameters(e); e.At() == at.At() && len(names) > 0 && criteria.IsComparison(e) {
			field = names[0]
		}
	})
	return field
}
