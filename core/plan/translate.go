package plan

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

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
	case *criteria.Known:
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
				return !negated && !bounds.Span.OpenStart() && !bounds.Span.OpenEnd() && b.sureWithin(bounds.Column)
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
		low := criteria.Compare{Pos: e.Pos, Op: ">=", Left: e.X, Right: e.Period}
		high := criteria.Compare{Pos: e.Pos, Op: "<", Left: e.X, Right: e.Period}
		x = Logic{Terms: []Expr{b.bound(&low, span.From), b.bound(&high, span.Until)}}
	case *criteria.In:
		x = b.in(e)
	case *criteria.Match:
		x = b.match(e)
	case *criteria.Column: // a yes-no value, as the next
		x = Column{e.Ref}
	case *criteria.Call, *criteria.Blank:
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

// sureWithin tells whether what lies in a stretch of time that is closed is
// sure to fit: so it is with dates of the engine's own, but for those of no day.
func (b *binder) sureWithin(c *criteria.Column) bool {
	return c.Ref.Column.Encoding.IsNative() && !b.compiled.Traits.ZeroDates || c.Ref.Column.Encoding.IsUnix() && c.Ref.Column.Stored == catalog.Integer && !b.compiled.Traits.Untyped
}

// trusts tells whether all values of a column with dates are sure to fit, and to
// be written as the catalogue has it.
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
	x, ok1 := boundsOf(e)
	y, ok2 := boundsOf(where)
	return ok1 && ok2 && x.Span.From >= y.Span.From && x.Span.Until <= y.Span.Until
}

// all is the terms joined by "and", those of a term that is such itself among
// them.
func all(terms ...Expr) Expr {
	out := Logic{}
	for _, t := range terms {
		if l, ok := t.(Logic); ok && !l.Or {
			out.Terms = append(out.Terms, l.Terms...)
		} else {
			out.Terms = append(out.Terms, t)
		}
	}
	if len(out.Terms) == 1 {
		return out.Terms[0]
	}
	return out
}

// top is a condition that every record has to meet. Where it does nothing but
// compare a column with a stretch of time, the column is fetched, and what does
// not fit is left out as the records pass.
func (b *binder) top(s *Statement, e criteria.Expr) Expr {
	terms := []Expr{}
	for _, t := range criteria.Conditions(e) {
		x := t
		if known, ok := t.(*criteria.Known); ok && implies(known.X, known.Where) {
			x = known.X
		}
		bounds, ok := boundsOf(x)
		if !ok {
			terms = append(terms, b.condition(t, false))
			continue
		}
		terms = append(terms, b.bounds(bounds, x, false))
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
		return DatePart{b.moment(e.X, false), TextOf, criteria.Units[e.Unit], b.ctx.WeekStart}
	case *criteria.Call:
		return b.call(e)
	case *criteria.Aggregate:
		if e.X == nil {
			return Aggregate{Name: e.Name}
		}
		return Aggregate{e.Name, b.ordered(e.X)}
	case *criteria.Span:
		return spanValue(e.Span, true)
	}
	return b.truth(criteria.Simplify(e, b.ctx))
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
	case *criteria.Known:
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
func orderedColumn(c catalog.Column) catalog.Column {
	if c.Orders() {
		return c
	}
	made := catalog.Column{Name: c.Name, Type: c.Type, Stored: catalog.Text, Encoding: catalog.EncISODate, Layout: "ordered"}
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
		return Func{"lower", []Expr{x}}
	}
	return x
}

func (b *binder) compare(e *criteria.Compare) Expr {
	if span, ok := e.Right.(*criteria.Span); ok {
		return b.bound(e, span.Span.From)
	}
	if _, blank := e.Left.(*criteria.Blank); blank {
		return Value{nil}
	}
	left, right := criteria.TypeOf(e.Left), criteria.TypeOf(e.Right)
	if !left.IsDate() || !right.IsDate() || sameStored(e.Left, e.Right) {
		return Compare{e.Op, b.folded(e.Fold, e.Left), b.folded(e.Fold, e.Right)}
	}
	if isInstant(e.Left) && isInstant(e.Right) { // in UTC, where no hour comes twice
		return Compare{e.Op, b.stored(e.Left.(*criteria.Column), true, civil.UTC), b.stored(e.Right.(*criteria.Column), true, civil.UTC)}
	}
	fine := left == catalog.DateTime && right == catalog.DateTime
	return Compare{e.Op, b.moment(e.Left, fine), b.moment(e.Right, fine)}
}

func isInstant(e criteria.Expr) bool {
	c, ok := e.(*criteria.Column)
	return ok && c.Ref.Column.Encoding.IsInstant()
}

// sameStored tells whether two dates are columns that are stored alike, so
// that they can be compared as they are.
func sameStored(left, right criteria.Expr) bool {
	x, ok1 := left.(*criteria.Column)
	y, ok2 := right.(*criteria.Column)
	if !ok1 || !ok2 {
		return false
	}
	return x.Ref.Column.ComparesWith(y.Ref.Column)
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
		return DatePart{b.moment(e.Args[len(e.Args)-1], false), form, unit, b.ctx.WeekStart}
	}
	switch e.Name {
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
		return If{b.condition(criteria.Simplify(e.Args[0], b.ctx), false), b.translate(e.Args[1]), b.translate(e.Args[2])}
	}
	args := make([]Expr, len(e.Args))
	for i, arg := range e.Args {
		args[i] = b.translate(arg)
	}
	return Func{e.Name, args}
}

// moment is a date as text that compares like time, whatever it is stored as:
// a day, or with fine a date-time with every digit of its seconds.
func (b *binder) moment(e criteria.Expr, fine bool) Expr {
	if b.full(e) {
		return Value{nil}
	}
	switch e := e.(type) {
	case *criteria.Column:
		return b.stored(e, fine, b.ctx.Zone)
	case *criteria.Span:
		return spanValue(e.Span, fine)
	case *criteria.Blank:
		return Value{nil}
	case *criteria.Aggregate:
		return Aggregate{e.Name, b.moment(e.X, fine)}
	case *criteria.Arithmetic:
		length, n, _ := e.Moves()
		return Moved{b.moment(e.Left, fine), fine, n * length.Months(), n * length.Days()}
	case *criteria.Call:
		switch e.Name {
		case "date_of":
			return b.moment(e.Args[0], false)
		case "start_of":
			return DatePart{b.moment(e.Args[1], false), StartOf, criteria.Units[e.Args[0].(*criteria.Text).Value], b.ctx.WeekStart}
		case "if":
			return If{b.condition(criteria.Simplify(e.Args[0], b.ctx), false), b.moment(e.Args[1], fine), b.moment(e.Args[2], fine)}
		}
		args := make([]Expr, len(e.Args))
		for i, arg := range e.Args {
			args[i] = b.moment(arg, fine)
		}
		return Func{e.Name, args}
	}
	b.untold(e)
	return Value{nil}
}

// spanValue is a stretch of time as one value, its start; an end that is open is
// none.
func spanValue(s period.Span, fine bool) Expr {
	if s.From == civil.Start || s.From == civil.End {
		return Value{nil}
	}
	return Value{momentText(s.From, fine)}
}

// stored is a column as such text, by the clocks of a zone.
func (b *binder) stored(c *criteria.Column, fine bool, zone *time.Location) Expr {
	m := Moment{Ref: c.Ref, Fine: fine, Sure: b.trusts(c.Ref)}
	if !c.Ref.Column.Encoding.IsInstant() {
		return m
	}
	m.Zone = zone.String()
	known := clockOf(zone)
	if span, ok := b.window[windowName(c.Ref)]; ok {
		known = known.within(span, b.ctx.Zone)
	}
	m.Yearly = known.yearly
	for i := len(known.changes) - 1; i >= 0; i-- {
		shift := Shift{Offset: known.changes[i].Offset}
		if i > 0 {
			at := civil.DateTime(known.changes[i].At)
			v, err := c.Ref.Column.Bound(at, civil.UTC)
			if m.Sure && c.Ref.Column.Encoding.IsTimedText() {
				v = catalog.IsoBound(at, separatorOf(c.Ref.Column.Layout))
			}
			if err != nil {
				b.problems = append(b.problems, diag.Problem{Code: "no_encoding", Field: "criteria", Message: err.Error()})
				return m
			}
			shift.From = v
		}
		m.Shifts = append(m.Shifts, shift)
	}
	return m
}

// clock is how the clocks of a zone have changed, and how they change every
// year from some year on.
type clock struct {
	changes []civil.Change
	yearly  *civil.Yearly
}

// clocks are those that were worked out, by the names of their zones: it takes a
// while, and a zone's clocks are the same in every statement.
var clocks sync.Map

func clockOf(zone *time.Location) clock {
	if made, ok := clocks.Load(zone.String()); ok {
		return made.(clock)
	}
	last := civil.DateOf(civil.MaxYear, 1, 1)
	var made clock
	if yearly, ok := civil.YearlyOf(zone); ok {
		made.yearly = &yearly
		last = civil.DateOf(yearly.From, 1, 1)
	}
	made.changes = civil.Changes(zone, civil.Instant(civil.DateOf(civil.MinYear, 1, 2).Midnight()), civil.Instant(last.Midnight()))
	clocks.Store(zone.String(), made)
	return made
}

// mostYears is for how many years changes by a rule are listed.
const mostYears = 3

// within is what matters of a clock in a stretch of time, that of another zone
// perhaps: a day on either side is farther than any zone is from another.
func (c clock) within(span period.Span, zone *time.Location) clock {
	from, until := civil.Instant(civil.Start), civil.Instant(civil.End)
	if !span.OpenStart() {
		from = civil.InstantOf(span.From, zone) - 86400
	}
	if !span.OpenEnd() {
		until = civil.InstantOf(span.Until, zone) + 86400
	}
	first, last := 0, 0
	for i, change := range c.changes {
		if change.At <= from {
			first = i
		}
		if change.At < until {
			last = i
		}
	}
	out := clock{changes: c.changes[first : max(first, last)+1]}
	y := c.yearly
	if y == nil || until < civil.Instant(civil.DateOf(y.From, 1, 1).Midnight()) {
		return out
	}
	since, through := max(y.From, civil.DateTime(from).Date().Year()-1), civil.DateTime(until).Date().Year()
	if span.OpenEnd() || through-since > mostYears {
		out.yearly = y
		return out
	}
	out.changes = slices.Clone(out.changes)
	for year := since; year <= through; year++ {
		out.changes = append(out.changes, y.Changes[0].In(year), y.Changes[1].In(year))
	}
	return clock{changes: out.changes}.within(span, zone)
}

func momentText(t civil.DateTime, fine bool) string {
	if fine {
		return t.String()
	}
	return t.Date().String()
}

// bounds compares a column with a stretch of time.
func (b *binder) bounds(bounds Bounds, at criteria.Expr, negated bool) Expr {
	var terms []Expr
	add := func(op string, t civil.DateTime) {
		if negated {
			op = map[string]string{">=": "<", "<": ">="}[op]
		}
		terms = append(terms, b.bound(&criteria.Compare{Pos: at.At(), Op: op, Left: bounds.Column}, t))
	}
	if !bounds.Span.OpenStart() {
		add(">=", bounds.Span.From)
	}
	if !bounds.Span.OpenEnd() {
		add("<", bounds.Span.Until)
	}
	if len(terms) == 1 {
		return terms[0]
	}
	if negated {
		return Logic{true, terms}
	}
	return all(terms...)
}

// bound compares a date with a civil time, by >= or <: a bare column in its own
// encoding.
func (b *binder) bound(e *criteria.Compare, t civil.DateTime) Expr {
	c, bare := e.Left.(*criteria.Column)
	if !bare {
		fine := criteria.TypeOf(e.Left) == catalog.DateTime
		if !fine && !t.IsMidnight() {
			t = (t.Date() + 1).Midnight() // the first day that starts no earlier
		}
		x := b.moment(e.Left, fine)
		switch {
		case t.Date() > civil.DateOf(civil.MaxYear, 12, 31):
			return anyOf(x, e.Op == "<")
		case t.Date() < civil.DateOf(civil.MinYear, 1, 1):
			return anyOf(x, e.Op == ">=")
		}
		return Compare{e.Op, x, Value{momentText(t, fine)}}
	}
	column := c.Ref.Column
	v, err := column.Bound(t, b.ctx.Zone)
	switch {
	case errors.Is(err, catalog.ErrLater):
		return always(Column{c.Ref}, e.Op == "<")
	case errors.Is(err, catalog.ErrEarlier):
		return always(Column{c.Ref}, e.Op == ">=")
	case err != nil:
		b.unbound(c, t, e, err)
		return Const{false}
	}
	if column.Encoding.IsTimedText() {
		stored, _ := column.StoredTime(t, b.ctx.Zone)
		switch {
		case b.trusts(c.Ref):
			v = catalog.IsoBound(stored, separatorOf(column.Layout))
		case !stored.IsMidnight():
			return b.timed(c.Ref, e.Op, stored)
		}
	}
	if column.Stored == catalog.Text && column.Encoding.IsCount() {
		// Texts of numbers do not sort as they do; none of this is common.
		zone := b.ctx.Zone
		if !column.Encoding.IsInstant() {
			zone = civil.UTC
		}
		return Compare{e.Op, b.stored(c, true, zone), Value{momentText(t, true)}}
	}
	return Compare{e.Op, Column{c.Ref}, Value{v}}
}

// separatorOf stands between day and time in texts that are written in a way.
func separatorOf(layout string) byte {
	if len(layout) > len("0000-00-00") {
		return layout[len("0000-00-00")]
	}
	return 'T'
}

// always is met by everything but blanks, or by nothing.
func always(x Expr, yes bool) Expr {
	if yes {
		return Not{IsBlank{x}}
	}
	return Const{false}
}

// anyOf is the same for a value that may be negated with it: open for blanks.
func anyOf(x Expr, yes bool) Expr {
	if yes {
		return Compare{"=", x, x}
	}
	return Compare{"<>", x, x}
}

// timed compares a text with a time of day. Values with T and with a blank
// between day and time do not sort among each other within a day, nor do those
// with and without seconds within a minute: the bare column is compared with a
// bound that leaves none of them out, and on the day of the bound the text is
// looked at as well.
func (b *binder) timed(ref criteria.Ref, op string, t civil.DateTime) Expr {
	day, next := t.Date().String(), catalog.AfterEveryText
	if t.Date() < civil.DateOf(civil.MaxYear, 12, 31) {
		next = (t.Date() + 1).String()
	}
	blanks := ref.Column.Separator() == ' '
	indexed := b.indexed(ref) && !ref.Column.Collated
	column, exact := Column{ref}, Compare{op, Plain{ref}, Value{catalog.IsoBound(t, 'T')}}
	whole := t + civil.DateTime((60-t.Seconds()%60)%60)
	if op == ">=" {
		var low Expr = Value{day}
		switch {
		case ref.Column.Collated:
		case blanks:
			low = Value{catalog.IsoBound(t-civil.DateTime(t.Seconds()%60), ' ')}
		case indexed:
			low = Either{b.compiled.TableOf(ref.Alias), ref, day + " ", day + "!", day, catalog.IsoBound(t, 'T')}
		}
		return all(Compare{">=", column, low}, Logic{true, []Expr{Compare{">=", column, Value{next}}, exact}})
	}
	var high Expr = Value{next}
	switch tight := catalog.IsoBound(whole, ref.Column.Separator()); {
	case ref.Column.Collated || whole.IsMidnight():
	case !blanks:
		high = Value{tight}
	case indexed:
		high = Either{b.compiled.TableOf(ref.Alias), ref, day + "T", day + "U", next, tight}
	}
	return all(Compare{"<", column, high}, Logic{true, []Expr{Compare{"<", column, Value{day}}, exact}})
}

// indexed tells whether an index begins with the column.
func (b *binder) indexed(ref criteria.Ref) bool {
	for _, t := range b.compiled.Tables() {
		if t.Alias != ref.Alias {
			continue
		}
		for _, index := range t.Table.Indexes {
			if len(index.Columns) > 0 && strings.EqualFold(index.Columns[0], ref.Column.Name) {
				return true
			}
		}
		return len(t.Table.Key) > 0 && strings.EqualFold(t.Table.Key[0], ref.Column.Name)
	}
	return false
}

// unbound says why a column cannot be compared with a time.
func (b *binder) unbound(c *criteria.Column, t civil.DateTime, at criteria.Expr, err error) {
	p := diag.Problem{
		Code: "finer_than_column", Field: b.field(at),
		Message: fmt.Sprintf("%s holds %s, but %s falls inside one.", b.label(c), unitOf(c.Ref.Column), t),
		Hint:    "Give a period that starts and ends between " + unitOf(c.Ref.Column) + ".",
	}
	if !errors.Is(err, catalog.ErrFiner) {
		p.Code, p.Message, p.Hint = "no_encoding", err.Error(), "Set the column's encoding with pikegate source set-encoding."
	}
	if !slices.ContainsFunc(b.problems, func(q diag.Problem) bool { return q.Code == p.Code && q.Field == p.Field }) {
		b.problems = append(b.problems, p)
	}
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
