// Package paper is pages of what was laid out: texts, lines and shapes at their places, in
// millimetres from the upper left corner. Two writers draw them alike, as PDF and as SVG.
package paper

// Page is one page, or a drawing by itself.
type Page struct {
	Width, Height float64
	// Label says what the page is, for those who do not see it; IsPicture that there is
	// nothing to be read in it besides.
	Label     string
	IsPicture bool

	Shapes []Shape
	Lines  []Line
	Texts  []Text
}

// Ink is a colour; the zero one is black.
type Ink struct{ R, G, B uint8 }

// Text is a text on one line.
type Text struct {
	// X and Y are where its baseline begins.
	X, Y float64
	Text string
	// Size is that of its letters, in points; Width what they take.
	Size, Width float64
	Bold        bool
	Ink         Ink
	// Turned is by how many degrees it is turned against the clock.
	Turned float64
	// Link is an address it leads to, blank for none.
	Link string
}

// Line is a straight line.
type Line struct {
	X1, Y1, X2, Y2, Width float64
	Ink                   Ink
}

// Shape is an area, or the line around it.
type Shape struct {
	Steps []Step
	// Fill and Stroke are nil where it is not filled or has no line.
	Fill, Stroke *Ink
	Width        float64
	// Dashes are the lengths of what is drawn and left out in turn.
	Dashes []float64
	// Title says what the shape stands for, blank where it is only drawn.
	Title string
	// Link is an address it leads to, blank for none.
	Link string
}

// Step leads to a point: by nothing, a line, a cubic curve, or back to where the shape began.
type Step struct {
	Kind StepKind
	// X and Y are the point; the others steer a curve.
	X, Y, X1, Y1, X2, Y2 float64
}

// StepKind is how a step leads to its point.
type StepKind uint8

// The kinds of steps.
const (
	MoveTo StepKind = iota
	LineTo
	CurveTo
	Close
)

// Put puts a drawing onto a page, its upper left corner at a place.
func (p *Page) Put(drawing Page, x, y float64) {
	for _, s := range drawing.Shapes {
		steps := make([]Step, len(s.Steps))
		for i, step := range s.Steps {
			steps[i] = Step{step.Kind, step.X + x, step.Y + y, step.X1 + x, step.Y1 + y, step.X2 + x, step.Y2 + y}
		}
		s.Steps = steps
		p.Shapes = append(p.Shapes, s)
	}
	for _, l := range drawing.Lines {
		l.X1, l.Y1, l.X2, l.Y2 = l.X1+x, l.Y1+y, l.X2+x, l.Y2+y
		p.Lines = append(p.Lines, l)
	}
	for _, t := range drawing.Texts {
		t.X, t.Y = t.X+x, t.Y+y
		p.Texts = append(p.Texts, t)
	}
}

// bounds is the least rectangle around the points of a shape.
func (s Shape) bounds() (x1, y1, x2, y2 float64) {
	for i, step := range s.Steps {
		switch {
		case step.Kind == Close:
		case i == 0:
			x1, y1, x2, y2 = step.X, step.Y, step.X, step.Y
		default:
			x1, y1, x2, y2 = min(x1, step.X), min(y1, step.Y), max(x2, step.X), max(y2, step.Y)
		}
	}
	return x1, y1, x2, y2
}
