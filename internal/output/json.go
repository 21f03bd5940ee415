package output

import (
	"encoding/json"
	"io"
	"unicode/utf8"

	"pikegate/core/record"
)

// jsonWriter writes either one JSON document, whose rows stand between the
// header's fields and the summary's, or JSON lines: the header, then each row
// as an array, then the summary.
type jsonWriter struct {
	buffered
	lines bool
	cells cells
	line  []byte
	cell  []byte
	begun bool
}

func newJSON(w io.Writer) Writer {
	return &jsonWriter{buffered: newBuffered(w)}
}

func newNDJSON(w io.Writer) Writer {
	return &jsonWriter{buffered: newBuffered(w), lines: true}
}

func (j *jsonWriter) Begin(h Header) error {
	j.cells = newCells(h)
	head, err := json.Marshal(h)
	if err != nil {
		return err
	}
	if j.lines {
		head = append(head, '\n')
	} else {
		head = append(head[:len(head)-1], `,"rows":[`...)
	}
	_, err = j.out.Write(head)
	return err
}

func (j *jsonWriter) Row(r record.Record) error {
	b := j.emphasis(j.line[:0], r)
	if !j.lines {
		if j.begun {
			b = append(b, ',')
		}
		b = append(b, '\n')
	}
	j.begun = true
	b = append(b, '[')
	for i := range j.cells.columns {
		if i > 0 {
			b = append(b, ',')
		}
		var k kind
		j.cell, k = j.cells.append(j.cell[:0], i, r)
		b = appendJSON(b, j.cell, k)
	}
	b = append(b, ']')
	if j.lines {
		b = append(b, '\n')
	}
	j.line = b
	_, err := j.out.Write(b)
	return err
}

// emphasis appends an object that says how values of the record after it stand out, where
// some do.
func (j *jsonWriter) emphasis(b []byte, r record.Record) []byte {
	begun := false
	for i := range r {
		if r[i].Emphasis == 0 {
			continue
		}
		switch {
		case begun:
			b = append(b, ',')
		case j.lines:
			b = append(b, `{"emphasis":{`...)
		case j.begun:
			b = append(b, ",\n{\"emphasis\":{"...)
		default:
			b = append(b, "\n{\"emphasis\":{"...)
		}
		begun = true
		b = append(append(append(appendString(b, []byte(j.cells.columns[i].Name)), `:"`...), r[i].Emphasis.String()...), '"')
	}
	if !begun {
		return b
	}
	b = append(b, "}}"...)
	if j.lines {
		return append(b, '\n')
	}
	j.begun = true
	return b
}

// Opening writes an object where the head of the group is shown.
func (j *jsonWriter) Opening(g Opening) error {
	if j.cells.isHeaded(g.Level) {
		return j.object(struct {
			Head Opening `json:"head"`
		}{g})
	}
	return nil
}

// Subtotal writes an object where rows are arrays.
func (j *jsonWriter) Subtotal(s Subtotal) error {
	return j.object(struct {
		Group Subtotal `json:"group"`
	}{s})
}

// object writes an object among the rows.
func (j *jsonWriter) object(v any) error {
	b, err := json.Marshal(v)
	switch {
	case err != nil:
		return err
	case j.lines:
		b = append(b, '\n')
	case j.begun:
		b = append([]byte(",\n"), b...)
	default:
		b = append([]byte("\n"), b...)
	}
	j.begun = true
	_, err = j.out.Write(b)
	return err
}

func (j *jsonWriter) End(s Summary) error {
	tail, err := json.Marshal(s)
	if err != nil {
		return err
	}
	if !j.lines {
		tail = append([]byte("\n],"), tail[1:]...)
	}
	if _, err := j.out.Write(append(tail, '\n')); err != nil {
		return err
	}
	return j.out.Flush()
}

// appendString appends a JSON string; source: RFC 8259. Bytes that are not
// UTF-8 become the replacement character.
func appendString(b, s []byte) []byte {
	const hex = "0123456789abcdef"
	b = append(b, '"')
	for i := 0; i < len(s); {
		switch c := s[i]; {
		case c == '"' || c == '\\':
			b = append(b, '\\', c)
			i++
		case c < ' ':
			b = append(b, '\\', 'u', '0', '0', hex[c>>4], hex[c&15])
			i++
		case c < utf8.RuneSelf:
			b = append(b, c)
			i++
		default:
			r, size := utf8.DecodeRune(s[i:])
			b = utf8.AppendRune(b, r)
			i += size
		}
	}
	return append(b, '"')
}

// objectWriter writes JSON lines: an object for each record, and nothing else, for
// programs that take files of them.
type objectWriter struct {
	buffered
	cells cells
	names [][]byte // each as JSON, with what stands before and after it
	line  []byte
	cell  []byte
}

func newJSONLines(w io.Writer) Writer {
	return &objectWriter{buffered: newBuffered(w)}
}

func (o *objectWriter) Begin(h Header) error {
	o.cells, o.names = newCells(h), make([][]byte, len(h.Columns))
	for i, c := range h.Columns {
		before := byte(',')
		if i == 0 {
			before = '{'
		}
		o.names[i] = append(appendString([]byte{before}, []byte(c.Name)), ':')
	}
	return nil
}

func (o *objectWriter) Row(r record.Record) error {
	b := o.line[:0]
	for i := range o.cells.columns {
		b = append(b, o.names[i]...)
		var k kind
		o.cell, k = o.cells.append(o.cell[:0], i, r)
		b = appendJSON(b, o.cell, k)
	}
	o.line = append(b, "}\n"...)
	_, err := o.out.Write(o.line)
	return err
}

// Subtotal writes nothing: each line is a record.
func (o *objectWriter) Subtotal(Subtotal) error { return nil }

// End writes what is left.
func (o *objectWriter) End(s Summary) error { return o.endWhole(s) }

// appendJSON appends a cell.
func appendJSON(b, cell []byte, k kind) []byte {
	switch k {
	case blank:
		return append(b, "null"...)
	case text:
		return appendString(b, cell)
	}
	return append(b, cell...)
}
