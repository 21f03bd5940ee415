package output

import (
	"bytes"
	"fmt"
	"io"
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"

	"pikegate/core/catalog"
	"pikegate/core/diag"
	"pikegate/core/record"
)

// CSVSettings are how a CSV is written. Guard marks texts that a spreadsheet would take for
// formulas.
type CSVSettings struct {
	catalog.CSVFormat
	Guard bool
}

// As is CSV written in a way of its own; of other formats there is one way only.
func (f Format) As(s CSVSettings) Format {
	if f.Name != CSV.Name {
		return f
	}
	f.ContentType = "text/csv; charset=" + s.Charset() + "; header=present"
	f.new = func(w io.Writer) Writer { return newCSV(w, s) }
	return f
}

// csvWriter writes RFC 4180: CRLF after every line, quotes only where needed,
// quotes inside doubled. A blank is nothing between delimiters, the empty text is
// a pair of quotes. Its own appending is a third faster than encoding/csv,
// which wants every cell as a string first.
type csvWriter struct {
	buffered
	cells     cells
	line      []byte
	cell      []byte
	set       CSVSettings
	delimiter byte
	special   [256]bool // the bytes that stand between quotes
	// plainDates tells that none of them is one that dates are written with as they are.
	plainDates bool
	encode     func(b []byte, text []byte) (encoded []byte, bad rune) // nil for UTF-8
	records    int64
}

func newCSV(w io.Writer, set CSVSettings) Writer {
	c := &csvWriter{buffered: newBuffered(w), set: set, delimiter: set.Separator(), encode: encoderOf(set.Encoding)}
	for _, ch := range []byte{c.delimiter, '"', '\r', '\n'} {
		c.special[ch] = true
	}
	c.plainDates = set.Values != "shown" && !strings.ContainsRune("0123456789-+:.T", rune(c.delimiter))
	return c
}

func (c *csvWriter) Begin(h Header) error {
	c.cells = newCells(h)
	c.cells.once = nil // each line is a record by itself
	c.line = c.line[:0]
	if c.set.Marked() {
		c.line = append(c.line, "\ufeff"...)
	}
	for i, column := range h.Columns {
		if i > 0 {
			c.line = append(c.line, c.delimiter)
		}
		if name := []byte(column.Name); c.needsQuotes(name) {
			c.line = appendQuoted(c.line, name)
		} else {
			c.line = append(c.line, name...)
		}
	}
	return c.flushLine(nil)
}

func (c *csvWriter) Row(r record.Record) error {
	c.records++
	c.line = c.line[:0]
	for i := range c.cells.columns {
		if i > 0 {
			c.line = append(c.line, c.delimiter)
		}
		start := len(c.line)
		var k kind
		isText := false // as it is stored
		if c.set.Values == "shown" {
			isText = r[i].Kind() == record.Text
			if c.line = c.cells.appendShown(c.line, i, r); len(c.line) > start || r[i].Kind() != record.Blank {
				k = text
			}
		} else {
			c.line, k = c.cells.append(c.line, i, r)
			isText = k == text
		}
		if c.set.Guard && isText && isFormula(c.line[start:]) {
			c.line = append(c.line, 0)
			copy(c.line[start+1:], c.line[start:])
			c.line[start] = '\''
		}
		if k == number && c.set.Decimal == "," {
			if at := bytes.IndexByte(c.line[start:], '.'); at >= 0 {
				c.line[start+at] = ','
				k = text // quoted where commas are the delimiter as well
			}
		}
		if k == text && (!c.plainDates || r[i].Kind() != record.Stamp) && c.needsQuotes(c.line[start:]) {
			c.cell = append(c.cell[:0], c.line[start:]...)
			c.line = appendQuoted(c.line[:start], c.cell)
		}
	}
	return c.flushLine(r)
}

// flushLine writes the line of a record, or that of the names.
func (c *csvWriter) flushLine(r record.Record) error {
	c.line = append(c.line, '\r', '\n')
	line := c.line
	if c.encode != nil {
		var bad rune
		if c.cell, bad = c.encode(c.cell[:0], line); bad != 0 {
			return c.unwritable(bad, r)
		}
		line = c.cell
	}
	_, err := c.out.Write(line)
	return err
}

// unwritable says which character of which record the encoding does not have.
func (c *csvWriter) unwritable(bad rune, r record.Record) error {
	where := "The header row"
	for i, column := range c.cells.columns {
		if r == nil {
			break
		}
		if cell, _ := c.cells.append(nil, i, r); bytes.ContainsRune(cell, bad) {
			where = fmt.Sprintf("Record %s, in the column %s,", Thousands(c.records), column.Name)
			break
		}
	}
	return diag.Problems{{
		Code: "not_in_encoding", Field: "csv.encoding", Message: fmt.Sprintf("%s has the character %s, which %s does not have.", where, strconv.QuoteRune(bad), c.set.Encoding),
		Hint: "Write the file as utf-8 or utf-16, which have every character.",
	}}
}

// encoderOf writes UTF-8 in another encoding; nil where that is UTF-8 itself. Characters
// that are no UTF-8 become the replacement character, where the encoding has one.
func encoderOf(encoding string) func(b, text []byte) ([]byte, rune) {
	switch encoding {
	case "utf-16":
		return func(b, text []byte) ([]byte, rune) {
			for len(text) > 0 {
				r, n := utf8.DecodeRune(text)
				text = text[n:]
				if first, second := utf16.EncodeRune(r); first != utf8.RuneError {
					b = append(b, byte(first), byte(first>>8), byte(second), byte(second>>8))
				} else {
					b = append(b, byte(r), byte(r>>8))
				}
			}
			return b, 0
		}
	case "windows-1252":
		return encodedBy(charmap.Windows1252)
	case "latin-1":
		return encodedBy(charmap.ISO8859_1)
	}
	return nil
}

func encodedBy(table *charmap.Charmap) func(b, text []byte) ([]byte, rune) {
	return func(b, text []byte) ([]byte, rune) {
		for len(text) > 0 {
			if text[0] < utf8.RuneSelf {
				b, text = append(b, text[0]), text[1:]
				continue
			}
			r, n := utf8.DecodeRune(text)
			text = text[n:]
			at, ok := table.EncodeRune(r)
			if !ok {
				return b, r
			}
			b = append(b, at)
		}
		return b, 0
	}
}

// Subtotal writes nothing: the file is a table of records.
func (c *csvWriter) Subtotal(Subtotal) error { return nil }

// End writes what is left.
func (c *csvWriter) End(s Summary) error { return c.endWhole(s) }

// isFormula tells whether a spreadsheet would work a text out instead of showing
// it.
func isFormula(cell []byte) bool {
	return len(cell) > 0 && strings.IndexByte("=+-@\t\r", cell[0]) >= 0
}

// needsQuotes tells whether a text has the delimiter, a quote or a line end, or is
// empty (which unquoted would be a blank).
func (c *csvWriter) needsQuotes(cell []byte) bool {
	for _, ch := range cell {
		if c.special[ch] {
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
