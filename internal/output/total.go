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
	All    bool         `json:"all,omitempty" doc:"Whether it closes the whole table rather than a group"`
	Count  int64        `json:"count" doc:"How many records the group has"`
	Totals []Total      `json:"totals"`
}

// Opening begins a group of records, which stand after it.
type Opening struct {
	Level int          `json:"level" doc:"0 for the outermost group"`
	Label string       `json:"label" doc:"What the records are put together by"`
	Of    string       `json:"of,omitempty" doc:"The column, where they are put together by one"`
	Type  catalog.Type `json:"type,omitempty" doc:"What the value is"`
	Value any          `json:"value" doc:"What the records of the group have in common"`
}

// OpeningOf is the beginning of a group as it is shown.
func OpeningOf(b plan.Beginning) Opening {
	column := b.Column()
	return Opening{b.Level, b.Group.Label, b.Group.Of, column.Type, shown(b.Value, &column, "")}
}

// SubtotalOf is a subtotal as it is shown.
func SubtotalOf(s plan.Subtotal) Subtotal {
	return Subtotal{Level: s.Level, Label: s.Label, Of: s.Of, Type: s.Column.Type, Value: shown(s.Value, &s.Column, ""), Count: s.Count, Totals: TotalsOf(s.Totals)}
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

// NoTotal is a total of no records: none are counted, and nothing is made of them.
func NoTotal(name, label string) Total {
	t := Total{Name: name, Label: label}
	if t.isCount() {
		t.Value = json.Number("0")
	}
	return t
}
