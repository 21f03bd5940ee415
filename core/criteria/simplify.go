package criteria

import (
	"strings"
	"unicode/utf8"

	"pikegate/core/civil"
	"pikegate/core/period"
)

// Simplify rewrites a condition whose questions have their answers (no
// Parameter and no quoted period is left in it) so that columns stand bare
// wherever an equivalent exists, and an index or a partition can be used:
//
//	year(d) = 2026                d within 2026
//	date_of(t) <= a day           t <= that day
//	issued_on + 30 days < a day   issued_on < that day - 30 days
//	toll_pence / 100 > 5          toll_pence > 500
//
// What is left is made of Logic, Not, Bool, Compare, In, Within, Match, IsBlank
// and Guarded. Places stay those of what the author wrote.
func Simplify(e Expr, calendar civil.Calendar) Expr {
	s := simplifier{calendar}
	return s.condition(e)
}

type simplifier struct{ calendar civil.Calendar }

func (s simplifier) condition(e Expr) Expr {
	switch e := e.(type) {
	case *Logic:
		return s.logic(e)
	case *Not:
		return negated(true, e.Pos, s.condition(e.X))
	case *Meets:
		return s.condition(e.X)
	case *Related:
		return s.related(e)
	case *Compare:
		return s.compare(e)
	case *Between:
		return negated(e.Not, e.Pos, both(e.Pos,
			s.compare(&Compare{e.Pos, ">=", e.X, e.Low, false}),
			s.compare(&Compare{e.Pos, "<=", e.X, e.High, false})))
	case *Within:
		if span, ok := e.Period.(*Span); ok {
			return negated(e.Not, e.Pos, s.compareDate(e.Pos, e.X, "=", span.Span))
		}
		return negated(e.Not, e.Pos, &Within{e.Pos, e.X, e.Period, false})
	case *In:
		return negated(e.Not, e.Pos, s.in(e))
	case *Match:
		return negated(e.Not, e.Pos, s.match(e))
	case *IsBlank:
		return negated(e.Not, e.Pos, &IsBlank{e.Pos, e.X, false})
	case *Spans:
		if span, ok := e.Period.(*Span); ok {
			return negated(e.Not, e.Pos, s.spans(e, span.Span))
		}
		if e.Op == "covers" {
			return negated(e.Not, e.Pos, s.coversDate(e))
		}
		return negated(e.Not, e.Pos, &Spans{e.Pos, e.Op, e.From, e.Until, e.Period, false})
	}
	return e
}

// match leaves a beginning, or an equality, of a pattern that is no more.
func (s simplifier) match(e *Match) Expr {
	pattern, known := e.Y.(*Text)
	if e.Op != "matches" || !known {
		return &Match{e.Pos, e.Op, e.X, e.Y, false, e.Fold}
	}
	switch at := strings.IndexAny(pattern.Value, "*?"); {
	case at < 0:
		return s.compare(&Compare{e.Pos, "=", e.X, pattern, e.Fold})
	case at == len(pattern.Value)-1 && pattern.Value[at] == '*' && at > 0:
		return &Match{e.Pos, "starts with", e.X, &Text{Pos: pattern.Pos, Value: pattern.Value[:at]}, false, e.Fold}
	}
	return &Match{e.Pos, e.Op, e.X, e.Y, false, e.Fold}
}

// related simplifies what is asked of the other table's records.
func (s simplifier) related(e *Related) Expr {
	made := *e
	if e.Where == nil {
		return &made
	}
	made.Where = s.condition(e.Where)
	constant, ok := made.Where.(*Bool)
	switch {
	case !ok:
	case constant.Value:
		made.Where = nil
	case e.Quantity == "any":
		return &Bool{e.Pos, false}
	case e.Quantity == "no":
		return &Bool{e.Pos, true}
	}
	return &made
}

// logic leaves out what decides nothing, and is what decides it all.
func (s simplifier) logic(e *Logic) Expr {
	terms := make([]Expr, 0, len(e.Terms))
	for _, t := range e.Terms {
		term := s.condition(t)
		if b, ok := term.(*Bool); ok {
			if b.Value == e.Or {
				return b
			}
			continue
		}
		terms = append(terms, term)
	}
	switch len(terms) {
	case 0:
		return &Bool{e.Pos, !e.Or}
	case 1:
		return terms[0]
	}
	return &Logic{e.Pos, e.Or, terms}
}

func negated(yes bool, at Pos, e Expr) Expr {
	if !yes {
		return e
	}
	if b, ok := e.(*Bool); ok {
		return &Bool{at, !b.Value}
	}
	return &Not{at, e}
}

func both(at Pos, a, b Expr) Expr {
	x, constant := a.(*Bool)
	if !constant {
		a, b = b, a
		x, constant = a.(*Bool)
	}
	switch {
	case constant && x.Value:
		return b
	case constant:
		return a
	}
	return &Logic{at, false, []Expr{b, a}}
}

var flipped = map[string]string{"=": "=", "<>": "<>", "<": ">", "<=": ">=", ">": "<", ">=": "<="}

// Holds tells whether a comparison holds between two values, the first of which
// comes before the second, is equal to it or comes after it: order is negative,
// 0 or positive.
func Holds(order int, op string) bool {
	switch op {
	case "=":
		return order == 0
	case "<>":
		return order != 0
	case "<":
		return order < 0
	case "<=":
		return order <= 0
	case ">":
		return order > 0
	}
	return order >= 0
}

// Flip is the comparison with its sides exchanged.
func Flip(op string) string { return flipped[op] }

func (s simplifier) compare(e *Compare) Expr {
	left, right, op := e.Left, e.Right, e.Op
	if isConstant(left) && !isConstant(right) {
		left, right, op = right, left, flipped[op]
	}
	switch constant := right.(type) {
	case *Span:
		return s.compareDate(e.Pos, left, op, constant.Span)
	case *Text:
		if beginning, ok := beginningOf(left, op, constant); ok && !e.Fold {
			return &Match{e.Pos, "starts with", beginning, constant, false, false}
		}
	case *Number:
		if span, x, ok := s.year(left, constant.Value); ok {
			return s.compareDate(e.Pos, x, op, span)
		}
		if TypeOf(left).IsNumber() {
			return s.compareNumber(e.Pos, left, op, constant.Value)
		}
	}
	return &Compare{e.Pos, op, left, right, e.Fold}
}

// beginningOf is the text whose first characters a comparison asks for: part(x, 1, 2) = 'TW'.
func beginningOf(left Expr, op string, text *Text) (Expr, bool) {
	call, ok := left.(*Call)
	if !ok || op != "=" || call.Name != "part" || len(call.Args) != 3 {
		return nil, false
	}
	from, ok1 := call.Args[1].(*Number)
	length, ok2 := call.Args[2].(*Number)
	return call.Args[0], ok1 && ok2 && from.Value.IntPart() == 1 && length.Value.IntPart() == int64(utf8.RuneCountInString(text.Value))
}

func isConstant(e Expr) bool {
	switch e.(type) {
	case *Span, *Number, *Text, *Bool:
		return true
	}
	return false
}

// compareDate compares a date with a stretch of time: before it is before its
// start, after it is after its end, equal is within. An end that is open
// bounds nothing, for blanks as well.
func (s simplifier) compareDate(at Pos, x Expr, op string, span period.Span) Expr {
	if unit, ok := x.(*UnitOf); ok && Units[unit.Unit] == 0 {
		if whole, ok := period.WholeOf(unit.Unit, s.calendar); ok {
			return s.compareUnit(at, unit.X, op, span, whole.Stretches(s.calendar))
		}
	}
	x, span, where := s.bare(x, span)
	made := boundBy(at, x, op, span)
	if _, constant := made.(*Bool); constant || where == period.All {
		return made
	}
	return &Guarded{at, made, boundBy(at, x, "=", where)}
}

// compareUnit compares the units of a calendar by their first days: it is the dates in those
// that fit. A date in none of them leaves it open.
func (s simplifier) compareUnit(at Pos, x Expr, op string, span period.Span, units []period.Stretch) Expr {
	within := func(fits func(first civil.DateTime) bool) Expr {
		or := &Logic{Pos: at, Or: true}
		for i := 0; i < len(units); i++ {
			if !fits(units[i].First.Midnight()) {
				continue
			}
			first := units[i].First
			for i+1 < len(units) && units[i+1].First == units[i].Last+1 && fits(units[i+1].First.Midnight()) {
				i++ // one follows the other without a hole
			}
			or.Terms = append(or.Terms, s.compareDate(at, x, "=", period.OfDays(first, units[i].Last)))
		}
		switch len(or.Terms) {
		case 0:
			return &Bool{at, false}
		case 1:
			return or.Terms[0]
		}
		return or
	}
	holds := within(func(first civil.DateTime) bool {
		before, after := !span.OpenStart() && first < span.From, !span.OpenEnd() && first >= span.Until
		switch op {
		case "<":
			return before
		case ">=":
			return !before
		case "<=":
			return !after
		case ">":
			return after
		case "<>":
			return before || after
		}
		return !before && !after
	})
	return &Guarded{at, holds, within(func(civil.DateTime) bool { return true })}
}

// boundBy compares a date with a stretch of time by its ends.
func boundBy(at Pos, x Expr, op string, span period.Span) Expr {
	bound := func(op string, t civil.DateTime) Expr {
		if t == civil.Start || t == civil.End {
			return &Bool{at, (t == civil.Start) == (op == ">=")}
		}
		return &Compare{at, op, x, &Span{Pos: at, Span: period.Span{From: t, Until: t}}, false}
	}
	switch op {
	case "<":
		return bound("<", span.From)
	case ">=":
		return bound(">=", span.From)
	case "<=":
		return bound("<", span.Until)
	case ">":
		return bound(">=", span.Until)
	case "<>":
		return negated(true, at, boundBy(at, x, "=", span))
	}
	low, high := bound(">=", span.From), bound("<", span.Until)
	if _, open := low.(*Bool); open {
		return both(at, low, high)
	}
	if _, open := high.(*Bool); open {
		return both(at, low, high)
	}
	return &Within{at, x, &Span{Pos: at, Span: span}, false}
}

// in takes lists of dates and of years apart, and moves numbers over.
func (s simplifier) in(e *In) Expr {
	list := &In{e.Pos, e.X, nil, false, e.Fold}
	or := &Logic{Pos: e.Pos, Or: true}
	whole := !isConstant(e.X) // or the sides would change places
	for _, item := range e.Items {
		term := s.compare(&Compare{e.Pos, "=", e.X, item, e.Fold})
		if b, ok := term.(*Bool); ok && b.Value {
			return b
		}
		or.Terms = append(or.Terms, term)
		same, ok := term.(*Compare)
		if !ok || !isConstant(same.Right) {
			whole = false
			continue
		}
		list.X = same.Left
		list.Items = append(list.Items, same.Right)
	}
	switch {
	case whole:
		return list
	case len(or.Terms) == 1:
		return or.Terms[0]
	}
	return or
}

// TextAfter is the least text, by code points, that is more than every text
// with the prefix; false where there is none.
func TextAfter(prefix string) (string, bool) {
	runes := []rune(prefix)
	for i := len(runes) - 1; i >= 0; i-- {
		if runes[i] == utf8.MaxRune {
			continue
		}
		next := runes[i] + 1
		if next == 0xD800 { // no characters until here: the surrogates
			next = 0xE000
		}
		return string(runes[:i]) + string(next), true
	}
	return "", false
}

// coversDate says that a date of the record lies in a span of two others.
func (s simplifier) coversDate(e *Spans) Expr {
	return both(e.Pos, s.compare(&Compare{e.Pos, "<=", e.From, e.Period, false}), e.goingOn(s.compare(&Compare{e.Pos, ">=", e.Until, e.Period, false})))
}

// goingOn is met where the span has no end, or where its end meets a condition.
func (e *Spans) goingOn(ended Expr) Expr {
	if b, ok := ended.(*Bool); ok && b.Value {
		return ended
	}
	blank := &IsBlank{e.Pos, e.Until, false}
	if b, ok := ended.(*Bool); ok && !b.Value {
		return blank
	}
	return &Logic{e.Pos, true, []Expr{blank, ended}}
}

// spans says what a span of two dates has to do with a period by its ends.
func (s simplifier) spans(e *Spans, span period.Span) Expr {
	switch e.Op {
	case "overlaps":
		return both(e.Pos, s.compareDate(e.Pos, e.From, "<=", span), e.goingOn(s.compareDate(e.Pos, e.Until, ">=", span)))
	case "inside":
		ended := s.compareDate(e.Pos, e.Until, "<=", span)
		if _, open := ended.(*Bool); !open { // what goes on is not inside what ends
			ended = &Logic{e.Pos, false, []Expr{&Not{e.Pos, &IsBlank{e.Pos, e.Until, false}}, ended}}
		}
		return both(e.Pos, s.compareDate(e.Pos, e.From, ">=", span), ended)
	}
	if span.OpenStart() {
		return &Bool{e.Pos, false}
	}
	first, last := span.Part("from"), span.Part("through")
	ended := Expr(&Bool{e.Pos, false})
	if !span.OpenEnd() {
		ended = s.compareDate(e.Pos, e.Until, ">=", last)
	}
	return both(e.Pos, s.compareDate(e.Pos, e.From, "<=", first), e.goingOn(ended))
}

// SimplifyWithin simplifies the conditions inside a value, as those of if.
func SimplifyWithin(e Expr, calendar civil.Calendar) Expr {
	chooses := func(e Expr) bool {
		call, ok := e.(*Call)
		return ok && call.Name == "if"
	}
	return Simplify(Replace(e, chooses, func(e Expr) Expr {
		call := e.(*Call)
		call.Args[0] = Simplify(call.Args[0], calendar)
		return call
	}), calendar)
}
