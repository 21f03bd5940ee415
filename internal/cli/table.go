package cli

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"strings"

	"github.com/rivo/uniseg"

	"pikegate/core/catalog"
	"pikegate/core/plan"
	"pikegate/internal/client"
)

// widthRows is how many rows the widths of the columns are judged by; those
// after them are printed as they come.
const widthRows = 500

// writeTable prints JSON lines of a run (header, rows, summary) as an aligned
// table; begun is told the header first.
func writeTable(w io.Writer, rows io.Reader, begun func(client.Header)) (client.Summary, error) {
	lines := bufio.NewReaderSize(rows, 64<<10)
	out := bufio.NewWriterSize(w, 64<<10)
	var header client.Header
	var summary client.Summary
	line, err := lines.ReadBytes('\n')
	if err != nil {
		return summary, fmt.Errorf("the records broke off: %w", err)
	}
	if err := json.Unmarshal(line, &header); err != nil {
		return summary, err
	}
	begun(header)
	t := table{columns: header.Columns, out: out}
	for {
		line, err := lines.ReadBytes('\n')
		if err != nil {
			return summary, fmt.Errorf("the records broke off: %w", err)
		}
		if line[0] == '{' {
			err = json.Unmarshal(line, &summary)
			if err == nil && summary.Count > 0 {
				err = t.flush()
			}
			if err == nil {
				err = out.Flush()
			}
			return summary, err
		}
		if err := t.row(line); err != nil {
			return summary, err
		}
	}
}

type table struct {
	columns []plan.Output
	out     *bufio.Writer
	widths  []int
	waiting [][]string
}

// row takes one row as a JSON array.
func (t *table) row(line []byte) error {
	decoder := json.NewDecoder(bytes.NewReader(line))
	decoder.UseNumber()
	var cells []any
	if err := decoder.Decode(&cells); err != nil {
		return err
	}
	texts := make([]string, len(cells))
	for i, c := range cells {
		texts[i] = cellText(c, t.columns[i].Type)
	}
	if t.widths != nil {
		return t.print(texts)
	}
	if t.waiting = append(t.waiting, texts); len(t.waiting) == widthRows {
		return t.flush()
	}
	return nil
}

// cellText is a cell on a terminal: dates with a blank between day and time,
// line ends and other controls made visible, blanks as blanks.
func cellText(c any, kind catalog.Type) string {
	switch c := c.(type) {
	case nil:
		return ""
	case json.Number:
		return c.String()
	case bool:
		if c {
			return "yes"
		}
		return "no"
	case string:
		if kind == catalog.DateTime && len(c) > 10 && c[10] == 'T' {
			return c[:10] + " " + c[11:]
		}
		return strings.Map(func(r rune) rune {
			if r < ' ' || r == 0x7f {
				return '\u00b7'
			}
			return r
		}, c)
	}
	return fmt.Sprint(c)
}

// flush settles the widths and prints the head and what waited.
func (t *table) flush() error {
	if t.widths != nil {
		return nil
	}
	t.widths = make([]int, len(t.columns))
	heads, rules := make([]string, len(t.columns)), make([]string, len(t.columns))
	for i, c := range t.columns {
		heads[i] = c.Label
		t.widths[i] = uniseg.StringWidth(c.Label)
	}
	for _, row := range t.waiting {
		for i, cell := range row {
			t.widths[i] = max(t.widths[i], uniseg.StringWidth(cell))
		}
	}
	for i, width := range t.widths {
		rules[i] = strings.Repeat("─", width)
	}
	for _, row := range append([][]string{heads, rules}, t.waiting...) {
		if err := t.print(row); err != nil {
			return err
		}
	}
	t.waiting = nil
	return nil
}

func (t *table) print(cells []string) error {
	var line strings.Builder
	for i, cell := range cells {
		pad := strings.Repeat(" ", max(0, t.widths[i]-uniseg.StringWidth(cell)))
		if i > 0 {
			line.WriteString("  ")
		}
		if t.columns[i].Type.IsNumber() {
			line.WriteString(pad + cell)
		} else {
			line.WriteString(cell + pad)
		}
	}
	_, err := t.out.WriteString(strings.TrimRight(line.String(), " ") + "\n")
	return err
}
