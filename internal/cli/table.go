package cli

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"strings"
	"time"

	"github.com/rivo/uniseg"

	"pikegate/core/catalog"
	"pikegate/core/plan"
	"pikegate/core/record"
	"pikegate/internal/output"
)

// widthRows is how many rows the widths of the columns are judged by; those
// after them are printed as they come.
const widthRows = 500

// writeTable prints JSON lines of a run (header, rows, summary) as an aligned
// table; begun is told the header first.
func writeTable(w io.Writer, rows io.Reader, begun func(output.Header)) (output.Summary, error) {
	lines := bufio.NewReaderSize(rows, 64<<10)
	out := bufio.NewWriterSize(w, 64<<10)
	var header output.Header
	var summary output.Summary
	line, err := lines.ReadBytes('\n')
	if err != nil {
		return summary, fmt.Errorf("the records ended early: %w", err)
	}
	if err := json.Unmarshal(line, &header); err != nil {
		return summary, err
	}
	begun(header)
	header.Location, _ = time.LoadLocation(header.Zone) // without it, clocks do not change
	t := table{columns: header.Columns, shown: output.NewShown(header), out: out}
	for {
		line, err := lines.ReadBytes('\n')
		if err != nil {
			return summary, fmt.Errorf("the records ended early: %w", err)
		}
		if bytes.HasPrefix(line, []byte(`{"group":`)) {
			if err := t.subtotal(line); err != nil {
				return summary, err
			}
			continue
		}
		if bytes.HasPrefix(line, []byte(`{"emphasis":`)) {
			var emphasised struct{ Emphasis map[string]string }
			if err := json.Unmarshal(line, &emphasised); err != nil {
				return summary, err
			}
			t.emphasis = emphasised.Emphasis
			continue
		}
		if line[0] == '{' {
			decoder := json.NewDecoder(bytes.NewReader(line))
			decoder.UseNumber()
			err = decoder.Decode(&summary)
			if err == nil && summary.Count > 0 {
				err = t.flush()
			}
			if err == nil && len(summary.Totals) > 0 {
				err = t.text("\nTotal: " + t.totals(summary.Totals))
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
	shown   output.Shown
	// emphasis is how values of the next row stand out, by column.
	emphasis map[string]string
	out      *bufio.Writer
	widths   []int
	waiting  []entry
}

// entry is a row, or a text that stands between rows.
type entry struct {
	cells []string
	text  string
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
		texts[i] = output.Marks[record.EmphasisOf(t.emphasis[t.columns[i].Name])] + legible(t.shown.Cell(i, c))
	}
	t.emphasis = nil
	if t.widths != nil {
		return t.print(texts)
	}
	return t.wait(entry{cells: texts})
}

// wait keeps a line until the widths are settled.
func (t *table) wait(l entry) error {
	if t.waiting = append(t.waiting, l); len(t.waiting) == widthRows {
		return t.flush()
	}
	return nil
}

// subtotal prints what closes a group, beneath its rows.
func (t *table) subtotal(content []byte) error {
	var closed struct{ Group output.Subtotal }
	decoder := json.NewDecoder(bytes.NewReader(content))
	decoder.UseNumber()
	if err := decoder.Decode(&closed); err != nil {
		return err
	}
	g := closed.Group
	heading := legible(t.shown.Heading(g))
	text := strings.Repeat("  ", g.Level) + "— " + strings.TrimLeft(heading, " ") + ": "
	if len(g.Totals) > 0 {
		text += t.totals(g.Totals)
	} else {
		text += strings.ToLower(records(g.Count))
	}
	if t.widths == nil {
		return t.wait(entry{text: text})
	}
	return t.text(text)
}

// totals is a list of totals on one line.
func (t *table) totals(all []output.Total) string {
	words := make([]string, len(all))
	for i, total := range all {
		words[i] = total.Label + " " + t.shown.Total(total)
	}
	return strings.Join(words, " · ")
}

func (t *table) text(text string) error {
	_, err := t.out.WriteString(text + "\n")
	return err
}

// legible is a text with line ends and other controls made visible.
func legible(text string) string {
	return strings.Map(func(r rune) rune {
		if r == '\n' || r == '\t' || commands(r) {
			return '·'
		}
		return r
	}, text)
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
		return legible(c)
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
		for i, cell := range row.cells {
			t.widths[i] = max(t.widths[i], uniseg.StringWidth(cell))
		}
	}
	for i, width := range t.widths {
		rules[i] = strings.Repeat("─", width)
	}
	for _, l := range append([]entry{{cells: heads}, {cells: rules}}, t.waiting...) {
		var err error
		if l.cells == nil {
			err = t.text(l.text)
		} else {
			err = t.print(l.cells)
		}
		if err != nil {
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
