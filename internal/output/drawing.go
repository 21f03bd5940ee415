package output

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/format"
	"pikegate/core/plan"
	"pikegate/internal/chart"
	"pikegate/internal/paper"
)

// Chart is what is drawn of the records.
type Chart struct {
	Kind    string    `json:"kind" enum:"bars,lines,areas,points" doc:"What is drawn"`
	X       string    `json:"x" doc:"What stands along the bottom"`
	Y       string    `json:"y" doc:"What is drawn"`
	Split   string    `json:"split,omitempty" doc:"What tells lines, or parts of a bar, apart"`
	Panels  string    `json:"panels,omitempty" doc:"What has a drawing of its own for each of its values"`
	Beside  bool      `json:"beside,omitempty" doc:"Whether bars or areas stand beside each other instead of on top"`
	Zero    bool      `json:"zero,omitempty" doc:"Whether a part that a place has no point of is zero rather than a gap"`
	Type    string    `json:"type,omitempty" doc:"What the values along the bottom are"`
	Format  string    `json:"format,omitempty" doc:"How its numbers are shown, as the column that they are of"`
	More    []Measure `json:"more,omitempty" maxItems:"7" doc:"What else is drawn"`
	Link    *Link     `json:"link,omitempty" doc:"Where its marks lead; the columns of its answers are the three things that tell them apart, as the report writes them"`
	Names   []string  `json:"names,omitempty" maxItems:"3" doc:"What stands along the bottom, tells parts apart and has drawings of its own, as the report writes it"`
	Base    string    `json:"-"` // the address of the service for people
	Points  []Point   `json:"points" maxItems:"2000"`
	LeftOut int64     `json:"left_out,omitempty" doc:"How many records are not drawn because there would be too many points"`
}

// Measure is a further value that a chart draws.
type Measure struct {
	Label  string `json:"label" doc:"What people read"`
	Format string `json:"format,omitempty" doc:"How its numbers are shown"`
	Second bool   `json:"second,omitempty" doc:"Whether it is drawn against an axis of its own at the right"`
}

// Point is one value of a chart.
type Point struct {
	X     any   `json:"x" doc:"Text, number, true or false, or null where blank"`
	Split any   `json:"split,omitempty"`
	Panel any   `json:"panel,omitempty"`
	Y     any   `json:"y" doc:"A number, or null where there was nothing to make it of"`
	More  []any `json:"more,omitempty" doc:"The further values, in their order"`
}

// ChartOf is a chart as it is shown.
func ChartOf(c *plan.Chart, points []plan.Point, leftOut int64) *Chart {
	first := c.Ys[0]
	out := &Chart{
		Kind: c.Kind, X: c.X.Label, Y: first.Label, Beside: c.Beside, Zero: c.IsZero(), Type: string(c.X.Column.Type), Format: first.Format,
		Points: make([]Point, len(points)), LeftOut: leftOut,
	}
	out.Names = []string{c.Chart.X.Value, c.Chart.Split.Value, c.Chart.Panels.Value}
	for i, y := range c.Ys[1:] {
		out.More = append(out.More, Measure{y.Label, y.Format, i >= len(c.Also)})
	}
	for i, p := range points {
		made := Point{X: shown(p.X, &c.X.Column, ""), Y: shown(p.Ys[0].Value, &first.Column, first.Format)}
		for k, y := range p.Ys[1:] {
			made.More = append(made.More, shown(y.Value, &c.Ys[k+1].Column, y.Format))
		}
		if c.Split != nil {
			made.Split = shown(p.Split, &c.Split.Column, "")
		}
		if c.Panels != nil {
			made.Panel = shown(p.Panel, &c.Panels.Column, "")
		}
		out.Points[i] = made
	}
	if c.Split != nil {
		out.Split = c.Split.Label
	}
	if c.Panels != nil {
		out.Panels = c.Panels.Label
	}
	return out
}

// Description says what a chart shows, for those who do not see it.
func (c *Chart) Description() string {
	var b strings.Builder
	b.WriteString(map[string]string{"bars": "Bars", "lines": "Lines", "areas": "Areas", "points": "Points"}[c.Kind] + " of " + c.Y)
	for _, m := range c.More {
		b.WriteString(", " + m.Label)
	}
	b.WriteString(" by " + c.X)
	if c.Split != "" {
		b.WriteString(", split by " + c.Split)
	}
	if c.Panels != "" {
		b.WriteString(", for each " + c.Panels)
	}
	low, high := math.Inf(1), math.Inf(-1)
	var lowAt, highAt any
	for _, p := range c.Points {
		if v, ok := numberOf(p.Y); ok {
			if v < low {
				low, lowAt = v, p.X
			}
			if v > high {
				high, highAt = v, p.X
			}
		}
	}
	if high > math.Inf(-1) {
		fmt.Fprintf(&b, ". From %v (%v) to %v (%v)", plainNumber(low), orBlank(lowAt), plainNumber(high), orBlank(highAt))
	}
	return b.String() + "."
}

func plainNumber(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

// numberOf is a value of a chart as a binary fraction, which is all that a drawing needs.
func numberOf(v any) (float64, bool) {
	var digits string
	switch v := v.(type) {
	case json.Number:
		digits = v.String()
	case float64:
		return v, true
	case string:
		digits = v
	default:
		return 0, false
	}
	n, err := strconv.ParseFloat(digits, 64)
	return n, err == nil && !math.IsInf(n, 0) && !math.IsNaN(n)
}

// Draw draws a chart for a place, so many millimetres wide and high.
func (c *Chart) Draw(place format.Place, width, height float64) paper.Page {
	bottom := place.Of(catalog.Type(c.Type), "", format.Words{})
	label := func(v any) string {
		if v == nil {
			return "blank"
		}
		return paper.Printable(showAs(bottom, v))
	}
	text := func(v any) string {
		if v == nil {
			return "blank"
		}
		return paper.Printable(showAs(format.Column{}, v))
	}
	number := func(form string) func(float64) string {
		column := place.Of(catalog.Decimal, form, format.Words{})
		return func(v float64) string { return column.Number(strconv.FormatFloat(v, 'f', -1, 64)) }
	}
	d := chart.Chart{Kind: c.Kind, Beside: c.Beside, X: paper.Printable(c.X), Y: paper.Printable(c.Y), Number: number(c.Format), Description: c.Description()}
	for _, m := range c.More {
		if m.Second && d.Second == "" {
			d.Second, d.SecondNumber = paper.Printable(m.Label), number(m.Format)
		}
	}
	places := map[string]int{}
	for _, p := range c.Points {
		if name := label(p.X); !isIn(places, name) {
			places[name] = len(d.Labels)
			d.Labels = append(d.Labels, name)
		}
	}
	empty := math.NaN()
	if c.Zero {
		empty = 0
	}
	left := map[string]bool{} // what there is no room for
	series := func(panel *chart.Panel, name string, second bool) *chart.Series {
		at := slices.IndexFunc(panel.Series, func(s chart.Series) bool { return s.Name == name })
		if at < 0 {
			if at = len(panel.Series); at == mostSeries {
				left[name] = true
				return &chart.Series{Values: make([]float64, len(d.Labels))}
			}
			values := slices.Repeat([]float64{empty}, len(d.Labels))
			panel.Series = append(panel.Series, chart.Series{Name: name, Values: values, Second: second})
		}
		return &panel.Series[at]
	}
	for _, p := range c.Points {
		title := ""
		if c.Panels != "" {
			title = text(p.Panel)
		}
		at := slices.IndexFunc(d.Panels, func(other chart.Panel) bool { return other.Title == title })
		if at < 0 {
			if at = len(d.Panels); at == mostPanels {
				left[title] = true
				continue
			}
			d.Panels = append(d.Panels, chart.Panel{Title: title})
		}
		address := c.address(p)
		put := func(name string, second bool, y any) {
			v, ok := numberOf(y)
			if !ok {
				v = math.NaN()
			}
			s := series(&d.Panels[at], name, second)
			s.Values[places[label(p.X)]] = v
			if address != "" {
				if s.Links == nil {
					s.Links = make([]string, len(d.Labels))
				}
				s.Links[places[label(p.X)]] = address
			}
		}
		if c.Split != "" {
			put(text(p.Split), false, p.Y)
		} else {
			put(d.Y, false, p.Y)
		}
		for i, m := range c.More {
			if i < len(p.More) {
				put(paper.Printable(m.Label), m.Second, p.More[i])
			}
		}
	}
	if len(left) > 0 {
		d.Note = Counted(int64(len(left)), "more is not drawn", "more are not drawn")
	}
	return chart.Draw(d, width, height)
}

// What one drawing has room for; nobody could tell more of them apart.
const (
	mostSeries = 40
	mostPanels = 36
)

// address is where a mark leads, blank where that is nowhere.
func (c *Chart) address(p Point) string {
	if c.Link == nil || c.Base == "" {
		return ""
	}
	return c.Base + c.Link.Address(func(column string) any {
		for i, v := range []any{p.X, p.Split, p.Panel} {
			if i < len(c.Names) && c.Names[i] == column {
				return v
			}
		}
		return nil
	})
}

func isIn(m map[string]int, key string) bool {
	_, ok := m[key]
	return ok
}

// Lengths of a chart, in millimetres.
const (
	chartHeight = 85.0
	chartGap    = 4.0
)

// chart is the chart of a report as it stands on paper; none where there is nothing to draw.
func (p *pagesWriter) chart(s Summary) []block {
	if s.Chart == nil || len(s.Chart.Points) == 0 || p.header.Page.Chart == "none" {
		return nil
	}
	drawing := s.Chart.Draw(p.header.Place(), p.room(), min(chartHeight, p.header.Page.Height-2*pageMargin-footHeight-30))
	return []block{{drawing.Height + chartGap, func(page *paper.Page, top float64) { page.Put(drawing, pageMargin, top) }}}
}
