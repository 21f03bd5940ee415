package chart

import (
	"image/color"
	"math"
	"slices"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// grid is the faint lines that values are read by.
type grid struct{}

func (grid) Plot(c draw.Canvas, p *plot.Plot) {
	_, y := p.Transforms(&c)
	style := draw.LineStyle{Color: color.Gray{Y: 0xdd}, Width: vg.Points(0.4)}
	for _, t := range p.Y.Tick.Marker.Ticks(p.Y.Min, p.Y.Max) {
		if at := y(t.Value); t.Label != "" && c.ContainsY(at) {
			c.StrokeLine2(style, c.Min.X, at, c.Max.X, at)
		}
	}
}

// marks are the bars, lines, areas or points of a panel.
type marks struct {
	chart Chart
	panel Panel
	names []string
	// scale turns values of the second axis into those of the first.
	scale func(float64) float64
}

func (m marks) Plot(c draw.Canvas, p *plot.Plot) {
	x, y := p.Transforms(&c)
	at := func(s Series, i int) (float64, bool) {
		v := s.Values[i]
		if s.Second && m.scale != nil {
			v = m.scale(v)
		}
		return v, math.Abs(s.Values[i]) < hugest // NaN is not, either
	}
	n := len(m.chart.Labels)
	above, below := make([]float64, n), make([]float64, n)
	base := min(max(0, p.Y.Min), p.Y.Max)
	for k, s := range m.panel.Series {
		ink := slices.Index(m.names, s.Name)
		kind := m.chart.Kind
		if s.Second && kind == "bars" {
			kind = "lines" // else they would hide each other
		}
		switch kind {
		case "bars":
			for i := range n {
				v, ok := at(s, i)
				if !ok || v == 0 {
					continue
				}
				left, right, from := float64(i)-0.4, float64(i)+0.4, base
				if m.chart.stacked() {
					stack := &above[i]
					if v < 0 {
						stack = &below[i]
					}
					from, v = *stack, *stack+v
					*stack = v
				} else {
					wide := 0.8 / float64(len(m.panel.Series))
					left += wide * float64(k)
					right = left + wide
				}
				titled(c, m.said(s, i), s.link(i))
				fill(c, rectangle{float64(x(left)), float64(y(min(from, v))), float64(x(right)), float64(y(max(from, v)))}, ink)
			}
			titled(c, "", "")
		case "areas":
			m.area(c, s, ink, base, above, at, x, y)
		default:
			m.line(c, s, ink, kind == "lines", at, x, y)
		}
	}
}

// said is a mark in words.
func (m marks) said(s Series, i int) string {
	number := m.chart.Number
	if s.Second {
		number = m.chart.SecondNumber
	}
	text := m.chart.Labels[i] + ": " + number(s.Values[i])
	if len(m.names) > 1 {
		text = m.chart.Labels[i] + ", " + s.Name + ": " + number(s.Values[i])
	}
	return text
}

// area draws what lies between a series and the one beneath it.
func (m marks) area(c draw.Canvas, s Series, ink int, base float64, above []float64, at func(Series, int) (float64, bool), x, y func(float64) vg.Length) {
	stacked := m.chart.stacked() && !s.Second
	for i := 0; i < len(s.Values); {
		if _, ok := at(s, i); !ok {
			i++
			continue
		}
		var upper, lower []vg.Point
		for ; i < len(s.Values); i++ {
			v, ok := at(s, i)
			if !ok {
				break
			}
			from := base
			if stacked {
				from, v = above[i], above[i]+v
				above[i] = v
			}
			upper, lower = append(upper, vg.Point{X: x(float64(i)), Y: y(v)}), append(lower, vg.Point{X: x(float64(i)), Y: y(from)})
		}
		slices.Reverse(lower)
		colour := inkOf(ink)
		if !stacked { // the others shine through
			c.StrokeLines(draw.LineStyle{Color: colour, Width: vg.Points(1.6)}, upper)
			continue
		}
		c.FillPolygon(paler(colour), append(slices.Clone(upper), lower...))
		c.StrokeLines(draw.LineStyle{Color: colour, Width: vg.Points(1.2)}, upper)
	}
}

// line draws the points of a series, and lines between those that have no gap between them.
func (m marks) line(c draw.Canvas, s Series, ink int, joined bool, at func(Series, int) (float64, bool), x, y func(float64) vg.Length) {
	var run []vg.Point
	from := 0
	end := func() {
		if joined && len(run) > 1 {
			style := draw.LineStyle{Color: inkOf(ink), Width: vg.Points(1.4)}
			if s.Second {
				style.Dashes = []vg.Length{vg.Points(4), vg.Points(2)}
			}
			c.StrokeLines(style, run)
		}
		if !joined || len(s.Values) <= 80 || len(run) == 1 {
			for k, p := range run {
				titled(c, m.said(s, from+k), s.link(from+k))
				m.chart.glyph(c.Canvas, ink, p)
			}
			titled(c, "", "")
		}
		run = nil
	}
	for i := range s.Values {
		if v, ok := at(s, i); ok {
			if run == nil {
				from = i
			}
			run = append(run, vg.Point{X: x(float64(i)), Y: y(v)})
		} else {
			end()
		}
	}
	end()
}

// glyph draws a point in the shape of its series.
func (c Chart) glyph(on vg.Canvas, series int, p vg.Point) {
	whole := draw.Canvas{Canvas: on}
	whole.Rectangle = vg.Rectangle{Min: vg.Point{X: -1e6, Y: -1e6}, Max: vg.Point{X: 1e6, Y: 1e6}}
	whole.DrawGlyph(draw.GlyphStyle{Color: inkOf(series), Radius: vg.Points(2), Shape: glyphs[series%len(glyphs)]}, p)
}

// rectangle is in points from the lower left.
type rectangle struct{ x1, y1, x2, y2 float64 }

// fill draws a rectangle in the ink of a series; all but the first are hatched as well, so
// that they differ in more than their colour.
func fill(c vg.Canvas, r rectangle, series int) {
	var p vg.Path
	for i, at := range []vg.Point{{X: vg.Length(r.x1), Y: vg.Length(r.y1)}, {X: vg.Length(r.x2), Y: vg.Length(r.y1)}, {X: vg.Length(r.x2), Y: vg.Length(r.y2)}, {X: vg.Length(r.x1), Y: vg.Length(r.y2)}} {
		if i == 0 {
			p.Move(at)
		} else {
			p.Line(at)
		}
	}
	p.Close()
	ink := inkOf(series)
	c.SetColor(ink)
	c.Fill(p)
	hatch(c, r, series)
}

// hatch draws white lines across a rectangle: rising, falling or level, by the series.
func hatch(c vg.Canvas, r rectangle, series int) {
	way := series % 4
	if way == 0 || (r.x2-r.x1)*(r.y2-r.y1) > 1e6 {
		return
	}
	const apart = 5.0
	c.SetColor(color.White)
	c.SetLineWidth(vg.Points(0.6))
	c.SetLineDash(nil, 0)
	stroke := func(x1, y1, x2, y2 float64) {
		var p vg.Path
		p.Move(vg.Point{X: vg.Length(x1), Y: vg.Length(y1)})
		p.Line(vg.Point{X: vg.Length(x2), Y: vg.Length(y2)})
		c.Stroke(p)
	}
	wide, high := r.x2-r.x1, r.y2-r.y1
	if way == 3 {
		for y := apart / 2; y < high; y += apart {
			stroke(r.x1, r.y1+y, r.x2, r.y1+y)
		}
		return
	}
	for d := apart / 2; d < wide+high; d += apart { // from the left or lower edge to the right or upper one
		x1, y1 := max(0, d-high), min(d, high)
		x2, y2 := min(d, wide), max(0, d-wide)
		if way == 1 {
			stroke(r.x1+x1, r.y1+y1, r.x1+x2, r.y1+y2)
		} else {
			stroke(r.x2-x1, r.y1+y1, r.x2-x2, r.y1+y2)
		}
	}
}

// paler is an ink mixed with white.
func paler(c color.NRGBA) color.NRGBA {
	mix := func(v uint8) uint8 { return uint8((int(v) + 2*255) / 3) }
	return color.NRGBA{mix(c.R), mix(c.G), mix(c.B), 255}
}
