package output

import (
	"bufio"
	"io"
	"strings"

	"pikegate/core/record"
)

// bufferSize is how many bytes gather before they are written on.
const bufferSize = 64 << 10

// csvWriter writes RFC 4180: CRLF after every line, quotes only where needed,
// quotes inside doubled. A blank is nothing between commas, the empty text is
// a pair of quotes. Its own appending is a third faster than encoding/csv,
// which wants every cell as a string first.
type csvWriter struct {
	to    io.Writer
	out   *bufio.Writer
	cells cells
	line  []byte
	cell  []byte
	guard bool
}

func newCSV(w io.Writer) Writer {
	return &csvWriter{to: w, out: bufio.NewWriterSize(w, bufferSize)}
}

func (c *csvWriter) Begin(h Header) error {
	c.cells, c.guard = newCells(h), h.Guard
	c.line = c.line[:0]
	for i, column := range h.Columns {
		if i > 0 {
			c.line = append(c.line, ',')
		}
		if name := []byte(column.Name); needsQuotes(name) {
			c.line = appendQuoted(c.line, name)
		} else {
			c.line = append(c.line, name...)
		}
	}
	return c.flushLine()
}

func (c *csvWriter) Row(r record.Record) error {
	c.line = c.line[:0]
	for i := range c.cells.columns {
		if i > 0 {
			c.line = append(c.line, ',')
		}
		start := len(c.line)
		var k kind
		c.line, k = c.cells.append(c.line, i, r)
		if c.guard && k == text && isFormula(c.line[start:]) {
			c.line = append(c.line, 0)
			copy(c.line[start+1:], c.line[start:])
			c.line[start] = '\''
		}
		if k == text && needsQuotes(c.line[start:]) {
			c.cell = append(c.cell[:0], c.line[start:]...)
			c.line = appendQuoted(c.line[:start], c.cell)
		}
	}
	return c.flushLine()
}

func (c *csvWriter) flushLine() error {
	_, err := c.out.Write(append(c.line, '\r', '\n'))
	return err
}

// Subtotal writes nothing: the file is a table of records.
func (c *csvWriter) Subtotal(Subtotal) error { return nil }

// Flush sends the lines on.
func (c *csvWriter) Flush() error { return flush(c.out, c.to) }

// End writes what is left, unless the run broke off: then it is no whole file.
func (c *csvWriter) End(s Summary) error {
	if s.Problem != "" {
		return nil
	}
	return c.out.Flush()
}

// isFormula tells whether a spreadsheet would work a text out instead of showing
// it.
func isFormula(cell []byte) bool {
	return len(cell) > 0 && strings.IndexByte("=+-@\t\r", cell[0]) >= 0
}

// needsQuotes tells whether a text has a comma, a quote or a line end, or is
// empty (which unquoted would be a blank).
func needsQuotes(cell []byte) bool {
	for _, ch := range cell {
		if ch == ',' || ch == '"' || ch == '\r' || ch == '\n' {
			return true
		}
	}
	return len(cell) == 0
}

func appendQuoted(b, cell []byte) []byte {
	b = append(b, '"')
	for _, ch := range cell {
		if ch == '"' {
			b = append(b, '"')
		}
		b = append(b, ch)
	}
	return append(b, '"')
}
