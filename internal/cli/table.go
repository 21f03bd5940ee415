package cli

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"slices"
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
	t := table{columns: header.Columns, shown: output.NewShown(header), groups: header.Groups, told: map[string]bool{}, out: out}
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
		if bytes.HasPrefix(line, []byte(`{"head":`)) {
			if err := t.head(line); err != nil {
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
			err = decode(line, &summary)
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
	groups  []output.Grouping
	// told are the columns that are shown once for each group, where that was done.
	told map[string]bool
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
	// label says what totals belong to, from the first column on.
	label string
}

// decode reads JSON, numbers with all their digits.
func decode(content []byte, into any) error {
	decoder := json.NewDecoder(bytes.NewReader(content))
	decoder.UseNumber()
	return decoder.Decode(into)
}

// row takes one row as a JSON array.
func (t *table) row(line []byte) error {
	var cells []any
	if err := decode(line, &cells); err != nil {
		return err
	}
	texts := make([]string, len(cells))
	for i, c := range cells {
		texts[i] = output.Marks[record.EmphasisOf(t.emphasis[t.columns[i].Name])] + legible(t.shown.Cell(i, c))
	}
	t.emphasis = nil
	for _, g := range t.groups {
		at := slices.IndexFunc(t.columns, func(c plan.Output) bool { return g.Once && c.Name == g.Of })
		if at < 0 {
			continue
		}
		if t.told[g.Of] {
			texts[at] = ""
		}
		t.told[g.Of] = true
	}
	return t.put(entry{cells: texts})
}

// wait keeps a line until the widths are settled.
func (t *table) wait(l entry) error {
	if t.waiting = append(t.waiting, l); len(t.waiting) == widthRows {
		return t.flush()
	}
	return nil
}

// subtotal prints what closes a group beneath its rows, each total in its column.
func (t *table) subtotal(content []byte) error {
	var closed struct{ Group output.Subtotal }
	if err := decode(content, &closed); err != nil {
		return err
	}
	g := closed.Group
	for level := g.Level; level < len(t.groups); level++ {
		delete(t.told, t.groups[level].Of)
	}
	for _, line := range t.shown.Lines(t.shown.Heading(g), g.Totals, g.Count) {
		if err := t.put(entry{label: legible(line.Label), cells: line.Cells}); err != nil {
			return err
		}
	}
	return nil
}

// head prints what the records of a group have in common, before them.
func (t *table) head(content []byte) error {
	var opened struct{ Head output.Opening }
	if err := decode(content, &opened); err != nil {
		return err
	}
	return t.put(entry{text: legible(t.shown.OpeningText(opened.Head))})
}

// put prints a line, or keeps it until the widths are settled.
func (t *table) put(l entry) error {
	if t.widths == nil {
		return t.wait(l)
	}
	return t.print(l)
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
		if err := t.print(l); err != nil {
			return err
		}
	}
	t.waiting = nil
	return nil
}

// print prints a line. A label reaches as far as there is nothing in the columns; one that
// needs more room has a line of its own.
func (t *table) print(l entry) error {
	if l.cells == nil {
		return t.text(l.text)
	}
	cells, room, labelled := slices.Clone(l.cells), -2, 0
	for labelled < len(cells) && cells[labelled] == "" {
		room += t.widths[labelled] + 2
		labelled++
	}
	if l.label != "" && uniseg.StringWidth(l.label) > room {
		if err := t.text(l.label); err != nil {
			return err
		}
		l.label = ""
	}
	var line strings.Builder
	if l.label != "" {
		line.WriteString(l.label + strings.Repeat(" ", room-uniseg.StringWidth(l.label)))
		cells = cells[labelled:]
	} else {
		labelled = 0
	}
	for i, cell := range cells {
		pad := strings.Repeat(" ", max(0, t.widths[labelled+i]-uniseg.StringWidth(cell)))
		if labelled+i > 0 {
			line.WriteString("  ")
		}
		if t.columns[labelled+i].Type.IsNumber() {
			line.WriteString(pad + cell)
		} else {
			line.WriteString(cell + pad)
		}
	}
	return t.text(strings.TrimRight(line.String(), " "))
}
