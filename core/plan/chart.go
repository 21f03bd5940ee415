package plan

import (
	"slices"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
)

// MaxPoints is how many points a chart has at the most; records that would
// make more are counted as left out.
const MaxPoints = 2000

// Chart is what is drawn of the rows.
type Chart struct {
	// Kind is bars or lines.
	Kind  string
	X     Axis
	Y     Total
	Split *Axis // nil where nothing is told apart
}

// Axis is what records are told apart by in a chart.
type Axis struct {
	Label   string
	Column  catalog.Column
	formula Formula
}

// Point is one value of a chart: the total of the records that have X and
// Split in common.
type Point struct {
	X, Split any
	Y        TotalValue
}

func (b *binder) axis(e criteria.Expr, label string, index func(*criteria.Column) int) Axis {
	return Axis{label, computedColumn(b.compiled.Behind(e), criteria.TypeOf(e)), newFormula(e, b.calendar, index)}
}

// drawn is the points of a chart while rows pass.
type drawn struct {
	points  map[[2]string]*point
	leftOut int64
}

type point struct {
	x, split any
	made     tally
}

func (d *drawn) add(c *Chart, values []any) {
	x, split := c.X.formula.Of(values), any(nil)
	key := [2]string{text(x)}
	if c.Split != nil {
		split = c.Split.formula.Of(values)
		key[1] = text(split)
	}
	p := d.points[key]
	if p == nil {
		if len(d.points) == MaxPoints {
			d.leftOut++
			return
		}
		if d.points == nil {
			d.points = map[[2]string]*point{}
		}
		p = &point{x: x, split: split, made: tally{kept: make([]accumulator, 1)}}
		d.points[key] = p
	}
	p.made.add([]Total{c.Y}, values)
}

// Chart gives the points in the order of X and Split, blanks last, and how
// many records are not in them because there would be too many.
func (t *Tally) Chart() (points []Point, leftOut int64) {
	for _, p := range t.drawn.points {
		points = append(points, Point{p.x, p.split, p.made.made([]Total{t.shown.Chart.Y})[0]})
	}
	slices.SortFunc(points, func(a, b Point) int {
		if order := compare(a.X, b.X); order != 0 {
			return order
		}
		return compare(a.Split, b.Split)
	})
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
