package plan

import (
	"fmt"
	"reflect"
	"slices"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/record"
)

// Total is one value made of many records.
type Total struct {
	Name      string         `json:"name"`
	Of        string         `json:"-"` // the column of the result it stands under, if it is made of one
	Label     string         `json:"label"`
	Format    string         `json:"-"`
	Column    catalog.Column `json:"-"`
	aggregate string
	// Both are over the columns of the result; of count there is no formula, and of what
	// is made of all records no where.
	formula, where Formula
}

// Partial tells that the total is made of some of the records.
func (t Total) Partial() bool { return t.where.Is() }

// Type is that of its value.
func (t Total) Type() catalog.Type {
	switch t.aggregate {
	case "count", "count distinct":
		return catalog.Integer
	}
	return t.Column.Type
}

// Group puts together the records that stand one after the other and have the
// same value.
type Group struct {
	Label  string
	Of     string // the column of the result, where it is by one
	Totals []Total
	// Head, Once and Page tell how its beginning is shown.
	Head, Once, Page bool

	column  catalog.Column
	formula Formula
}

// TotalValue is a total that was worked out: a decimal, text, bool or catalog.Stamp,
// nil for blank.
type TotalValue struct {
	Total
	Value any
}

// Beginning is a group that begins.
type Beginning struct {
	// Level counts from 0, the outermost.
	Level int
	Group *Group
	Value any
}

// Column is that of the value.
func (o Beginning) Column() catalog.Column { return o.Group.column }

// Subtotal is a group that has come to its end.
type Subtotal struct {
	// Level counts from 0, the outermost.
	Level  int
	Label  string
	Of     string
	Value  any
	Column catalog.Column
	Count  int64
	Totals []TotalValue
}

// view adds what a report makes of the result: groups, which come first in the
// order, and totals.
func (b *binder) view(s *Selection, v definition.View) {
	index := func(c *criteria.Column) int {
		return slices.IndexFunc(s.Outputs, func(o Output) bool { return o.Name == c.Ref.Column.Name })
	}
	total := func(t definition.CompiledTotal) Total {
		made := Total{Name: t.Name, Label: t.Label, Format: t.Format, aggregate: t.Expr.Name}
		if t.Expr.X != nil {
			made.formula = newFormula(t.Expr.X, b.calendar, index)
			made.Column = *computedColumn(b.compiled.Behind(t.Expr.X), criteria.TypeOf(t.Expr))
			if column, ok := t.Expr.X.(*criteria.Column); ok {
				made.Of = column.Ref.Column.Name
			}
		}
		if t.Expr.Where != nil {
			made.where = newFormula(b.value(t.Expr.Where), b.calendar, index)
		}
		return made
	}
	for _, t := range v.Totals {
		s.Totals = append(s.Totals, total(t))
	}
	for _, t := range v.Judged {
		s.Judged = append(s.Judged, total(t))
	}
	if c := v.Chart; c != nil {
		s.Chart = &Chart{Chart: c.Chart, X: b.axis(c.X, c.XLabel, index), units: b.unitsOf(c.X)}
		for _, y := range c.Ys {
			s.Chart.Ys = append(s.Chart.Ys, total(y))
		}
		if c.Split != nil {
			split := b.axis(c.Split, c.SplitLabel, index)
			s.Chart.Split = &split
		}
		if c.Panels != nil {
			panels := b.axis(c.Panels, c.PanelsLabel, index)
			s.Chart.Panels = &panels
		}
	}
	if a := v.Across; a != nil {
		s.Across = &Across{Axis: b.axis(a.Expr, a.Label, index), Empty: a.Empty, units: b.unitsOf(a.Expr)}
		for _, t := range a.Of {
			s.Across.Of = append(s.Across.Of, total(t))
		}
		s.Across.made = slices.Clone(s.Across.Of)
		for _, h := range a.Emphasis {
			from := len(s.Across.made)
			for _, t := range h.When.Totals {
				s.Across.made = append(s.Across.made, total(t))
			}
			s.Across.emphasis = append(s.Across.emphasis, cellHighlight{h.When, from, record.EmphasisOf(h.As)})
		}
	}
	s.Emphasis = b.emphasis(v.Emphasis, s.Outputs, index)
	var keys []SortKey
	for i, g := range v.Groups {
		behind := b.compiled.Behind(g.Expr)
		made := Group{Label: g.Label, Head: g.Head, Once: g.Once, Page: g.Page, formula: newFormula(g.Expr, b.calendar, index), column: *computedColumn(behind, criteria.TypeOf(g.Expr))}
		if column, ok := g.Expr.(*criteria.Column); ok {
			made.Of = column.Ref.Column.Name
		}
		for _, t := range g.Totals {
			made.Totals = append(made.Totals, total(t))
		}
		s.Groups = append(s.Groups, made)
		keys = append(keys, b.groupKey(&s.Statement, i, behind, i == len(v.Groups)-1))
	}
	for _, key := range s.Sort {
		if !slices.ContainsFunc(keys, func(k SortKey) bool { return reflect.DeepEqual(k.Expr, key.Expr) }) {
			keys = append(keys, key)
		}
	}
	s.Sort = keys
}

// groupKey is the key that brings a group together. Where the author's own key
// at this place does so (for the innermost group, the order of time keeps
// months together), it is that one, which an index may serve.
func (b *binder) groupKey(s *Statement, at int, behind criteria.Expr, innermost bool) SortKey {
	if at < len(s.Sort) {
		own, ok := s.Sort[at].Expr.(Column)
		column, bare := criteria.Origin(behind).(*criteria.Column)
		_, plain := behind.(*criteria.Column)
		if ok && bare && (plain || innermost) && column.Same(&criteria.Column{Ref: own.Ref}) {
			return s.Sort[at]
		}
	}
	made := SortKey{Expr: b.ordered(b.value(behind)), Nullable: true}
	for _, own := range s.Sort { // in the author's direction, where there is one
		if reflect.DeepEqual(own.Expr, made.Expr) {
			made.Descending, made.BlanksFirst = own.Descending, own.BlanksFirst
		}
	}
	return made
}

// Tally makes subtotals and totals of rows as they pass. It keeps nothing of
// them but what count distinct has to tell apart.
type Tally struct {
	shown  *Shown
	clock  *civil.Clock
	values []any // of one row, by output
	keys   []any
	open   bool
	groups []tally
	all    tally
	judged tally
	drawn  drawn
}

// tally is the totals of one group, or of all.
type tally struct {
	count int64
	kept  []accumulator
}

// accumulator is what has been made of one total so far.
type accumulator struct {
	count    int64
	sum      decimal.Decimal
	least    any
	greatest any
	distinct map[string]struct{}
}

// NewTally begins to count; nil where there are no groups, totals or
// chart.
func (s *Shown) NewTally(calendar civil.Calendar) *Tally {
	if len(s.Groups) == 0 && len(s.Totals) == 0 && len(s.Judged) == 0 && s.Chart == nil {
		return nil
	}
	t := &Tally{shown: s, clock: civil.NewClock(calendar.Zone), values: make([]any, len(s.Outputs)), keys: make([]any, len(s.Groups))}
	for _, g := range s.Groups {
		t.groups = append(t.groups, tally{kept: make([]accumulator, len(g.Totals))})
	}
	t.all.kept = make([]accumulator, len(s.Totals))
	t.judged.kept = make([]accumulator, len(s.Judged))
	return t
}

// Row takes in a record and returns the groups that ended before it, the
// innermost first, and those that begin with it, the outermost first.
func (t *Tally) Row(r record.Record) (closed []Subtotal, opened []Beginning) {
	for i, v := range r {
		t.values[i] = operand(v, &t.shown.Outputs[i].Column, t.clock)
	}
	keys := make([]any, len(t.shown.Groups))
	changed := len(keys)
	for i := range keys {
		keys[i] = t.shown.Groups[i].formula.Of(t.values)
		if i < changed && t.open && text(keys[i]) != text(t.keys[i]) {
			changed = i
		}
	}
	if t.open {
		closed = t.close(changed)
	} else {
		changed = 0
	}
	for level := changed; level < len(keys); level++ {
		opened = append(opened, Beginning{level, &t.shown.Groups[level], keys[level]})
	}
	t.keys, t.open = keys, true
	for i := range t.groups {
		t.groups[i].add(t.shown.Groups[i].Totals, t.values)
	}
	t.all.add(t.shown.Totals, t.values)
	if len(t.shown.Judged) > 0 {
		t.judged.add(t.shown.Judged, t.values)
	}
	if t.shown.Chart != nil {
		t.drawn.add(t.shown.Chart, t.values)
	}
	return closed, opened
}

// End returns the groups still open, the innermost first, and the totals.
func (t *Tally) End() ([]Subtotal, []TotalValue) {
	var closed []Subtotal
	if t.open {
		closed = t.close(0)
	}
	return closed, t.all.made(t.shown.Totals)
}

// Judged are the totals that are not shown, after End.
func (t *Tally) Judged() []any {
	values := make([]any, len(t.shown.Judged))
	for i, made := range t.judged.made(t.shown.Judged) {
		values[i] = made.Value
	}
	return values
}

// close ends the groups from a level on, the innermost first.
func (t *Tally) close(from int) []Subtotal {
	var closed []Subtotal
	for level := len(t.groups) - 1; level >= from; level-- {
		g := &t.shown.Groups[level]
		closed = append(closed, Subtotal{level, g.Label, g.Of, t.keys[level], g.column, t.groups[level].count, t.groups[level].made(g.Totals)})
		t.groups[level] = tally{kept: make([]accumulator, len(g.Totals))}
	}
	return closed
}

func (t *tally) add(totals []Total, values []any) {
	t.count++
	for i := range totals {
		if totals[i].where.Is() && totals[i].where.Of(values) != true {
			continue
		}
		a := &t.kept[i]
		if !totals[i].formula.Is() {
			a.count++
			continue
		}
		if v := totals[i].formula.Of(values); v != nil {
			a.add(totals[i].aggregate, v)
		}
	}
}

// add takes in a value.
func (a *accumulator) add(aggregate string, v any) {
	a.count++
	switch aggregate {
	case "count distinct":
		if a.distinct == nil {
			a.distinct = map[string]struct{}{}
		}
		a.distinct[text(v)] = struct{}{}
	case "least":
		if a.least == nil || less(v, a.least) {
			a.least = v
		}
	case "greatest":
		if a.greatest == nil || less(a.greatest, v) {
			a.greatest = v
		}
	default:
		if d, ok := v.(decimal.Decimal); ok {
			a.sum = a.sum.Add(d)
		}
	}
}

// made is what came of the values.
func (a *accumulator) made(aggregate string) any {
	switch {
	case aggregate == "count":
		return decimal.New(a.count, 0)
	case aggregate == "count distinct":
		return decimal.New(int64(len(a.distinct)), 0)
	case a.count == 0:
		return nil
	case aggregate == "sum":
		return a.sum
	case aggregate == "average":
		average, _ := criteria.Calculate('/', a.sum, decimal.New(a.count, 0))
		return average.Round(criteria.ShownPlaces)
	case aggregate == "least":
		return a.least
	}
	return a.greatest
}

func (t *tally) made(totals []Total) []TotalValue {
	out := make([]TotalValue, len(totals))
	for i, total := range totals {
		v := t.kept[i].made(total.aggregate)
		if v == nil && total.aggregate == "sum" && total.Partial() {
			v = decimal.Decimal{}
		}
		out[i] = TotalValue{total, v}
	}
	return out
}

// text is a value as a text that no other value has.
func text(v any) string {
	switch v := v.(type) {
	case nil:
		return "\x00"
	case string:
		return v
	case catalog.Stamp:
		return v.At.String() + v.Fraction + fmt.Sprint(v.Offset)
	}
	return fmt.Sprint(v)
}

// less orders two values of one kind.
func less(a, b any) bool {
	switch a := a.(type) {
	case decimal.Decimal:
		b, ok := b.(decimal.Decimal)
		return ok && a.LessThan(b)
	case catalog.Stamp:
		b, ok := b.(catalog.Stamp)
		if !ok {
			return false
		}
		if x, y := int(a.At)-a.Offset, int(b.At)-b.Offset; x != y {
			return x < y
		}
		return a.Fraction < b.Fraction
	case bool:
		b, ok := b.(bool)
		return ok && !a && b
	}
	return strings.Compare(text(a), text(b)) < 0
}
