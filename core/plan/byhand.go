package plan

import (
	"slices"

	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/parameter"
	"pikegate/core/period"
)

// varied is hand-written SQL with other conditions: change gives what stands in the place
// of each of Compiled.ConditionsByHand, which is all of them where that is the blank one.
func (b *binder) varied(s Statement, change func(i int, c Condition) Condition) Statement {
	s.Where, s.Raw = slices.Clone(s.Where), slices.Clone(s.Raw)
	for i, c := range s.Where {
		s.Where[i] = change(i, c)
	}
	placed, i := b.compiled.Placed, len(s.Where)
	for at, p := range s.Raw {
		if p.Condition == nil {
			continue
		}
		if !placed[0].Part {
			made := change(i, *p.Condition)
			s.Raw[at].Condition = &made
			i++
		}
		placed = placed[1:]
	}
	return s
}

// conditionsByHand are those of Compiled.ConditionsByHand as they stand in a statement.
func (b *binder) conditionsByHand(s Statement) (conditions []Condition) {
	b.varied(s, func(_ int, c Condition) Condition {
		conditions = append(conditions, c)
		return c
	})
	return conditions
}

// bounding reads a condition as bounds of a column.
func bounding(c Condition, column *criteria.Column) (period.Span, bool) {
	if c.Bare == nil {
		return period.Span{}, false
	}
	bounds, ok := boundsOf(c.Bare)
	return bounds.Span, ok && bounds.Column.Same(column)
}

// edgesByHand are the edges of hand-written SQL: it is asked for other records, of which
// one date is wanted.
func (p Planner) edgesByHand(s Statement) (Edges, bool) {
	dated, _, ok := p.Query.DateByHand()
	if !ok {
		return Edges{}, false
	}
	edges, b := Edges{Column: dated.Returned, Span: period.All}, p.binder(nil)
	for _, c := range b.conditionsByHand(s) {
		if span, ok := bounding(c, dated.Column); ok {
			edges.Span.From, edges.Span.Until = max(edges.Span.From, span.From), min(edges.Span.Until, span.Until)
		}
	}
	beyond := func(column *criteria.Column, op string, t civil.DateTime) Expr {
		return b.fitting(b.bound(column, op, t, column), column.Ref)
	}
	nearest := func(op string, t civil.DateTime, within Expr) *Statement {
		near := b.varied(s, func(_ int, c Condition) Condition {
			if _, ok := bounding(c, dated.Column); ok {
				return Condition{Expr: all(beyond(dated.Column, op, t), within)}
			}
			return c
		})
		return &Statement{
			Fetch: []Fetched{{Ref: dated.Returned.Ref}}, From: s.From, Raw: near.Raw, Where: near.Where, DateIndex: -1, Limit: 1,
			Narrowed: []Condition{{Expr: beyond(dated.Returned, op, t)}}, // the SQL may return another date of the record
			Sort:     []SortKey{{Expr: b.ordered(dated.Returned), Descending: op == "<"}},
		}
	}
	const month = 31
	if from := edges.Span.From; from != civil.Start {
		edges.Before = nearest("<", from, Const{true})
		edges.NearBefore = nearest("<", from, beyond(dated.Column, ">=", (from.Date()-month).Midnight()))
	}
	if until := edges.Span.Until; until != civil.End {
		edges.After = nearest(">=", until, Const{true})
		edges.NearAfter = nearest(">=", until, beyond(dated.Column, "<", (until.Date()+month).Midnight()))
	}
	return edges, edges.Before != nil || edges.After != nil
}

// CountsByHand is how to find out why hand-written SQL returns nothing.
type CountsByHand struct {
	// Conditions are those that restrict anything, in order, and Written the same as the
	// author wrote them.
	Conditions []Condition
	Written    []criteria.Expr
	// All, Alone and Left count what is returned: without any of them, with each alone, and
	// with each and those before it.
	All         Statement
	Alone, Left []Statement
	// Edges are the nearest dates that meet everything else; Dated is the condition that
	// they lie beside, -1 where there are none.
	Edges Edges
	Dated int
}

// WhyByHand makes the statements that explain a result of hand-written SQL without records.
func (p Planner) WhyByHand(values parameter.Values) CountsByHand {
	b := p.binder(values)
	s := Statement{DateIndex: -1}
	b.from(&s)
	b.raw(&s)
	b.where(&s)
	r, written, places := CountsByHand{Dated: -1}, p.Query.ConditionsByHand(), []int{}
	dated, _, isDated := p.Query.DateByHand()
	for i, c := range b.conditionsByHand(s) {
		if c.Expr == nil {
			continue
		}
		if _, ok := bounding(c, dated.Column); isDated && ok && r.Dated < 0 {
			r.Dated = len(places)
		}
		r.Conditions, r.Written, places = append(r.Conditions, c), append(r.Written, written[i]), append(places, i)
	}
	counted := func(kept []int) Statement {
		made := b.varied(s, func(i int, c Condition) Condition {
			if slices.Contains(kept, i) {
				return c
			}
			return Condition{}
		})
		made.Aggregates = []Expr{Aggregate{Name: "count"}}
		return made
	}
	r.All = counted(nil)
	for at := range places {
		r.Alone, r.Left = append(r.Alone, counted(places[at:at+1])), append(r.Left, counted(places[:at+1]))
	}
	if r.Dated >= 0 {
		if edges, ok := p.edgesByHand(s); ok {
			r.Edges = edges
		} else {
			r.Dated = -1
		}
	}
	return r
}
