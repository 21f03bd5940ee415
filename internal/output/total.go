package output

import (
	"encoding/json"

	"pikegate/core/catalog"
	"pikegate/core/plan"
)

// Total is one value made of many records.
type Total struct {
	Name   string `json:"name" doc:"As the report names it, such as sum of toll"`
	Label  string `json:"label" doc:"What people read"`
	Format string `json:"format,omitempty" doc:"How a number is shown: money has two places"`
	Value  any    `json:"value" doc:"A number or text, or null where there was nothing to make it of"`
}

// Subtotal closes a group of records, which stand before it.
type Subtotal struct {
	Level  int     `json:"level" doc:"0 for the outermost group"`
	Label  string  `json:"label" doc:"What the records are put together by"`
	Value  any     `json:"value" doc:"What the records of the group have in common"`
	Count  int64   `json:"count" doc:"How many records the group has"`
	Totals []Total `json:"totals"`
}

// SubtotalOf is a subtotal as it is shown.
func SubtotalOf(s plan.Subtotal) Subtotal {
	return Subtotal{s.Level, s.Label, shown(s.Value, &s.Column, ""), s.Count, TotalsOf(s.Totals)}
}

// TotalsOf are totals as they are shown.
func TotalsOf(made []plan.Made) []Total {
	totals := make([]Total, len(made))
	for i, m := range made {
		totals[i] = Total{m.Name, m.Label, m.Format, shown(m.Value, &m.Column, m.Format)}
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
