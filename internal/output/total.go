package output

import (
	"encoding/json"

	"pikegate/core/catalog"
	"pikegate/core/plan"
)

// Total is one value made of many records.
type Total struct {
	Name   string       `json:"name" doc:"As the report names it, such as sum of toll"`
	Label  string       `json:"label" doc:"What people read"`
	Of     string       `json:"of,omitempty" doc:"The column it is made of, under which it stands"`
	Type   catalog.Type `json:"type,omitempty" doc:"What its value is"`
	Format string       `json:"format,omitempty" doc:"How its value is shown, as the column that it is of"`
	Value  any          `json:"value" doc:"A number or text, or null where there was nothing to make it of"`
	// partial tells that it is made of some of the records.
	partial bool
}

// Subtotal closes a group of records, which stand before it.
type Subtotal struct {
	Level  int          `json:"level" doc:"0 for the outermost group"`
	Label  string       `json:"label" doc:"What the records are put together by"`
	Of     string       `json:"of,omitempty" doc:"The column, where they are put together by one"`
	Type   catalog.Type `json:"type,omitempty" doc:"What the value is"`
	Value  any          `json:"value" doc:"What the records of the group have in common"`
	Count  int64        `json:"count" doc:"How many records the group has"`
	Totals []Total      `json:"totals"`
}

// SubtotalOf is a subtotal as it is shown.
func SubtotalOf(s plan.Subtotal) Subtotal {
	return Subtotal{s.Level, s.Label, s.Of, s.Column.Type, shown(s.Value, &s.Column, ""), s.Count, TotalsOf(s.Totals)}
}

// TotalsOf are totals as they are shown.
func TotalsOf(made []plan.TotalValue) []Total {
	totals := make([]Total, len(made))
	for i, m := range made {
		totals[i] = Total{m.Name, m.Label, m.Of, m.Type(), m.Format, shown(m.Value, &m.Column, m.Format), m.Partial()}
	}
	return totals
}

// shown is a worked-out value as JSON takes it.
func shown(v any, column *catalog.Column, format string) any {
	b, k := appendValue(nil, v, column, format)
	switch k {
	case blank:
		return nil
	case number:
		return json.Number(b)
	case boolean:
		return v
	}
	return string(b)
}

// Chart is what is drawn of the records.
type Chart struct {
	Kind    string  `json:"kind" enum:"bars,lines" doc:"What is drawn"`
	X       string  `json:"x" doc:"What stands along the bottom"`
	Y       string  `json:"y" doc:"What is drawn"`
	Split   string  `json:"split,omitempty" doc:"What tells lines, or parts of a bar, apart"`
	Format  string  `json:"format,omitempty" doc:"How its numbers are shown, as the column that they are of"`
	Points  []Point `json:"points"`
	LeftOut int64   `json:"left_out,omitempty" doc:"How many records are not drawn because there would be too many points"`
}

// Point is one value of a chart.
type Point struct {
	X     any `json:"x" doc:"Text, number, true or false, or null where blank"`
	Split any `json:"split,omitempty"`
	Y     any `json:"y" doc:"A number, or null where there was nothing to make it of"`
}

// ChartOf is a chart as it is shown.
func ChartOf(c *plan.Chart, points []plan.Point, leftOut int64) *Chart {
	out := &Chart{Kind: c.Kind, X: c.X.Label, Y: c.Y.Label, Format: c.Y.Format, Points: make([]Point, len(points)), LeftOut: leftOut}
	for i, p := range points {
		made := Point{X: shown(p.X, &c.X.Column, ""), Y: shown(p.Y.Value, &c.Y.Column, c.Y.Format)}
		if c.Split != nil {
			made.Split = shown(p.Split, &c.Split.Column, "")
		}
		out.Points[i] = made
	}
	if c.Split != nil {
		out.Split = c.Split.Label
	}
	return out
}
