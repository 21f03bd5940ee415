package output

import (
	"bufio"
	"io"
	"time"
)

// bufferSize is how many bytes gather before they are written on.
const bufferSize = 64 << 10

// csvWriter writes RFC 4180: CRLF after every line, quotes only where needed,
// quotes inside doubled. A blank is nothing between commas, the empty text is
// a pair of quotes. Its own appending is a third faster than encoding/csv,
// which wants every cell as a string first.
type csvWriter struct {
	out   *bufio.Writer
	zone  *time.Location
	cells cells
	line  []byte
	cell  []byte
}

func newCSV(w io.Writer, zone *time.Location) Writer {
	return &csvWriter{out: bufio.NewWriterSize(w, bufferSize), zone: zone}
}

func (c *csvWriter) Begin(h Header) error {
	c.cells = newCells(h.Columns, c.zone)
	c.line = c.line[:0]
	for i, column := range h.Columns {
		if i > 0 {
			c.line = append(c.line, ',')
		}
		c.line = appendQuoted(c.line, []byte(column.Name))
	}
	return c.flushLine()
}

func (c *csvWriter) Row(row []any) error {
	c.line = c.line[:0]
	for i := range c.cells.columns {
		if i > 0 {
			c.line = append(c.line, ',')
		}
		var k kind
		c.cell, k = c.cells.append(c.cell[:0], i, row)
		switch k {
		case text:
			c.line = appendQuoted(c.line, c.cell)
		default:
			c.line = append(c.line, c.cell...)
		}
	}
	return c.flushLine()
}

func (c *csvWriter) flushLine() error {
	_, err := c.out.Write(append(c.line, '\r', '\n'))
	return err
}

func (c *csvWriter) End(Summary) error { return c.out.Flush() }

// appendQuoted appends a text, in quotes if it has a comma, a quote or a line
// end, or is empty.
func appendQuoted(b, cell []byte) []byte {
	plain := len(cell) > 0
	for _, ch := range cell {
		if ch == ',' || ch == '"' || ch == '\r' || ch == '\n' {
			plain = false
			break
		}
	}
	if plain {
		return append(b, cell...)
	}
	b = append(b, '"')
	for _, ch := range cell {
		if ch == '"' {
			b = append(b, '"')
		}
		b = append(b, ch)
	}
	return append(b, '"')
}
