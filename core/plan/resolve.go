package plan

import (
	"fmt"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/period"
)

// resolve puts the answers of a run in the place of the questions. Open tells
// that an optional question a condition refers to was left blank, so that it
// is not there at all: an "and" and an "or" go on without it, and a "not" goes
// with it.
func (b *binder) resolve(e criteria.Expr) (made criteria.Expr, open bool) {
	if criteria.IsComparison(e) {
		return b.comparison(e)
	}
	switch e := e.(type) {
	case *criteria.Logic:
		terms := make([]criteria.Expr, 0, len(e.Terms))
		for _, t := range e.Terms {
			if term, open := b.resolve(t); !open {
				terms = append(terms, term)
			}
		}
		switch len(terms) {
		case 0:
			return nil, true
		case 1:
			return terms[0], false
		}
		return &criteria.Logic{Pos: e.Pos, Or: e.Or, Terms: terms}, false
	case *criteria.Not:
		return b.not(e)
	case *criteria.Meets:
		return b.resolve(e.X)
	case *criteria.IsBlank:
		return b.isBlank(e)
	case *criteria.Related:
		return b.related(e)
	}
	if p, ok := e.(*criteria.Parameter); ok && !b.given[p.Name].Given { // a yes-no question by itself
		return nil, true
	}
	return b.value(e), false
}

// related puts the answers into a condition on another table's records. It goes
// where how many there are to be was left blank, or all that is asked of them.
func (b *binder) related(e *criteria.Related) (criteria.Expr, bool) {
	made := *e
	if e.N != nil {
		if criteria.Asks(e.N, b.missing) {
			return nil, true
		}
		made.N = b.value(e.N)
	}
	records, open := b.recordsOf(e.Records)
	made.Records = records
	return &made, open
}

// recordsOf puts the answers into what is asked of another table's records; open
// tells that nothing is asked of them any more.
func (b *binder) recordsOf(r criteria.Records) (made criteria.Records, open bool) {
	if r.Where != nil {
		r.Where, open = b.resolve(r.Where)
	}
	return r, open
}

// missing tells whether a question was left blank.
func (b *binder) missing(name string) bool { return !b.given[name].Given }

// isBlank asks whether a question was left blank, or a value of the records is.
func (b *binder) isBlank(e *criteria.IsBlank) (criteria.Expr, bool) {
	if p, ok := e.X.(*criteria.Parameter); ok {
		if b.used != nil {
			b.used[p.Name] = true
		}
		return &criteria.Bool{Pos: e.Pos, Value: b.given[p.Name].Given == e.Not}, false
	}
	if criteria.Asks(e.X, b.missing) {
		return nil, true
	}
	x := b.value(e.X)
	if _, answer := x.(*criteria.Span); answer {
		return &criteria.Bool{Pos: e.Pos, Value: e.Not}, false
	}
	return &criteria.IsBlank{Pos: e.Pos, X: x, Not: e.Not}, false
}

// comparison resolves the smallest condition a question left blank takes away.
func (b *binder) comparison(e criteria.Expr) (criteria.Expr, bool) {
	e = b.asked(e)
	if not, ok := e.(*criteria.Not); ok {
		return b.not(not)
	}
	column := criteria.FirstColumn(e)
	if blank, ok := b.leftBlank(e); ok {
		if blank.WhenBlank == parameter.MatchBlank && column != nil {
			return &criteria.IsBlank{Pos: e.At(), X: column}, false
		}
		return nil, true
	}
	made := b.values(e)
	if b.includesBlanks(e) && column != nil {
		return orBlank(made, column), false
	}
	return made, false
}

// asked is what is left of a condition whose questions were left blank in part.
func (b *binder) asked(e criteria.Expr) criteria.Expr {
	switch e := e.(type) {
	case *criteria.Between:
		if one, ok := b.oneSided(e); ok {
			return one
		}
	case *criteria.In:
		return b.answered(e)
	}
	return e
}

// oneSided is what is left of "between :from :to" where one of the two was left
// blank: the comparison with the other.
func (b *binder) oneSided(e *criteria.Between) (criteria.Expr, bool) {
	low, high := criteria.Asks(e.Low, b.missing), criteria.Asks(e.High, b.missing)
	if low == high || criteria.Asks(e.X, b.missing) || b.matchesBlank(e) {
		return nil, false
	}
	var one criteria.Expr = &criteria.Compare{Pos: e.Pos, Op: ">=", Left: e.X, Right: e.Low}
	if low {
		one = &criteria.Compare{Pos: e.Pos, Op: "<=", Left: e.X, Right: e.High}
	}
	if e.Not {
		one = &criteria.Not{Pos: e.Pos, X: one}
	}
	return one, true
}

// matchesBlank tells whether a question of a comparison, left blank, asks for
// the records that are blank there.
func (b *binder) matchesBlank(e criteria.Expr) bool {
	return criteria.Asks(e, func(name string) bool {
		return !b.given[name].Given && b.question(name).WhenBlank == parameter.MatchBlank
	})
}

// answered leaves the questions out of a list that were left blank, if others
// were answered.
func (b *binder) answered(e *criteria.In) criteria.Expr {
	if b.matchesBlank(e) {
		return e
	}
	made := *e
	made.Items = nil
	for _, item := range e.Items {
		if !criteria.Asks(item, b.missing) {
			made.Items = append(made.Items, item)
		}
	}
	if len(made.Items) == 0 {
		return e
	}
	return &made
}

func orBlank(e criteria.Expr, column *criteria.Column) criteria.Expr {
	return &criteria.Logic{Pos: e.At(), Or: true, Terms: []criteria.Expr{e, &criteria.IsBlank{Pos: e.At(), X: column}}}
}

// not negates; blanks that are to match whatever the answer match still.
func (b *binder) not(e *criteria.Not) (criteria.Expr, bool) {
	x := b.asked(e.X)
	if not, ok := x.(*criteria.Not); ok && criteria.IsComparison(e.X) {
		return b.resolve(not.X)
	}
	column := criteria.FirstColumn(x)
	if _, blank := b.leftBlank(x); !blank && column != nil && b.includesBlanks(x) {
		return orBlank(&criteria.Not{Pos: e.Pos, X: b.values(x)}, column), false
	}
	inner, open := b.resolve(x)
	return &criteria.Not{Pos: e.Pos, X: inner}, open
}

// values puts answers into a comparison whose questions are all answered.
func (b *binder) values(e criteria.Expr) criteria.Expr {
	switch e := e.(type) {
	case *criteria.Compare:
		return &criteria.Compare{Pos: e.Pos, Op: e.Op, Left: b.value(e.Left), Right: b.value(e.Right), Fold: e.Fold}
	case *criteria.Between:
		return &criteria.Between{Pos: e.Pos, X: b.value(e.X), Low: b.value(e.Low), High: b.value(e.High), Not: e.Not}
	case *criteria.Within:
		return &criteria.Within{Pos: e.Pos, X: b.value(e.X), Period: b.value(e.Period), Not: e.Not}
	case *criteria.Match:
		return &criteria.Match{Pos: e.Pos, Op: e.Op, X: b.value(e.X), Y: b.value(e.Y), Not: e.Not, Fold: e.Fold}
	case *criteria.Spans:
		return &criteria.Spans{Pos: e.Pos, Op: e.Op, From: b.value(e.From), Until: b.value(e.Until), Period: b.value(e.Period), Not: e.Not}
	case *criteria.In:
		in := &criteria.In{Pos: e.Pos, X: b.value(e.X), Not: e.Not, Fold: e.Fold}
		for _, item := range e.Items {
			if p, ok := item.(*criteria.Parameter); ok {
				in.Items = append(in.Items, b.answers(p)...)
				continue
			}
			in.Items = append(in.Items, b.value(item))
		}
		return in
	}
	return e
}

// value puts answers into an expression that is not a condition.
func (b *binder) value(e criteria.Expr) criteria.Expr {
	switch e := e.(type) {
	case *criteria.Parameter:
		return b.answers(e)[0]
	case *criteria.Text:
		if e.Period != nil {
			span, problems := e.Period.Resolve(b.calendar)
			b.problems = append(b.problems, problems.In("criteria")...)
			return &criteria.Span{Pos: e.Pos, Span: span}
		}
	case *criteria.Negative:
		return &criteria.Negative{Pos: e.Pos, X: b.value(e.X)}
	case *criteria.Arithmetic:
		left := b.value(e.Left)
		if n, working := e.MovesWorking(); working {
			if span, ok := left.(*criteria.Span); ok {
				return b.movedWorking(e, span, n)
			}
		}
		if _, _, moves := e.Moves(); moves {
			if span, ok := left.(*criteria.Span); ok {
				return b.moved(e, span)
			}
		}
		return &criteria.Arithmetic{Pos: e.Pos, Op: e.Op, Left: left, Right: b.value(e.Right), Type: e.Type}
	case *criteria.UnitOf:
		return &criteria.UnitOf{Pos: e.Pos, Unit: e.Unit, X: b.value(e.X)}
	case *criteria.Aggregate:
		made := *e
		if e.X != nil {
			made.X = b.value(e.X)
		}
		if e.Where != nil { // all of them, where nothing is asked of them, as below
			made.Where = b.value(e.Where)
		}
		if e.Records != nil {
			records, _ := b.recordsOf(*e.Records)
			made.Records = &records
		}
		return &made
	case *criteria.InOrder:
		made := *e
		if e.X != nil {
			made.X = b.value(e.X)
		}
		made.By = make([]criteria.Expr, len(e.By))
		for i, key := range e.By {
			made.By[i] = b.value(key)
		}
		return &made
	case *criteria.Call:
		call := &criteria.Call{Pos: e.Pos, Name: e.Name, Type: e.Type}
		for i, arg := range e.Args {
			if asked, ok := arg.(*criteria.Parameter); ok && (e.Name != "if" || i > 0) {
				call.Args = append(call.Args, b.value(asked)) // blank where it has no answer
				continue
			}
			made, open := b.resolve(arg)
			if open {
				made = &criteria.Bool{Pos: arg.At(), Value: true} // nothing is asked
			}
			call.Args = append(call.Args, made)
		}
		return call
	case *criteria.Logic, *criteria.Not, *criteria.Compare, *criteria.In, *criteria.Within, *criteria.Between,
		*criteria.IsBlank, *criteria.Match, *criteria.Spans, *criteria.Meets, *criteria.Related:
		made, open := b.resolve(e)
		if open {
			return &criteria.Bool{Pos: e.At(), Value: true}
		}
		return made
	}
	return e
}

// moved is a stretch of time that was moved, if it is still in the years that
// are accepted.
func (b *binder) moved(e *criteria.Arithmetic, s *criteria.Span) criteria.Expr {
	if moved, ok := e.Move(s); ok {
		return moved
	}
	return b.movedTooFar(e, s, diag.Problem{Code: "out_of_range", Message: "Moved by " + criteria.Print(e.Right) + ", the date is not in the years 1 to 9999."})
}

// movedTooFar tells a problem of the question whose date is moved, or of the criteria.
func (b *binder) movedTooFar(e *criteria.Arithmetic, s *criteria.Span, p diag.Problem) criteria.Expr {
	p.Field = "criteria"
	if names := criteria.Parameters(e); len(names) > 0 {
		p.Field = names[0]
	}
	b.problems = append(b.problems, p)
	return &criteria.Span{Pos: e.Pos, Span: period.All, Type: s.Type}
}

// movedWorking moves a day that is known by working days.
func (b *binder) movedWorking(e *criteria.Arithmetic, s *criteria.Span, n int) criteria.Expr {
	a, day := b.almanac(e), s.Span.FirstDay()
	if s.Span.OpenStart() || s.Span.OpenEnd() {
		return s // an open end is open wherever it is moved
	}
	moved, ok := a.AddWorking(day, n)
	if ok {
		by := civil.DateTime(moved-day) * (24 * 60 * 60)
		return &criteria.Span{Pos: e.Pos, Span: period.Span{From: s.Span.From + by, Until: s.Span.From + by + s.Span.Until - s.Span.From}, Type: s.Type}
	}
	return b.movedTooFar(e, s, diag.Problem{
		Code: "out_of_calendar", Hint: "Stay within these years, or give the calendar more of them.",
		Message: fmt.Sprintf("Moved by %s, the date is none whose holidays the calendar %s knows.", criteria.Print(e.Right), a.Name),
	})
}

// answers are the values of a question, one or several.
func (b *binder) answers(e *criteria.Parameter) []criteria.Expr {
	if b.used != nil {
		b.used[e.Name] = true
	}
	return b.given.Answers(e)
}

// leftBlank gives the question a comparison refers to that was left blank.
func (b *binder) leftBlank(e criteria.Expr) (*parameter.Parameter, bool) {
	if !criteria.IsComparison(e) {
		return nil, false
	}
	blank := ""
	if criteria.Asks(e, func(name string) bool {
		blank = name
		return !b.given[name].Given
	}) {
		return b.question(blank), true
	}
	return nil, false
}

// includesBlanks tells whether a comparison is one that blanks match as well.
func (b *binder) includesBlanks(e criteria.Expr) bool {
	return criteria.IsComparison(e) && criteria.Asks(e, func(name string) bool { return b.question(name).IncludeBlanks })
}

func (b *binder) question(name string) *parameter.Parameter {
	for i := range b.compiled.Questions {
		if q := &b.compiled.Questions[i]; q.Name == name && name != b.skipped {
			return q
		}
	}
	return &parameter.Parameter{Name: name}
}

// spans are the stretches of time an operand means: one, but for a question
// with several days as its answer.
func (b *binder) spans(e criteria.Expr) []period.Span {
	exprs := []criteria.Expr{}
	if p, ok := e.(*criteria.Parameter); ok {
		exprs = b.answers(p)
	} else {
		exprs = append(exprs, b.value(e))
	}
	out := make([]period.Span, len(exprs))
	for i, e := range exprs {
		if span, ok := e.(*criteria.Span); ok {
			out[i] = span.Span
		}
	}
	return out
}

// unitOf says what a column that keeps whole units holds.
func unitOf(c *catalog.Column) string {
	if c.Encoding == catalog.EncYM {
		return "whole months"
	}
	return "whole days"
}
