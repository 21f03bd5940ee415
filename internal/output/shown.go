package output

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/format"
	"pikegate/core/plan"
	"pikegate/core/record"
)

// Place is where the values of a result are shown: in which language, and in which zone.
func (h Header) Place() format.Place {
	language, _ := format.LanguageOf(h.Language)
	return format.Place{Language: language, Zone: h.Location}
}

// Shown is how the values of each column of a result are shown to people.
type Shown struct {
	place   format.Place
	columns []plan.Output
	formats []format.Column
}

// NewShown is how a result is shown.
func NewShown(h Header) Shown {
	s := Shown{h.Place(), h.Columns, make([]format.Column, len(h.Columns))}
	for i, c := range h.Columns {
		var words format.Words
		if c.Words != nil {
			words = *c.Words
		}
		s.formats[i] = s.place.Of(c.Type, c.Format, words)
	}
	return s
}

// Cell is a value of a column, as JSON has it.
func (s *Shown) Cell(i int, v any) string { return showAs(s.formats[i], v) }

// showAs shows a value as JSON has it.
func showAs(f format.Column, v any) string {
	switch v := v.(type) {
	case nil:
		return f.Words.Blank
	case json.Number:
		return f.Number(v.String())
	case bool:
		return f.YesNo(v)
	case string:
		switch {
		case f.Type.IsDate():
			return f.Date(v)
		case f.Type.IsNumber():
			return f.Number(v)
		}
		return v
	}
	return fmt.Sprint(v)
}

// Value is a value that was worked out, by itself.
func (h Header) Value(v any, column catalog.Column) string {
	if v == nil {
		return "blank"
	}
	return showAs(h.Place().Of(column.Type, "", format.Words{}), shown(v, &column, ""))
}

// Total is the value of a total.
func (s *Shown) Total(t Total) string { return t.Text(s.place) }

// Text is the value of a total as it is shown in a place.
func (t Total) Text(place format.Place) string {
	if t.Value == nil {
		return "blank"
	}
	kind := t.Type
	if kind == catalog.Integer && !t.isCount() {
		kind = catalog.Decimal // a quantity, of whatever its column is
	}
	return showAs(place.Of(kind, t.Format, format.Words{}), t.Value)
}

// Heading says which group a subtotal closes.
func (s *Shown) Heading(closed Subtotal) string {
	if closed.All {
		return "All"
	}
	return s.OpeningText(Opening{closed.Level, closed.Label, closed.Of, closed.Type, closed.Value})
}

// OpeningText says which group begins.
func (s *Shown) OpeningText(g Opening) string {
	return strings.Repeat("  ", g.Level) + g.Label + " " + s.groupValue(g.Of, g.Type, g.Value)
}

// groupValue is what the records of a group have in common.
func (s *Shown) groupValue(of string, kind catalog.Type, value any) string {
	shown := ""
	if i := slices.IndexFunc(s.columns, func(c plan.Output) bool { return of != "" && c.Name == of }); i >= 0 {
		shown = s.Cell(i, value)
	} else {
		shown = showAs(s.place.Of(kind, "", format.Words{}), value)
	}
	if value == nil && shown == "" {
		return "blank"
	}
	return shown
}

// Moment is a first or last date.
func (s *Shown) Moment(text string) string {
	if s.place.Language.Tag == "" {
		return text
	}
	kind := catalog.DateTime
	if len(text) <= len("2026-03-31") {
		kind = catalog.Date
	}
	return s.place.Of(kind, "", format.Words{}).Date(text)
}

// Marks stand before what is emphasised, so that a colour is never all there is.
var Marks = map[record.Emphasis]string{record.Good: "✓ ", record.Warning: "! ", record.Bad: "✗ "}

// appendShown appends a cell as people read it.
func (c *cells) appendShown(b []byte, i int, r record.Record) []byte {
	if c.isRepeated(i) {
		return b
	}
	b = append(b, Marks[r[i].Emphasis]...)
	start, f := len(b), &c.shown.formats[i]
	b, k := c.append(b, i, r)
	switch {
	case k == blank:
		return append(b, f.Words.Blank...)
	case k == boolean:
		return append(b[:start], f.YesNo(r[i].Yes())...)
	case k == number:
		return append(b[:start], f.Number(string(b[start:]))...)
	case f.Type.IsDate():
		return append(b[:start], f.Date(string(b[start:]))...)
	}
	return b
}
