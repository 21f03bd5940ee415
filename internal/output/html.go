package output

import (
	_ "embed" // the page
	"html/template"
	"io"
	"slices"

	"pikegate/core/record"
)

//go:embed page.html
var pageText string

// page is the parts of the page around its records.
var page = template.Must(template.New("page").Parse(pageText))

// htmlWriter writes one page that needs nothing else: no script, no font, no picture.
// What was found stands beneath the records, which are written as they come.
type htmlWriter struct {
	buffered
	header Header
	cells  cells
	number []bool // by column, whether it stands to the right
	line   []byte
	cell   []byte
}

func newHTML(w io.Writer) Writer {
	return &htmlWriter{buffered: newBuffered(w)}
}

func (h *htmlWriter) Begin(header Header) error {
	h.header, h.cells = header, newCells(header)
	for _, c := range header.Columns {
		h.number = append(h.number, c.Type.IsNumber())
	}
	return page.ExecuteTemplate(h.out, "head", header)
}

func (h *htmlWriter) Row(r record.Record) error {
	h.line = append(h.line[:0], "<tr>"...)
	for i := range h.cells.columns {
		h.cell = h.cells.appendShown(h.cell[:0], i, r)
		h.begin("td", i, r[i].Emphasis.String())
		h.line = appendXML(h.line, string(h.cell))
	}
	return h.flushLine()
}

// begin begins a cell of a column, and of a class; HTML ends it at the next one.
func (h *htmlWriter) begin(tag string, i int, class string) {
	h.line = append(append(h.line, '<'), tag...)
	isNumber := i < len(h.number) && h.number[i]
	switch {
	case isNumber && class != "":
		h.line = append(append(append(h.line, ` class="n `...), class...), '"')
	case isNumber:
		h.line = append(h.line, " class=n"...)
	case class != "":
		h.line = append(append(h.line, " class="...), class...)
	}
	h.line = append(h.line, '>')
}

func (h *htmlWriter) flushLine() error {
	_, err := h.out.Write(append(h.line, '\n'))
	return err
}

// Subtotal writes the totals of a group beneath its records.
func (h *htmlWriter) Subtotal(s Subtotal) error {
	return h.totals("sub", h.cells.shown.Heading(s), s.Totals, s.Count)
}

func (h *htmlWriter) totals(class, label string, totals []Total, count int64) error {
	for _, l := range h.cells.shown.linesOf(label, totals, count) {
		h.line = append(append(append(h.line[:0], "<tr class="...), class...), "><th scope=row>"...)
		if t, ok := l.under[0]; ok {
			h.line = appendXML(h.line, h.cells.shown.Total(t))
		} else {
			h.line = appendXML(h.line, l.label)
		}
		for i := 1; i < len(h.header.Columns); i++ {
			h.begin("td", i, "")
			if t, ok := l.under[i]; ok && t.isCount() {
				h.line = appendXML(h.line, countText(t))
			} else if ok {
				h.line = appendXML(h.line, h.cells.shown.Total(t))
			}
		}
		if err := h.flushLine(); err != nil {
			return err
		}
	}
	return nil
}

func (h *htmlWriter) End(s Summary) error {
	if s.Problem != "" {
		return nil // it is no whole page
	}
	if len(s.Totals) > 0 && s.Count > 0 {
		if err := h.totals("all", "All records", s.Totals, s.Count); err != nil {
			return err
		}
	}
	lines := slices.DeleteFunc(aboutLines(h.header, s, 0), func(l [2]string) bool { return l[0] == "Title" || l[0] == "Selected" })
	if err := page.ExecuteTemplate(h.out, "foot", lines); err != nil {
		return err
	}
	return h.out.Flush()
}
