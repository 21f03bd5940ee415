package plan

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/record"
)

// Across is what stands along the top of a table whose lines are groups.
type Across struct {
	Axis
	Of    []Total
	Empty string
	units units
	// made is what is made of each cell: what is shown, and what emphasis depends on.
	made     []Total
	emphasis []cellHighlight
}

// cellHighlight makes a cell stand out, by the values from a place on among what is made of it.
type cellHighlight struct {
	when *definition.Verdict
	from int
	as   record.Emphasis
}

// standsOut is how a cell stands out, given what was made of it.
func (a *Across) standsOut(made []TotalValue, calendar civil.Calendar) record.Emphasis {
	for _, h := range a.emphasis {
		values := make([]any, len(h.when.Totals))
		for i := range values {
			values[i] = made[h.from+i].Value
		}
		if h.when.Holds(values, calendar) {
			return h.as
		}
	}
	return 0
}

// How large such a table is at the most: it is kept until its end.
const (
	MaxAcross      = 400
	MaxAcrossLines = 20_000
)

// ErrAcross tells that a table would be too large.
var ErrAcross = errors.New("the table is too large")

// Cross is such a table while rows pass.
type Cross struct {
	shown    *Shown
	calendar civil.Calendar
	clock    *civil.Clock
	values   []any
	lines    []*crossLine
	at       map[string]*crossLine
	columns  map[string]any    // the values along the top
	totals   map[string]*tally // of each of them, over all lines
	all      tally
}

// crossLine is one line: what its groups have in common, its cells and its total.
type crossLine struct {
	keys  []any
	cells map[string]*tally
	all   tally
}

// NewCross begins a table; nil where there is none.
func (s *Shown) NewCross(calendar civil.Calendar) *Cross {
	if s.Across == nil {
		return nil
	}
	return &Cross{
		shown: s, calendar: calendar, clock: civil.NewClock(calendar.Zone), values: make([]any, len(s.Outputs)), at: map[string]*crossLine{}, columns: map[string]any{}, totals: map[string]*tally{},
		all: s.Across.empty(),
	}
}

func (a *Across) empty() tally { return tally{kept: make([]accumulator, len(a.made))} }

// Row takes in a record. The error tells that the table would be too large.
func (c *Cross) Row(r record.Record) error {
	for i, v := range r {
		c.values[i] = operand(v, &c.shown.Outputs[i].Column, c.clock)
	}
	keys, names := make([]any, len(c.shown.Groups)), make([]string, len(c.shown.Groups))
	for i, g := range c.shown.Groups {
		keys[i] = g.formula.Of(c.values)
		names[i] = text(keys[i])
	}
	name := strings.Join(names, "\x01")
	line := c.at[name]
	if line == nil {
		if len(c.lines) == MaxAcrossLines {
			return fmt.Errorf("%w: it has more than %d lines", ErrAcross, MaxAcrossLines)
		}
		line = &crossLine{keys: keys, cells: map[string]*tally{}, all: c.shown.Across.empty()}
		c.at[name], c.lines = line, append(c.lines, line)
	}
	top := c.shown.Across.formula.Of(c.values)
	key := text(top)
	if _, known := c.columns[key]; !known {
		if len(c.columns) == MaxAcross {
			return fmt.Errorf("%w: more than %d values stand along its top", ErrAcross, MaxAcross)
		}
		c.columns[key] = top
		made := c.shown.Across.empty()
		c.totals[key] = &made
	}
	cell := line.cells[key]
	if cell == nil {
		made := c.shown.Across.empty()
		cell = &made
		line.cells[key] = cell
	}
	for _, t := range []*tally{cell, &line.all, c.totals[key], &c.all} {
		t.add(c.shown.Across.made, c.values)
	}
	return nil
}

// CrossTable is the table at its end.
type CrossTable struct {
	// Outputs are its columns: the groups, then each value along the top, then the total.
	Outputs []Output
	Lines   []record.Record
	// Totals stand beneath the columns that they are of, by the names of these.
	Totals []TotalValue
	// Tops are the values along the top, of those outputs that IsTop tells of; Top is how
	// they are stored.
	Tops  []any
	IsTop []bool
	Top   catalog.Column
}

// End gives the table. Units of time without records have columns too.
func (c *Cross) End() CrossTable {
	a := c.shown.Across
	var tops []any
	for _, v := range c.columns {
		tops = append(tops, v)
	}
	if missing := a.units.missing(tops); len(tops)+len(missing) <= MaxAcross {
		tops = append(tops, missing...)
	}
	slices.SortFunc(tops, compare)
	t := CrossTable{Top: a.Column}
	add := func(o Output, top any, isTop bool) {
		o.Name = unusedName(t.Outputs, o.Name)
		t.Outputs, t.Tops, t.IsTop = append(t.Outputs, o), append(t.Tops, top), append(t.IsTop, isTop)
	}
	for _, g := range c.shown.Groups {
		o := Output{Name: g.Of, Label: g.Label, Type: g.column.Type, Column: g.column}
		if i := slices.IndexFunc(c.shown.Outputs, func(o Output) bool { return g.Of != "" && o.Name == g.Of }); i >= 0 {
			o.Format, o.Words = c.shown.Outputs[i].Format, c.shown.Outputs[i].Words
		}
		if o.Name == "" {
			o.Name = strings.ToLower(g.Label)
		}
		add(o, nil, false)
	}
	measures := func(name, label string, top any, isTop bool) {
		for _, of := range a.Of {
			o := Output{Name: name, Label: label, Type: of.Type(), Format: of.Format, Column: of.Column}
			if len(a.Of) > 1 {
				o.Name, o.Label = name+" "+of.Name, strings.TrimSpace(label+" "+of.Label)
			}
			add(o, top, isTop)
		}
	}
	for _, top := range tops { // whoever shows it puts the value before its label
		measures(topName(top), "", top, true)
	}
	measures("total", "Total", nil, false)
	made := func(keys []any, cells func(key string) *tally, all *tally) (r record.Record, totals []TotalValue) {
		for _, k := range keys {
			r = append(r, record.Computed(k))
		}
		take := func(values []TotalValue, as record.Emphasis) {
			for _, v := range values[:len(a.Of)] {
				value := record.Computed(v.Value)
				value.Emphasis = as
				r, totals = append(r, value), append(totals, v)
			}
		}
		for _, top := range tops {
			if cell := cells(text(top)); cell != nil {
				values := cell.made(a.made)
				take(values, a.standsOut(values, c.calendar))
			} else {
				take(none(a.Of, a.Empty), 0)
			}
		}
		take(all.made(a.made), 0)
		return r, totals
	}
	for _, line := range c.lines {
		r, _ := made(line.keys, func(key string) *tally { return line.cells[key] }, &line.all)
		t.Lines = append(t.Lines, r)
	}
	_, totals := made(nil, func(key string) *tally { return c.totals[key] }, &c.all)
	for i, total := range totals {
		total.Of = t.Outputs[len(c.shown.Groups)+i].Name
		t.Totals = append(t.Totals, total)
	}
	return t
}

// topName is the name of a column of a value along the top, for programs.
func topName(top any) string {
	if top == nil {
		return "blank"
	}
	if s, ok := top.(catalog.Stamp); ok {
		return string(s.AppendTo(nil, &catalog.Column{Type: catalog.Date, Encoding: catalog.EncISODate}, 'T'))
	}
	return fmt.Sprint(top)
}

// unusedName is a name that no column has yet.
func unusedName(outputs []Output, name string) string {
	made := name
	for n := 2; slices.ContainsFunc(outputs, func(o Output) bool { return o.Name == made }); n++ {
		made = fmt.Sprint(name, " ", n)
	}
	return made
}
