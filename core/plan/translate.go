package plan

import (
	"errors"
	"fmt"
	"slices"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/diag"
)

// translate turns a simplified condition, or a value, into an expression over
// what is stored: the bounds of dates in each column's own encoding.
func (b *binder) translate(e criteria.Expr) Expr {
	switch e := e.(type) {
	case *criteria.Column:
		return Column{e.Ref}
	case *criteria.Number:
		return Value{e.Value}
	case *criteria.Text:
		return Value{e.Value}
	case *criteria.Bool:
		return Const{e.Value}
	case *criteria.Blank:
		return Value{nil}
	case *criteria.Logic:
		terms := make([]Expr, len(e.Terms))
		for i, t := range e.Terms {
			terms[i] = b.translate(t)
		}
		return Logic{e.Or, terms}
	case *criteria.Not:
		return Not{b.translate(e.X)}
	case *criteria.IsBlank:
		return IsBlank{b.translate(e.X)}
	case *criteria.Compare:
		return b.compare(e)
	case *criteria.Within:
		span := e.Period.(*criteria.Span).Span
		low := criteria.Compare{Pos: e.Pos, Op: ">=", Left: e.X, Right: e.Period}
		high := criteria.Compare{Pos: e.Pos, Op: "<", Left: e.X, Right: e.Period}
		return Logic{Terms: []Expr{b.bound(&low, span.From), b.bound(&high, span.Until)}}
	case *criteria.In:
		return b.in(e)
	case *criteria.Match:
		return b.match(e)
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
		return Aggregate{e.Name, b.translate(e.X)}
	}
	// What is left are conditions inside a value, as those of if.
	return b.translate(criteria.Simplify(e, b.ctx))
}

func (b *binder) folded(fold bool, e criteria.Expr) Expr {
	if constant, ok := e.(*criteria.Bool); ok {
		return Value{constant.Value} // a value here, not a condition
	}
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
		return If{b.translate(criteria.Simplify(e.Args[0], b.ctx)), b.translate(e.Args[1]), b.translate(e.Args[2])}
	}
	args := make([]Expr, len(e.Args))
	for i, arg := range e.Args {
		args[i] = b.translate(arg)
	}
	return Func{e.Name, args}
}

// moment is a date as text that compares like time, whatever it is stored as:
// a day, or with fine a date-time to the second.
func (b *binder) moment(e criteria.Expr, fine bool) Expr {
	switch e := e.(type) {
	case *criteria.Column:
		return b.stored(e, fine, b.ctx.Zone)
	case *criteria.Span:
		return Value{momentText(e.Span.From, fine)}
	case *criteria.Blank:
		return Value{nil}
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
			return If{b.translate(criteria.Simplify(e.Args[0], b.ctx)), b.moment(e.Args[1], fine), b.moment(e.Args[2], fine)}
		}
		args := make([]Expr, len(e.Args))
		for i, arg := range e.Args {
			args[i] = b.moment(arg, fine)
		}
		return Func{e.Name, args}
	}
	panic(fmt.Sprintf("plan: not a date: %T", e))
}

// stored is a column as such text, by the clocks of a zone.
func (b *binder) stored(c *criteria.Column, fine bool, zone *time.Location) Expr {
	m := Moment{Ref: c.Ref, Fine: fine}
	if c.Ref.Column.Encoding.IsInstant() {
		first, last := civil.DateOf(firstCovered, 1, 1).Midnight(), civil.DateOf(lastCovered, 1, 1).Midnight()
		m.Zone = zone.String()
		b.shifts(&m, civil.Changes(zone, civil.InstantOf(first, zone), civil.InstantOf(last, zone)))
	}
	return m
}

func momentText(t civil.DateTime, fine bool) string {
	if fine {
		return t.String()
	}
	return t.Date().String()
}

// bound compares a date with a civil time: a bare column in its own encoding.
func (b *binder) bound(e *criteria.Compare, t civil.DateTime) Expr {
	c, bare := e.Left.(*criteria.Column)
	if !bare {
		fine := criteria.TypeOf(e.Left) == catalog.DateTime
		if !fine && !t.IsMidnight() {
			t = (t.Date() + 1).Midnight() // the first day that starts no earlier
		}
		return Compare{e.Op, b.moment(e.Left, fine), Value{momentText(t, fine)}}
	}
	v, err := c.Ref.Column.Bound(t, b.ctx.Zone)
	if err != nil {
		b.unbound(c, t, e, err)
		return Const{false}
	}
	return Compare{e.Op, Column{c.Ref}, Value{v}}
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
