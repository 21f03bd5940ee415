package plan

import (
	"slices"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/definition"
)

// MaxPoints is how many points a chart has at the most; records that would
// make more are counted as left out.
const MaxPoints = 2000

// Chart is what is drawn of the rows.
type Chart struct {
	definition.Chart
	X Axis
	// Ys are what is drawn, those against the second axis at the end.
	Ys []Total
	// Split and Panels are nil where nothing is told apart.
	Split, Panels *Axis
	units         units
}

// IsZero tells whether no records are zero rather than a gap in the first value.
func (c *Chart) IsZero() bool { return isZero(c.Ys[0], c.Empty) }

// Axis is what records are told apart by in a chart.
type Axis struct {
	Label   string
	Column  catalog.Column
	formula Formula
}

// Point is one place of a chart: the totals of the records that have X, Split and Panel in
// common.
type Point struct {
	X, Split, Panel any
	Ys              []TotalValue
}

func (b *binder) axis(e criteria.Expr, label string, index func(*criteria.Column) int) Axis {
	return Axis{label, *computedColumn(b.compiled.Behind(e), criteria.TypeOf(e)), newFormula(e, b.calendar, index)}
}

// drawn is the points of a chart while rows pass.
type drawn struct {
	points  map[[3]string]*point
	leftOut int64
}

type point struct {
	x, split, panel any
	made            tally
}

func (d *drawn) add(c *Chart, values []any) {
	p := point{x: c.X.formula.Of(values)}
	key := [3]string{text(p.x)}
	if c.Split != nil {
		p.split = c.Split.formula.Of(values)
		key[1] = text(p.split)
	}
	if c.Panels != nil {
		p.panel = c.Panels.formula.Of(values)
		key[2] = text(p.panel)
	}
	at := d.points[key]
	if at == nil {
		if len(d.points) == MaxPoints {
			d.leftOut++
			return
		}
		if d.points == nil {
			d.points = map[[3]string]*point{}
		}
		at = &p
		at.made = tally{kept: make([]accumulator, len(c.Ys))}
		d.points[key] = at
	}
	at.made.add(c.Ys, values)
}

// Chart gives the points in the order of X, Split and Panel, blanks last, and how
// many records are not in them because there would be too many. Units of time in which no
// record lies are points as well.
func (t *Tally) Chart() (points []Point, leftOut int64) {
	c := t.shown.Chart
	for _, p := range t.drawn.points {
		points = append(points, Point{p.x, p.split, p.panel, p.made.made(c.Ys)})
	}
	inOrder := func() {
		slices.SortFunc(points, func(a, b Point) int {
			for _, order := range []int{compare(a.X, b.X), compare(a.Split, b.Split)} {
				if order != 0 {
					return order
				}
			}
			return compare(a.Panel, b.Panel)
		})
	}
	inOrder()
	xs := make([]any, len(points))
	for i, p := range points {
		xs[i] = p.X
	}
	if missing := c.units.missing(xs); len(missing) > 0 && len(points)+len(missing) <= MaxPoints {
		for _, x := range missing {
			points = append(points, Point{x, points[0].Split, points[0].Panel, none(c.Ys, c.Empty)})
		}
		inOrder()
	}
	return points, t.drawn.leftOut
}

// compare orders two values, blanks last.
func compare(a, b any) int {
	switch {
	case a == nil && b == nil:
		return 0
	case a == nil:
		return 1
	case b == nil || less(a, b):
		return -1
	case less(b, a):
		return 1
	}
	return 0
}
