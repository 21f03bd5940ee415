package output

import (
	_ "embed" // the page
	"fmt"
	"html/template"
	"io"
	"slices"
	"strings"

	"github.com/yuin/goldmark"

	"pikegate/core/record"
	"pikegate/internal/paper"
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
	links  *links
	number []bool // by column, whether it stands to the right
	line   []byte
	cell   []byte
}

func newHTML(w io.Writer) Writer {
	return &htmlWriter{buffered: newBuffered(w)}
}

func (h *htmlWriter) Begin(header Header) error {
	h.prepare(header)
	return page.ExecuteTemplate(h.out, "head", headed(header))
}

func (h *htmlWriter) prepare(header Header) {
	h.header, h.cells, h.links = header, newCells(header), newLinks(header)
	for _, c := range header.Columns {
		h.number = append(h.number, c.Type.IsNumber())
	}
}

// headed is a header with its texts filled in.
func headed(h Header) any {
	return struct {
		Header
		Heading, Subtitle string
	}{h, h.Fill(h.Page.TitleOr(h.Title), 1, 1), h.Fill(h.Page.Subtitle, 1, 1)}
}

func (h *htmlWriter) Row(r record.Record) error {
	h.line = append(h.line[:0], "<tr>"...)
	addresses := h.links.addresses(r)
	for i := range h.cells.columns {
		h.cell = h.cells.appendShown(h.cell[:0], i, r)
		h.begin("td", i, r[i].Emphasis.String())
		if addresses != nil {
			h.leads(addresses[i], string(h.cell))
			continue
		}
		h.line = appendXML(h.line, string(h.cell))
	}
	h.cells.passed()
	return h.flushLine()
}

// Opening writes what the records of a group have in common, where that is shown.
func (h *htmlWriter) Opening(g Opening) error {
	h.cells.opened(g.Level)
	address := h.links.opens(g)
	if !h.cells.isHeaded(g.Level) {
		return nil
	}
	h.line = fmt.Appendf(h.line[:0], "<tr class=head><th scope=rowgroup colspan=%d>", max(1, len(h.header.Columns)))
	h.leads(address, h.cells.shown.OpeningText(g))
	return h.flushLine()
}

// leads appends a text that leads somewhere, unless the address is blank.
func (h *htmlWriter) leads(address, text string) {
	if address == "" || text == "" {
		h.line = appendXML(h.line, text)
		return
	}
	h.line = append(append(append(h.line, `<a href="`...), attribute(address)...), `">`...)
	h.line = append(appendXML(h.line, text), "</a>"...)
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
	address := ""
	if !s.All {
		address = h.links.group(s.Level)
	}
	return h.totals("sub", h.cells.shown.Heading(s), address, s.Totals, s.Count)
}

func (h *htmlWriter) totals(class, label, address string, totals []Total, count int64) error {
	for _, l := range h.cells.shown.Lines(label, totals, count) {
		h.line = append(append(append(h.line[:0], "<tr class="...), class...), "><th scope=row>"...)
		if len(l.Cells) > 0 && l.Cells[0] != "" {
			l.Label = l.Cells[0]
		}
		h.leads(address, l.Label)
		for i := 1; i < len(l.Cells); i++ {
			h.begin("td", i, "")
			h.line = appendXML(h.line, l.Cells[i])
		}
		if err := h.flushLine(); err != nil {
			return err
		}
	}
	return nil
}

// chart draws the chart as vectors, so many millimetres wide and high.
func (h *htmlWriter) chart(c *Chart, width, height float64) error {
	if _, err := h.out.WriteString("<figure class=chart>\n"); err != nil {
		return err
	}
	if err := paper.WriteSVG(h.out, c.Draw(h.header.Place(), width, height)); err != nil {
		return err
	}
	_, err := h.out.WriteString("</figure>\n")
	return err
}

// notes writes the notes of the report. The library leaves out HTML that stands in them.
func (h *htmlWriter) notes() error {
	if strings.TrimSpace(h.header.Page.Notes) == "" {
		return nil
	}
	if _, err := h.out.WriteString("<section class=notes>\n"); err != nil {
		return err
	}
	if err := goldmark.Convert([]byte(h.header.Notes()), h.out); err != nil {
		return err
	}
	_, err := h.out.WriteString("</section>\n")
	return err
}

// close ends the table, with the totals of all records.
func (h *htmlWriter) close(s Summary) error {
	if len(s.Totals) > 0 && s.Count > 0 {
		if err := h.totals("all", "All records", "", s.Totals, s.Count); err != nil {
			return err
		}
	}
	_, err := h.out.WriteString("</tbody>\n</table>\n</div>\n")
	return err
}

func (h *htmlWriter) End(s Summary) error {
	if s.Problem != "" {
		return nil // it is no whole page
	}
	if err := h.close(s); err != nil {
		return err
	}
	if s.Chart != nil && len(s.Chart.Points) > 0 && h.header.Page.Chart != "none" {
		if err := h.chart(s.Chart, pictureWidth, pictureHeight); err != nil {
			return err
		}
	}
	if err := h.notes(); err != nil {
		return err
	}
	lines := slices.DeleteFunc(aboutLines(h.header, s, 0), func(l [2]string) bool { return l[0] == "Title" || l[0] == "Selected" })
	if err := page.ExecuteTemplate(h.out, "foot", lines); err != nil {
		return err
	}
	return h.out.Flush()
}
