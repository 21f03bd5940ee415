package chart

import (
	"image"
	"image/color"
	"math"

	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"

	"pikegate/internal/paper"
)

// canvas takes what the plotting library draws down as shapes and texts on a page.
type canvas struct {
	page  *paper.Page
	state state
	saved []state
	// title is what the next area stands for, link where it leads.
	title, link string
}

// state is how the next thing is drawn.
type state struct {
	width  vg.Length
	dashes []float64
	ink    paper.Ink
	clear  bool // drawn in nothing
	// The point x, y is drawn at ax + cy + e, bx + dy + f, in millimetres from the upper left.
	a, b, c, d, e, f float64
}

// millimetre is a point of the library in millimetres.
const millimetre = 25.4 / 72

func newCanvas(page *paper.Page) *canvas {
	return &canvas{page: page, state: state{width: 1, a: millimetre, d: -millimetre, f: page.Height}}
}

func (c *canvas) at(p vg.Point) (x, y float64) {
	s := &c.state
	return s.a*float64(p.X) + s.c*float64(p.Y) + s.e, s.b*float64(p.X) + s.d*float64(p.Y) + s.f
}

func (c *canvas) SetLineWidth(w vg.Length) { c.state.width = w }

func (c *canvas) SetLineDash(pattern []vg.Length, _ vg.Length) {
	c.state.dashes = nil
	for _, l := range pattern {
		c.state.dashes = append(c.state.dashes, float64(l)*millimetre)
	}
}

func (c *canvas) SetColor(col color.Color) {
	c.state.ink, c.state.clear = paper.Ink{}, false
	if col == nil {
		return
	}
	r, g, b, a := col.RGBA()
	c.state.ink, c.state.clear = paper.Ink{R: uint8(r >> 8), G: uint8(g >> 8), B: uint8(b >> 8)}, a == 0
}

func (c *canvas) Rotate(rad float64) {
	s := &c.state
	sin, cos := math.Sincos(rad)
	s.a, s.b, s.c, s.d = s.a*cos+s.c*sin, s.b*cos+s.d*sin, s.c*cos-s.a*sin, s.d*cos-s.b*sin
}

func (c *canvas) Translate(p vg.Point) { c.state.e, c.state.f = c.at(p) }

func (c *canvas) Scale(x, y float64) {
	s := &c.state
	s.a, s.b, s.c, s.d = s.a*x, s.b*x, s.c*y, s.d*y
}

func (c *canvas) Push() { c.saved = append(c.saved, c.state) }

func (c *canvas) Pop() {
	c.state = c.saved[len(c.saved)-1]
	c.saved = c.saved[:len(c.saved)-1]
}

func (c *canvas) Stroke(p vg.Path) {
	if c.state.width > 0 && !c.state.clear {
		ink := c.state.ink
		c.page.Shapes = append(c.page.Shapes, paper.Shape{Steps: c.steps(p), Stroke: &ink, Width: float64(c.state.width) * millimetre, Dashes: c.state.dashes})
	}
}

func (c *canvas) Fill(p vg.Path) {
	if !c.state.clear {
		ink := c.state.ink
		c.page.Shapes = append(c.page.Shapes, paper.Shape{Steps: c.steps(p), Fill: &ink, Title: c.title, Link: c.link})
	}
}

// titled has what is drawn until the next call stand for something.
func titled(c vg.Canvas, title, link string) {
	for d, wraps := c.(draw.Canvas); wraps; d, wraps = c.(draw.Canvas) {
		c = d.Canvas
	}
	if own, ok := c.(*canvas); ok {
		own.title, own.link = title, link
	}
}

func (c *canvas) steps(p vg.Path) (steps []paper.Step) {
	var x, y float64
	to := func(kind paper.StepKind, at vg.Point) {
		x, y = c.at(at)
		steps = append(steps, paper.Step{Kind: kind, X: x, Y: y})
	}
	for _, part := range p {
		switch part.Type {
		case vg.MoveComp:
			to(paper.MoveTo, part.Pos)
		case vg.LineComp:
			to(paper.LineTo, part.Pos)
		case vg.CloseComp:
			steps = append(steps, paper.Step{Kind: paper.Close})
		case vg.CurveComp:
			step := paper.Step{Kind: paper.CurveTo}
			x1, y1 := c.at(part.Control[0])
			x2, y2 := x1, y1
			if len(part.Control) > 1 {
				x2, y2 = c.at(part.Control[1])
			}
			step.X1, step.Y1, step.X2, step.Y2 = x1, y1, x2, y2
			step.X, step.Y = c.at(part.Pos)
			x, y = step.X, step.Y
			steps = append(steps, step)
		case vg.ArcComp: // in pieces so short that nobody sees their corners
			const pieces = 24
			for i := range pieces + 1 {
				sin, cos := math.Sincos(part.Start + part.Angle*float64(i)/pieces)
				kind := paper.LineTo
				if len(steps) == 0 {
					kind = paper.MoveTo
				}
				to(kind, vg.Point{X: part.Pos.X + part.Radius*vg.Length(cos), Y: part.Pos.Y + part.Radius*vg.Length(sin)})
			}
		}
	}
	return steps
}

func (c *canvas) FillString(f font.Face, p vg.Point, text string) {
	if f.Font.Size == 0 || text == "" {
		return
	}
	x, y := c.at(p)
	c.page.Texts = append(c.page.Texts, paper.Text{
		X: x, Y: y, Text: text, Size: float64(f.Font.Size), Width: float64(f.Width(text)) * millimetre, Ink: c.state.ink,
		Turned: -math.Atan2(c.state.b, c.state.a) * 180 / math.Pi,
	})
}

// DrawImage draws nothing: there are no pictures in our charts.
func (c *canvas) DrawImage(vg.Rectangle, image.Image) {}
