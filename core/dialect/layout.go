package dialect

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/plan"
)

// Dates kept as text in a layout of their own do not compare as they are stored: their fields
// are put together anew. No function is used for it that fails on what is no date.

// InOrder writes a column whose values do not sort as the times they mean as text that does,
// for a generated column of its table; false where plain functions of the engine's cannot.
func (d Dialect) InOrder(c *catalog.Column) (string, bool) {
	w := writer{dialect: d}
	l, ok := c.Encoding.Layout()
	if !ok {
		return "", false
	}
	m := plan.Moment{Ref: criteria.Ref{Column: c}, Fine: c.Type == catalog.DateTime, Sure: d.piece == nil && c.Reliable()}
	text := w.laidOut(m, l, d.quote(c.Name))
	return text, text != ""
}

// Fits writes that a text is a date in an encoding.
func (d Dialect) Fits(e catalog.Encoding, text string) string {
	w := writer{dialect: d}
	return w.fits(&catalog.Column{Type: e.Type(), Stored: catalog.Text, Encoding: e}, text)
}

// laidOut writes such a date as text that compares like time; empty where functions of the
// engine's own have to do.
func (w *writer) laidOut(m plan.Moment, l *catalog.Layout, x string) string {
	shape := ""
	switch {
	case m.Sure:
		shape = m.Ref.Column.Shape
	case w.dialect.piece == nil:
		return ""
	}
	fields := w.fields(l, x, shape)
	if fields == nil {
		return ""
	}
	day := w.dayOf(fields)
	if !m.Sure {
		day = w.dialect.matching(day, realDay("-"))
	}
	if m.Fine && l.Timed() {
		day = w.concat(append([]string{day}, w.timeOf(fields)...))
	}
	if m.Sure {
		return day
	}
	return "case when " + w.isWritten(l, x) + " then " + day + " end"
}

// dayOf puts a day together.
func (w *writer) dayOf(fields map[catalog.Field]string) string {
	return w.concat([]string{fields[catalog.YearField], "'-'", fields[catalog.MonthField], "'-'", fields[catalog.DayField]})
}

// timeOf are the parts of a time of day, to the nanosecond.
func (w *writer) timeOf(fields map[catalog.Field]string) []string {
	field := func(f catalog.Field) string {
		if text, ok := fields[f]; ok {
			return text
		}
		return "'00'"
	}
	hour := field(catalog.HourField)
	if half, ok := fields[catalog.HalfDayField]; ok {
		hour = "lpad(cast(mod(cast(" + hour + " as decimal(2)), 12) + case when " + half + " in ('pm', 'PM', 'Pm', 'pM') then 12 else 0 end as char(2)), 2, '0')"
	}
	fraction, ok := fields[catalog.FractionField]
	if !ok {
		fraction = "'000000000'"
	}
	return []string{"'T'", hour, "':'", field(catalog.MinuteField), "':'", field(catalog.SecondField), "'.'", fraction}
}

// fields are the fields of a text as SQL, each with all its digits; nil where they cannot be
// found by plain functions. The shape is that of every text, empty where it is not known.
func (w *writer) fields(l *catalog.Layout, x, shape string) map[catalog.Field]string {
	out := map[catalog.Field]string{}
	if shape == "" {
		shape = shapeOf(l)
	}
	if l.Names[1] != nil { // found in small letters
		shape, x = "", w.lower(x)
	}
	if places, ok := l.Places(shape, nil); ok && shape != "" {
		for _, p := range places {
			text := fmt.Sprintf("substr(%s, %d, %d)", x, utf8.RuneCountInString(shape[:p.At])+1, utf8.RuneCountInString(shape[p.At:p.At+p.Bytes]))
			switch {
			case p.Field == catalog.FractionField:
				text = w.concat([]string{text, literal(strings.Repeat("0", 9-p.Bytes))})
			case p.Bytes == 1:
				text = w.concat([]string{"'0'", text})
			}
			out[p.Field] = text
		}
	} else {
		if w.dialect.piece == nil {
			return nil
		}
		w.pieces(l, x, out)
	}
	if year := out[catalog.YearField]; l.From != 0 {
		century := l.From / 100
		out[catalog.YearField] = w.concat([]string{fmt.Sprintf("case when %s >= '%02d' then '%02d' else '%02d' end", year, l.From%100, century, century+1), year})
	}
	if name, ok := out[catalog.NameField]; ok {
		names := namesOf(l)
		at := w.dialect.position(names, w.concat([]string{"' '", name, "' '"}))
		out[catalog.MonthField] = "substr(" + literal(names) + ", " + at + " + char_length(" + name + ") + 2, 2)"
	}
	return out
}

// namesOf are the names of months in one text, each between blanks and with its number behind.
func namesOf(l *catalog.Layout) string {
	var b strings.Builder
	for month, names := range l.Names {
		for _, name := range names {
			fmt.Fprintf(&b, " %s %02d", name, month)
		}
	}
	return b.String()
}

// shapeOf is the shape of every text in a layout; empty where there are several.
func shapeOf(l *catalog.Layout) string {
	if len(l.Optional) > 0 {
		return ""
	}
	shape := ""
	for _, p := range l.Parts {
		switch {
		case p.Field == catalog.Between:
			shape += p.Text
		case p.Field == catalog.HalfDayField:
			shape += "am"
		case p.Least != p.Most || p.Field == catalog.NameField:
			return ""
		default:
			shape += strings.Repeat("0", p.Least)
		}
	}
	return shape
}

// pieces finds fields that begin anywhere: every mark between two of them is made the same,
// and what may be left out stands behind as zeros.
func (w *writer) pieces(l *catalog.Layout, x string, out map[catalog.Field]string) {
	const mark = "'|'"
	if l.Parts[0].Field == catalog.Between {
		x = fmt.Sprintf("substr(%s, %d)", x, utf8.RuneCountInString(l.Parts[0].Text)+1)
	}
	var marks []string
	for i, p := range l.Parts {
		if i > 0 && p.Field == catalog.Between && !slices.Contains(marks, p.Text) {
			marks = append(marks, p.Text)
		}
	}
	slices.SortStableFunc(marks, func(x, y string) int { return len(y) - len(x) })
	for _, text := range marks {
		x = "replace(" + x + ", " + literal(text) + ", " + mark + ")"
	}
	if l.Names[1] != nil && l.Dotted() {
		x = "replace(" + x + ", '.', '')"
	}
	if len(l.Optional) > 0 {
		missing := ""
		for _, p := range l.Parts[l.Optional[0]:] {
			if p.Field != catalog.Between {
				missing += "|00"
			}
		}
		x = w.concat([]string{x, literal(missing)})
	}
	n, at := 0, 1
	isMark := func(i int) bool { return i < 0 || i >= len(l.Parts) || l.Parts[i].Field == catalog.Between }
	for i, p := range l.Parts {
		if p.Field == catalog.Between {
			continue
		}
		if isMark(i - 1) {
			n, at = n+1, 1
		}
		text := w.dialect.piece(x, n)
		if !isMark(i-1) || !isMark(i+1) { // several fields of a fixed width stand together
			width := max(p.Least, 2)
			text, at = fmt.Sprintf("substr(%s, %d, %d)", text, at, width), at+width
		}
		switch {
		case p.Field == catalog.FractionField:
			text = "rpad(" + text + ", 9, '0')"
		case p.Least < p.Most:
			text = "lpad(" + text + ", 2, '0')"
		}
		out[p.Field] = text
	}
}

// layoutPattern is what texts in a layout look like, their days real or not.
func layoutPattern(l *catalog.Layout) string {
	half := slices.ContainsFunc(l.Parts, func(p catalog.Part) bool { return p.Field == catalog.HalfDayField })
	var b strings.Builder
	for i, p := range l.Parts {
		if slices.Contains(l.Optional, i) {
			b.WriteString("(")
		}
		switch p.Field {
		case catalog.Between:
			b.WriteString(regexp.QuoteMeta(p.Text))
		case catalog.NameField:
			var names []string
			for _, called := range l.Names {
				names = append(names, called...)
			}
			b.WriteString("(" + strings.Join(names, "|") + ")")
			if l.Dotted() {
				b.WriteString("[.]?")
			}
		case catalog.HalfDayField:
			b.WriteString("[aApP][mM]")
		case catalog.HourField:
			hours := map[bool]string{false: "([01]%s[0-9]|2[0-3])", true: "(0%s[1-9]|1[0-2])"}[half]
			b.WriteString(fmt.Sprintf(hours, map[bool]string{true: "?"}[p.Least == 1]))
		case catalog.MinuteField, catalog.SecondField:
			b.WriteString("[0-5][0-9]")
		default:
			b.WriteString("[0-9]{" + strconv.Itoa(p.Least))
			if p.Most != p.Least {
				b.WriteString("," + strconv.Itoa(p.Most))
			}
			b.WriteString("}")
		}
	}
	return b.String() + strings.Repeat(")?", len(l.Optional))
}

// isLaidOut writes that a text is a date in a layout; empty where a function of the engine's
// own has to say so.
func (w *writer) isLaidOut(l *catalog.Layout, x string) string {
	if w.dialect.piece == nil {
		return ""
	}
	return w.isWritten(l, x) + " and " + w.dialect.matches(w.dayOf(w.fields(l, x, "")), realDay("-"))
}

// isWritten writes that a text is written in a layout, its day real or not.
func (w *writer) isWritten(l *catalog.Layout, x string) string {
	if l.Names[1] != nil {
		x = w.lower(x)
	}
	return w.dialect.matches(x, layoutPattern(l))
}

// lower writes a text in small letters, those of every script.
func (w *writer) lower(x string) string {
	if text := w.dialect.function("lower", []string{x}); text != "" {
		return text
	}
	return "lower(" + x + ")"
}
