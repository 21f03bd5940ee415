package period

import (
	"strconv"
	"unicode/utf8"

	"pikegate/core/civil"
	"pikegate/core/diag"
)

// LineWriter writes readings as JSON lines, many in a row: the same fields as
// Reading, appended without building it first.
type LineWriter struct{ ctx civil.Context }

// NewLineWriter makes a writer of readings in a context.
func NewLineWriter(ctx civil.Context) *LineWriter { return &LineWriter{ctx} }

// Append appends the reading of an expression as a JSON object, or gives the
// problems it has.
func (w *LineWriter) Append(b []byte, expression string) ([]byte, diag.Problems) {
	span, problems := Read(expression, w.ctx)
	if len(problems) > 0 {
		return b, problems
	}
	b = appendText(append(b, `{"expression":`...), expression)
	b = w.bound(append(b, `,"from":`...), span.From)
	b = w.bound(append(b, `,"until":`...), span.Until)
	b = w.instant(append(b, `,"from_instant":`...), span.From)
	b = w.instant(append(b, `,"until_instant":`...), span.Until)
	b = append(b, `,"days":`...)
	if span.Closed() {
		b = strconv.AppendInt(b, int64(span.Days()), 10)
	} else {
		b = append(b, "null"...)
	}
	b = append(span.AppendCanonical(append(b, `,"canonical":"`...)), '"')
	b = append(append(b, `,"readback":"`...), span.ReadBack()...)
	return append(b, `"}`...), nil
}

func (w *LineWriter) bound(b []byte, t civil.DateTime) []byte {
	switch {
	case t == civil.Start || t == civil.End:
		return append(b, "null"...)
	case t.IsMidnight():
		return append(t.Date().AppendTo(append(b, '"')), '"')
	}
	return append(t.AppendTo(append(b, '"'), 'T'), '"')
}

func (w *LineWriter) instant(b []byte, t civil.DateTime) []byte {
	if t == civil.Start || t == civil.End {
		return append(b, "null"...)
	}
	at := civil.DateTime(civil.InstantOf(t, w.ctx.Zone))
	return append(at.AppendTo(append(b, '"'), 'T'), `Z"`...)
}

// appendText appends a JSON string; source: RFC 8259.
func appendText(b []byte, s string) []byte {
	const hex = "0123456789abcdef"
	b = append(b, '"')
	for _, r := range s {
		switch {
		case r == '"' || r == '\\':
			b = append(b, '\\', byte(r))
		case r < ' ':
			b = append(b, '\\', 'u', '0', '0', hex[r>>4], hex[r&15])
		default:
			b = utf8.AppendRune(b, r)
		}
	}
	return append(b, '"')
}
