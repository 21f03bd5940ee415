// Package chart draws charts, on a page of paper or as a picture by itself. The scales and
// ticks are those of a plotting library; the marks are ours, so that they are the same
// wherever a chart is shown.
package chart

import (
	"image/color"
	"math"
	"slices"
	"strconv"
	"sync"

	xfont "golang.org/x/image/font"
	"golang.org/x/image/font/opentype"
	"gonum.org/v1/plot"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/text"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"

	"pikegate/internal/paper"
)

// Chart is what is drawn: values of series at the same places along the bottom.
type Chart struct {
	// Kind is bars, lines, areas or points.
	Kind string
	// Beside has bars of several series stand beside each other instead of on top.
	Beside bool
	// X, Y and Second are what the axes show; Second is blank where there is no second one.
	X, Y, Second string
	// Labels are the places along the bottom.
	Labels []string
	Panels []Panel
	// Number and SecondNumber write the numbers along the axes.
	Number, SecondNumber func(float64) string
	Description          string
	// Note stands behind the names of the series.
	Note string
}

// Panel is one of several drawings with the same axes, or all there is.
type Panel struct {
	Title  string
	Series []Series
}

// Series is values that belong together; NaN leaves a gap.
type Series struct {
	Name   string
	Values []float64
	// Second tells that it is drawn against the second axis.
	Second bool
	// Links are where its marks lead; nil where that is nowhere.
	Links []string
}

// link is where the i-th mark leads.
func (s Series) link(i int) string {
	if s.Links == nil {
		return ""
	}
	return s.Links[i]
}

// inks tell series apart, together with hatching and the shapes of points.
var inks = []color.NRGBA{
	{0x1f, 0x7a, 0x8c, 255},
	{0xc2, 0x6d, 0x1a, 255},
	{0x6a, 0x5a, 0xcd, 255},
	{0x4d, 0x8b, 0x31, 255},
	{0xb3, 0x41, 0x6b, 255},
	{0x7a, 0x6a, 0x2f, 255},
	{0x3a, 0x6e, 0xa5, 255},
	{0x8a, 0x4b, 0x3c, 255},
}

var glyphs = []draw.GlyphDrawer{draw.CircleGlyph{}, draw.BoxGlyph{}, draw.PyramidGlyph{}, draw.RingGlyph{}, draw.SquareGlyph{}, draw.TriangleGlyph{}, draw.PlusGlyph{}, draw.CrossGlyph{}}

func inkOf(i int) color.NRGBA { return inks[i%len(inks)] }

const (
	textSize = 8.0 // points
	gap      = 1.5 // millimetres
	swatch   = 3.0
)

// handler lays texts out in our letters.
var handler = sync.OnceValue(func() text.Handler {
	face, err := opentype.Parse(paper.Regular())
	if err != nil { // it is embedded
		panic(err)
	}
	return text.Plain{Fonts: font.NewCache(font.Collection{{Font: ourFont, Face: face}})}
})

var ourFont = font.Font{Typeface: "Paper", Variant: "Sans", Weight: xfont.WeightNormal}

func textStyle() text.Style {
	f := ourFont
	f.Size = textSize
	return text.Style{Font: f, Color: color.Black, Handler: handler()}
}

// Draw draws a chart so many millimetres wide and high.
func Draw(c Chart, width, height float64) paper.Page {
	page := paper.Page{Width: width, Height: height, Label: c.Description, IsPicture: !c.isLinked()}
	top := c.legend(&page)
	n := len(c.Panels)
	columns := 1
	for columns*columns < n {
		columns++
	}
	rows := (n + columns - 1) / max(columns, 1)
	// All panels have the same scales, so that they can be compared.
	low, high := c.extent(false)
	low2, high2 := c.extent(true)
	for i, panel := range c.Panels {
		part := paper.Page{Width: width / float64(columns), Height: (height - top) / float64(rows)}
		c.panel(&part, panel, low, high, low2, high2)
		page.Put(part, part.Width*float64(i%columns), top+part.Height*float64(i/columns))
	}
	return page
}

// isLinked tells whether marks lead somewhere, so that there is more than a picture.
func (c Chart) isLinked() bool {
	return slices.ContainsFunc(c.Panels, func(p Panel) bool {
		return slices.ContainsFunc(p.Series, func(s Series) bool { return s.Links != nil })
	})
}

// legend draws what tells series apart above the chart, and gives its height.
func (c Chart) legend(page *paper.Page) float64 {
	names := c.names()
	if len(names) < 2 && c.Note == "" {
		return 0
	}
	canvas := newCanvas(page)
	style := textStyle()
	x, y := gap, gap
	const line = 4.5
	for i, name := range names {
		wide := float64(style.Width(name)) * millimetre
		if x > gap && x+swatch+gap+wide > page.Width {
			x, y = gap, y+line
		}
		box := rectangle{x / millimetre, (page.Height - y - swatch) / millimetre, (x + swatch) / millimetre, (page.Height - y) / millimetre}
		if c.Kind == "lines" || c.Kind == "points" {
			c.glyph(canvas, i, vg.Point{X: vg.Length(box.x1+box.x2) / 2, Y: vg.Length(box.y1+box.y2) / 2})
		} else {
			fill(canvas, box, i)
		}
		page.Texts = append(page.Texts, paper.Text{X: x + swatch + gap, Y: y + swatch - 0.4, Text: name, Size: textSize, Width: wide})
		x += swatch + 2*gap + wide + gap
	}
	if c.Note != "" {
		page.Texts = append(page.Texts, paper.Text{X: x, Y: y + swatch - 0.4, Text: c.Note, Size: textSize, Width: float64(style.Width(c.Note)) * millimetre})
	}
	return y + line
}

// names are those of the series, in the order of their inks.
func (c Chart) names() (names []string) {
	seen := map[string]bool{}
	for _, p := range c.Panels {
		for _, s := range p.Series {
			if !seen[s.Name] {
				seen[s.Name] = true
				names = append(names, s.Name)
			}
		}
	}
	return names
}

// extent is the least and greatest value along an axis; bars and areas stand on zero.
func (c Chart) extent(second bool) (low, high float64) {
	low, high = math.Inf(1), math.Inf(-1)
	take := func(v float64) {
		if math.Abs(v) < hugest { // else there is no scale that has it
			low, high = min(low, v), max(high, v)
		}
	}
	for _, p := range c.Panels {
		for x := range c.Labels {
			above, below := 0.0, 0.0
			for _, s := range p.Series {
				v := s.Values[x]
				if s.Second != second || math.IsNaN(v) {
					continue
				}
				if !c.stacked() {
					take(v)
				} else if v >= 0 {
					above += v
				} else {
					below += v
				}
			}
			if c.stacked() {
				take(above)
				take(below)
			}
		}
	}
	if c.Kind == "bars" || c.Kind == "areas" {
		take(0)
	}
	switch {
	case low > high:
		return 0, 1
	case low == high && low == 0:
		return 0, 1
	case high-low <= 1e-9*max(math.Abs(low), math.Abs(high)) || high-low < 1/hugest:
		low, high = min(0, low), max(0, high)
	}
	if high-low < 1/hugest {
		return 0, 1
	}
	return low, high
}

// hugest is the greatest number that is drawn, and 1 of it the least.
const hugest = 1e200

func (c Chart) stacked() bool { return (c.Kind == "bars" || c.Kind == "areas") && !c.Beside }

// panel draws one drawing.
func (c Chart) panel(page *paper.Page, panel Panel, low, high, low2, high2 float64) {
	p := plot.New()
	p.TextHandler = handler()
	style := textStyle()
	for _, axis := range []*plot.Axis{&p.X, &p.Y} {
		axis.Label.TextStyle.Font, axis.Label.TextStyle.Handler = style.Font, style.Handler
		axis.Tick.Label.Font, axis.Tick.Label.Handler = style.Font, style.Handler
	}
	p.X.Tick.Length, p.Y.Tick.Length = vg.Points(3), vg.Points(4)
	p.Title.TextStyle.Font, p.Title.TextStyle.Handler = style.Font, style.Handler
	p.Title.Text = panel.Title
	p.BackgroundColor = color.Transparent
	p.X.Label.Text, p.Y.Label.Text = c.X, c.Y
	p.X.Min, p.X.Max = -0.5, float64(len(c.Labels))-0.5
	p.Y.Min, p.Y.Max = reach(low, high)
	p.Y.Tick.Marker = plot.ConstantTicks(ticks(p.Y.Min, p.Y.Max, c.Number))
	p.X.Tick.Marker = c.bottom(page.Width, style)
	marks := marks{chart: c, panel: panel, names: c.names()}
	second := c.Second != ""
	if second {
		low2, high2 = reach(low2, high2)
		marks.scale = func(v float64) float64 {
			return p.Y.Min + (v-low2)/(high2-low2)*(p.Y.Max-p.Y.Min)
		}
	}
	p.Add(grid{}, marks)
	whole := draw.NewCanvas(newCanvas(page), vg.Length(page.Width/millimetre), vg.Length(page.Height/millimetre))
	whole = draw.Crop(whole, gap/millimetre, -gap/millimetre, gap/millimetre, -gap/millimetre)
	if second {
		right := ticks(low2, high2, c.SecondNumber)
		wide := vg.Length(0)
		for _, t := range right {
			wide = max(wide, style.Width(t.Label))
		}
		inner := draw.Crop(whole, 0, -(wide + style.Height(c.Second) + 8), 0, 0)
		p.Draw(inner)
		c.right(p.DataCanvas(inner), whole, right, low2, high2, style)
		return
	}
	p.Draw(whole)
}

// step is how far the ticks of an axis are apart: 1, 2, 2.5 or 5 times a power of ten, so that
// there are about five.
func step(low, high float64) float64 {
	about := (high - low) / 5
	power := math.Pow(10, math.Floor(math.Log10(about)))
	for _, times := range []float64{1, 2, 2.5, 5} {
		if about <= times*power*(1+1e-9) {
			return times * power
		}
	}
	return 10 * power
}

// reach widens an axis to the ticks around it.
func reach(low, high float64) (float64, float64) {
	by := step(low, high)
	return by * math.Floor(low/by+1e-9), by * math.Ceil(high/by-1e-9)
}

// ticks are those of an axis, with their numbers as the column has them.
func ticks(low, high float64, number func(float64) string) (all []plot.Tick) {
	by := step(low, high)
	for i := range int(math.Round((high-low)/by)) + 1 {
		v := low + by*float64(i)
		v, _ = strconv.ParseFloat(strconv.FormatFloat(v, 'g', 12, 64), 64) // no more digits than there are
		all = append(all, plot.Tick{Value: v, Label: number(v)})
	}
	return all
}

// bottom are the places along the bottom, so many of them labelled as there is room for.
func (c Chart) bottom(width float64, style text.Style) plot.ConstantTicks {
	wide := 1.0
	for _, label := range c.Labels {
		wide = max(wide, float64(style.Width(label))*millimetre+2*gap)
	}
	room := max(width-25, 10)
	every := max(1, int(math.Ceil(float64(len(c.Labels))*wide/room)))
	var ticks plot.ConstantTicks
	for i, label := range c.Labels {
		t := plot.Tick{Value: float64(i)}
		if i%every == 0 {
			t.Label = label
			if label == "" {
				t.Label = " "
			}
		}
		ticks = append(ticks, t)
	}
	return ticks
}

// right draws the second axis at the right.
func (c Chart) right(data, whole draw.Canvas, ticks []plot.Tick, low, high float64, style text.Style) {
	line := draw.LineStyle{Color: color.Black, Width: vg.Points(0.5)}
	data.StrokeLine2(line, data.Max.X, data.Min.Y, data.Max.X, data.Max.Y)
	left := style
	left.XAlign, left.YAlign = text.XLeft, text.YCenter
	for _, t := range ticks {
		if t.Label == "" || t.Value < low-1e-9 || t.Value > high+1e-9 {
			continue
		}
		y := data.Min.Y + vg.Length((t.Value-low)/(high-low))*(data.Max.Y-data.Min.Y)
		data.StrokeLine2(line, data.Max.X, y, data.Max.X+4, y)
		whole.FillText(left, vg.Point{X: data.Max.X + 6, Y: y}, t.Label)
	}
	turned := style
	turned.Rotation, turned.XAlign, turned.YAlign = math.Pi/2, text.XCenter, text.YBottom
	whole.FillText(turned, vg.Point{X: whole.Max.X, Y: (data.Min.Y + data.Max.Y) / 2}, c.Second)
}
