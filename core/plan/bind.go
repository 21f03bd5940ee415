package plan

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/period"
)

// Bind makes the statement of one run: optional questions left blank drop
// out, periods become bounds in each column's own encoding. Columns names the
// query's columns that are wanted, in order; none means all.
func Bind(c *definition.Compiled, columns []string, values parameter.Values, ctx civil.Context) (Statement, diag.Problems) {
	b := binder{compiled: c, values: values, ctx: ctx}
	s := Statement{From: Table{c.From.Table.Name, c.From.Alias}, DateIndex: -1}
	b.from(&s)
	b.outputs(&s, columns)
	b.where(&s)
	if c.Criteria != nil {
		if date := dateColumn(c.Criteria); date != nil {
			s.DateIndex = b.fetch(&s, date.Ref)
		}
	}
	b.sort(&s)
	return s, b.problems
}

type binder struct {
	compiled *definition.Compiled
	values   parameter.Values
	ctx      civil.Context
	// skipped is a question whose conditions drop out whatever it says.
	skipped  string
	problems diag.Problems
}

func (b *binder) from(s *Statement) {
	for _, j := range b.compiled.Joins {
		on, _ := b.bind(j.On)
		s.Joins = append(s.Joins, Join{Table{j.Table.Table.Name, j.Alias}, j.Optional, on})
	}
}

// where binds the top-level conditions, each with its words.
func (b *binder) where(s *Statement) {
	if b.compiled.Criteria == nil {
		return
	}
	for _, condition := range criteria.Conditions(b.compiled.Criteria) {
		expr, open := b.bind(condition)
		at := condition.At()
		made := Condition{Text: b.compiled.CriteriaText[at.Start:at.End], Expr: expr}
		if open || expr == always {
			made.Expr, made.Words = nil, b.anything(condition)
		} else {
			made.Words = b.words(condition)
		}
		s.Where = append(s.Where, made)
	}
}

// fetch gives the place of a column in the fetched row, adding it if needed.
func (b *binder) fetch(s *Statement, ref criteria.Ref) int {
	at := slices.IndexFunc(s.Fetch, func(r criteria.Ref) bool {
		return r.Alias == ref.Alias && r.Column.Name == ref.Column.Name
	})
	if at < 0 {
		at = len(s.Fetch)
		s.Fetch = append(s.Fetch, ref)
	}
	return at
}

func (b *binder) outputs(s *Statement, wanted []string) {
	columns := b.compiled.Columns
	if len(wanted) > 0 {
		columns = nil
		for _, name := range wanted {
			at := slices.IndexFunc(b.compiled.Columns, func(c definition.CompiledColumn) bool { return c.Name == name })
			columns = append(columns, b.compiled.Columns[at])
		}
	}
	for _, c := range columns {
		out := Output{Name: c.Name, Label: c.Heading(), Type: c.Type, Format: c.Format}
		if plain, ok := c.Expr.(*criteria.Column); ok {
			out.Column = plain.Ref.Column
			out.Index = b.fetch(s, plain.Ref)
		} else {
			out.Formula = Formula{c.Expr, map[*criteria.Column]int{}}
			criteria.Walk(c.Expr, func(e criteria.Expr) {
				if inner, ok := e.(*criteria.Column); ok {
					out.Formula.columns[inner] = b.fetch(s, inner.Ref)
				}
			})
		}
		s.Outputs = append(s.Outputs, out)
	}
}

// sort sets the order, and appends keys of the tables until it is the same
// at every run.
func (b *binder) sort(s *Statement) {
	descending := false
	for _, key := range b.compiled.Sort {
		expr, _ := b.bind(key.Expr)
		nullable := false
		criteria.Walk(key.Expr, func(e criteria.Expr) {
			if c, ok := e.(*criteria.Column); ok && c.Ref.Nullable {
				nullable = true
			}
		})
		descending = key.Descending
		s.Sort = append(s.Sort, SortKey{expr, key.Descending, key.BlanksFirst, nullable})
	}
	tables := []criteria.Table{b.compiled.From}
	for _, j := range b.compiled.Joins {
		if !pinned(j) {
			tables = append(tables, j.Table)
		}
	}
	for _, t := range tables {
		for _, name := range t.Table.Key {
			column, _ := t.Table.Column(name)
			key := Column{criteria.Ref{Alias: t.Alias, Column: column}}
			if slices.ContainsFunc(s.Sort, func(k SortKey) bool {
				c, ok := k.Expr.(Column)
				return ok && c.Ref.Alias == t.Alias && strings.EqualFold(c.Ref.Column.Name, name)
			}) {
				continue
			}
			// In the direction of the last key, so that one index serves all.
			s.Sort = append(s.Sort, SortKey{Expr: key, Descending: descending, Nullable: t.Optional})
		}
	}
}

// pinned tells whether a joined table has at most one record for each: its
// whole key is compared for equality.
func pinned(j definition.CompiledJoin) bool {
	equal := map[string]bool{}
	for _, c := range criteria.Conditions(j.On) {
		if compare, ok := c.(*criteria.Compare); ok && compare.Op == "=" {
			for _, side := range []criteria.Expr{compare.Left, compare.Right} {
				if column, ok := side.(*criteria.Column); ok && column.Ref.Alias == j.Alias {
					equal[strings.ToLower(column.Ref.Column.Name)] = true
				}
			}
		}
	}
	for _, name := range j.Table.Table.Key {
		if !equal[strings.ToLower(name)] {
			return false
		}
	}
	return len(j.Table.Table.Key) > 0
}

// dateColumn is the column of the first condition that compares a date with a
// period that was asked for, or else with a written one.
func dateColumn(e criteria.Expr) *criteria.Column {
	var asked, written *criteria.Column
	criteria.Walk(e, func(e criteria.Expr) {
		switch e.(type) {
		case *criteria.Compare, *criteria.Within, *criteria.Between:
		default:
			return
		}
		var column *criteria.Column
		isAsked, isWritten := false, false
		for _, side := range criteria.Children(e) {
			switch side := side.(type) {
			case *criteria.Column:
				if side.Ref.Column.Type.IsDate() && column == nil {
					column = side
				}
			case *criteria.Parameter:
				isAsked = isAsked || side.Question.Type == criteria.Period || side.Question.Type.IsDate()
			case *criteria.Text:
				isWritten = isWritten || side.Period != nil
			}
		}
		if isAsked && asked == nil {
			asked = column
		}
		if isWritten && written == nil {
			written = column
		}
	})
	if asked != nil {
		return asked
	}
	return written
}

// always is what a comparison with an open bound is.
var always = Expr(Const{true})

// bind translates a node. Open tells that an optional question it refers to
// was left blank, so that it is not there at all: an "and" and an "or" go on
// without it, and a "not" goes with it.
func (b *binder) bind(e criteria.Expr) (expr Expr, open bool) {
	blank, isBlank := b.leftBlank(e)
	switch {
	case isBlank && blank.WhenBlank == parameter.MatchBlank:
		if column := firstColumn(e); column != nil {
			return IsBlank{Column{column.Ref}}, false
		}
		return nil, true
	case isBlank:
		return nil, true
	}
	expr, open = b.node(e)
	if column := firstColumn(e); b.includesBlanks(e) && !open && column != nil {
		return Logic{Or: true, Terms: []Expr{expr, IsBlank{Column{column.Ref}}}}, false
	}
	return expr, open
}

// node translates a node whose questions are all answered.
func (b *binder) node(e criteria.Expr) (expr Expr, open bool) {
	switch e := e.(type) {
	case *criteria.Column:
		return Column{e.Ref}, false
	case *criteria.Number:
		return Value{e.Value}, false
	case *criteria.Text:
		return Value{e.Value}, false
	case *criteria.Bool:
		return Value{e.Value}, false
	case *criteria.Parameter:
		return Value{b.answers(e)[0]}, false
	case *criteria.Negative:
		x, _ := b.bind(e.X)
		return Arithmetic{'-', Value{int64(0)}, x}, false
	case *criteria.Arithmetic:
		x, _ := b.bind(e.Left)
		y, _ := b.bind(e.Right)
		return Arithmetic{e.Op, x, y}, false
	case *criteria.Compare:
		return b.compare(e)
	case *criteria.Between:
		return b.between(e)
	case *criteria.Within:
		span := b.span(e.Period)
		return negated(e.Not)(b.within(e.X.(*criteria.Column), span, e), false)
	case *criteria.In:
		return b.in(e)
	case *criteria.IsBlank:
		x, _ := b.bind(e.X)
		return negated(e.Not)(IsBlank{x}, false)
	case *criteria.Logic:
		return b.logic(e)
	case *criteria.Not:
		return b.not(e)
	}
	panic(fmt.Sprintf("plan: no such node: %T", e))
}

// answers are the values of a question, one or several.
func (b *binder) answers(e *criteria.Parameter) []any {
	v := b.values[e.Name]
	var out []any
	for _, t := range v.Texts {
		out = append(out, t)
	}
	for _, n := range v.Numbers {
		out = append(out, n)
	}
	if out == nil {
		out = append(out, v.Bool)
	}
	return out
}

// isComparison tells whether the node is the smallest condition that a
// question left blank takes away.
func isComparison(e criteria.Expr) bool {
	switch e.(type) {
	case *criteria.Compare, *criteria.Within, *criteria.Between, *criteria.In:
		return true
	}
	return false
}

// leftBlank gives the question a comparison refers to that was left blank.
func (b *binder) leftBlank(e criteria.Expr) (parameter.Parameter, bool) {
	if !isComparison(e) {
		return parameter.Parameter{}, false
	}
	for _, name := range parametersOf(e) {
		if !b.values[name].Given {
			return b.question(name), true
		}
	}
	return parameter.Parameter{}, false
}

// includesBlanks tells whether a comparison is one that blanks match as well.
func (b *binder) includesBlanks(e criteria.Expr) bool {
	return isComparison(e) && slices.ContainsFunc(parametersOf(e), func(name string) bool { return b.question(name).IncludeBlanks })
}

func (b *binder) question(name string) parameter.Parameter {
	for _, q := range b.compiled.Questions {
		if q.Name == name && name != b.skipped {
			return q
		}
	}
	return parameter.Parameter{Name: name}
}

// firstColumn is the column a comparison is about.
func firstColumn(e criteria.Expr) *criteria.Column {
	var found *criteria.Column
	criteria.Walk(e, func(e criteria.Expr) {
		if c, ok := e.(*criteria.Column); ok && found == nil {
			found = c
		}
	})
	return found
}

func parametersOf(e criteria.Expr) []string {
	var names []string
	criteria.Walk(e, func(e criteria.Expr) {
		if p, ok := e.(*criteria.Parameter); ok && !slices.Contains(names, p.Name) {
			names = append(names, p.Name)
		}
	})
	return names
}

// negated wraps what bind returns in a Not; what is open stays open.
func negated(yes bool) func(Expr, bool) (Expr, bool) {
	return func(e Expr, open bool) (Expr, bool) {
		if open || !yes {
			return e, open
		}
		if c, ok := e.(Const); ok {
			return Const{!c.V}, false
		}
		return Not{e}, false
	}
}

// not negates; blanks that are to match whatever the answer match still.
func (b *binder) not(e *criteria.Not) (Expr, bool) {
	column := firstColumn(e.X)
	if _, blank := b.leftBlank(e.X); blank || column == nil || !b.includesBlanks(e.X) {
		return negated(true)(b.bind(e.X))
	}
	inner, open := negated(true)(b.node(e.X))
	return Logic{Or: true, Terms: []Expr{inner, IsBlank{Column{column.Ref}}}}, open
}

func (b *binder) logic(e *criteria.Logic) (Expr, bool) {
	var terms []Expr
	asked := false
	for _, t := range e.Terms {
		term, open := b.bind(t)
		if open {
			continue
		}
		asked = true
		if c, ok := term.(Const); ok {
			if c.V == e.Or {
				return c, false // it decides the whole
			}
			continue
		}
		terms = append(terms, term)
	}
	switch len(terms) {
	case 0:
		return Const{!e.Or}, !asked
	case 1:
		return terms[0], false
	}
	return Logic{e.Or, terms}, false
}

func (b *binder) in(e *criteria.In) (Expr, bool) {
	x, _ := b.bind(e.X)
	in := In{X: x}
	for _, item := range e.Items {
		switch item := item.(type) {
		case *criteria.Parameter:
			if isPeriod(item) {
				return b.inDates(e)
			}
			in.Values = append(in.Values, b.answers(item)...)
		default:
			if text, ok := item.(*criteria.Text); ok && text.Period != nil {
				return b.inDates(e)
			}
			v, _ := b.bind(item)
			if constant, ok := v.(Value); ok {
				in.Values = append(in.Values, constant.V)
				continue
			}
			return b.inExpressions(x, e)
		}
	}
	return negated(e.Not)(in, false)
}

// inDates is "day in ('2026-03-01', 'last friday')": in any of the periods.
func (b *binder) inDates(e *criteria.In) (Expr, bool) {
	or := Logic{Or: true}
	for _, item := range e.Items {
		for _, span := range b.spans(item) {
			term := b.within(e.X.(*criteria.Column), span, item)
			if term == always {
				return negated(e.Not)(term, false)
			}
			or.Terms = append(or.Terms, term)
		}
	}
	return negated(e.Not)(or, false)
}

// inExpressions is "x in (a, b)" where an item is not a plain value.
func (b *binder) inExpressions(x Expr, e *criteria.In) (Expr, bool) {
	or := Logic{Or: true}
	for _, item := range e.Items {
		v, _ := b.bind(item)
		or.Terms = append(or.Terms, Compare{"=", x, v})
	}
	return negated(e.Not)(or, false)
}

var flipped = map[string]string{"=": "=", "<>": "<>", "<": ">", "<=": ">=", ">": "<", ">=": "<="}

func (b *binder) compare(e *criteria.Compare) (Expr, bool) {
	left, right, op := e.Left, e.Right, e.Op
	if isPeriod(left) {
		left, right, op = right, left, flipped[op]
	}
	if column, ok := left.(*criteria.Column); ok && isPeriod(right) {
		return b.compareDate(column, op, b.span(right), e), false
	}
	x, _ := b.bind(left)
	y, _ := b.bind(right)
	return Compare{op, x, y}, false
}

func isPeriod(e criteria.Expr) bool {
	switch e := e.(type) {
	case *criteria.Text:
		return e.Period != nil
	case *criteria.Parameter:
		return e.Question.Type == criteria.Period || e.Question.Type.IsDate()
	}
	return false
}

func (b *binder) between(e *criteria.Between) (Expr, bool) {
	if column, ok := e.X.(*criteria.Column); ok && isPeriod(e.Low) && isPeriod(e.High) {
		span := period.Span{From: b.span(e.Low).From, Until: b.span(e.High).Until}
		return negated(e.Not)(b.within(column, span, e), false)
	}
	low, _ := b.compare(&criteria.Compare{Op: ">=", Left: e.X, Right: e.Low})
	high, _ := b.compare(&criteria.Compare{Op: "<=", Left: e.X, Right: e.High})
	return negated(e.Not)(Logic{Terms: []Expr{low, high}}, false)
}

// spans are the stretches of time an operand means: one, but for a question
// with several days as its answer.
func (b *binder) spans(e criteria.Expr) []period.Span {
	if p, ok := e.(*criteria.Parameter); ok && p.Question.Type.IsDate() {
		return b.values[p.Name].Spans
	}
	return []period.Span{b.span(e)}
}

// span is the stretch of time an operand means.
func (b *binder) span(e criteria.Expr) period.Span {
	switch e := e.(type) {
	case *criteria.Text:
		span, problems := e.Period.Resolve(b.ctx)
		b.problems = append(b.problems, problems.In("criteria")...)
		return span
	case *criteria.Parameter:
		if e.Question.Type.IsDate() {
			return b.values[e.Name].Spans[0]
		}
		return b.values[e.Name].Span.Part(e.Part)
	}
	panic(fmt.Sprintf("plan: not a period: %T", e))
}

// compareDate compares a column with a stretch of time: before it is before
// its start, after it is after its end, equal is within.
func (b *binder) compareDate(c *criteria.Column, op string, span period.Span, at criteria.Expr) Expr {
	switch op {
	case "<":
		return b.bound(c, "<", span.From, at)
	case ">=":
		return b.bound(c, ">=", span.From, at)
	case "<=":
		return b.bound(c, "<", span.Until, at)
	case ">":
		return b.bound(c, ">=", span.Until, at)
	}
	equal, _ := negated(op == "<>")(b.within(c, span, at), false)
	return equal
}

// within is col >= LOW and col < HIGH, one side only when the other is open.
func (b *binder) within(c *criteria.Column, span period.Span, at criteria.Expr) Expr {
	low, high := b.bound(c, ">=", span.From, at), b.bound(c, "<", span.Until, at)
	switch {
	case low == always:
		return high
	case high == always:
		return low
	}
	return Logic{Terms: []Expr{low, high}}
}

// bound compares the bare column with a civil time, in its own encoding. With
// an open bound it is always true, for blanks as well, or never.
func (b *binder) bound(c *criteria.Column, op string, t civil.DateTime, at criteria.Expr) Expr {
	if t == civil.Start || t == civil.End {
		return Const{(t == civil.Start) == (op == ">=")}
	}
	v, err := c.Ref.Column.Bound(t, b.ctx.Zone)
	if err != nil {
		p := diag.Problem{
			Code: "finer_than_column", Field: "criteria",
			Message: fmt.Sprintf("%s holds %s, but %s falls inside one.", b.label(c), unitOf(c.Ref.Column), t),
			Hint:    "Give a period that starts and ends between " + unitOf(c.Ref.Column) + ".",
		}
		if names := parametersOf(at); len(names) > 0 {
			p.Field = names[0]
		}
		if !errors.Is(err, catalog.ErrFiner) {
			p.Code, p.Message, p.Hint = "no_encoding", err.Error(), "Set the column's encoding with pikegate source set-encoding."
		}
		if !slices.ContainsFunc(b.problems, func(q diag.Problem) bool { return q.Code == p.Code && q.Field == p.Field }) {
			b.problems = append(b.problems, p)
		}
		return Const{false}
	}
	return Compare{op, Column{c.Ref}, Value{v}}
}

func unitOf(c catalog.Column) string {
	if c.Encoding == catalog.EncYM {
		return "whole months"
	}
	return "whole days"
}
