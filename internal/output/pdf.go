package output

import (
	_ "embed" // the fonts
	"fmt"
	"io"
	"time"
	"unicode/utf8"

	"codeberg.org/go-pdf/fpdf"

	"pikegate/core/catalog"
	"pikegate/core/diag"
)

// MaxPDFRows is how many records a PDF holds at the most: the library keeps
// its pages until the end, and nobody turns more of them.
const MaxPDFRows = 20_000

// Lengths on paper, in millimetres, and sizes of letters, in points.
const (
	pageMargin = 12.0
	lineHeight = 5.0
	headHeight = 7.0
	footHeight = 8.0
	cellGap    = 2.0

	titleSize = 14.0
	textSize  = 8.5
	footSize  = 7.5
)

// measured is how many rows the widths of the columns are taken from.
const measured = 200

//go:embed fonts/DejaVuSansCondensed.ttf
var fontRegular []byte

//go:embed fonts/DejaVuSansCondensed-Bold.ttf
var fontBold []byte

// pdfWriter writes pages of the paper that the report names.
type pdfWriter struct {
	out    io.Writer
	header Header
	cells  cells
	zone   *time.Location
	pdf    *fpdf.Fpdf
	widths []float64
	// waiting are lines until the columns have their widths.
	waiting []pdfLine
	laidOut bool
	rows    int
}

// pdfLine is a record's cells, or the text that closes a group.
type pdfLine struct {
	cells   []string
	closing string
}

func newPDF(w io.Writer, zone *time.Location) Writer { return &pdfWriter{out: w, zone: zone} }

func (p *pdfWriter) Begin(h Header) error {
	p.header, p.cells = h, newCells(h.Columns, p.zone)
	// The library turns a size to the orientation it is given.
	orientation := "P"
	if h.Page.Width > h.Page.Height {
		orientation = "L"
	}
	size := fpdf.SizeType{Wd: min(h.Page.Width, h.Page.Height), Ht: max(h.Page.Width, h.Page.Height)}
	p.pdf = fpdf.NewCustom(&fpdf.InitType{OrientationStr: orientation, UnitStr: "mm", Size: size})
	p.pdf.SetMargins(pageMargin, pageMargin, pageMargin)
	p.pdf.SetAutoPageBreak(false, 0)
	p.pdf.AddUTF8FontFromBytes("text", "", fontRegular)
	p.pdf.AddUTF8FontFromBytes("text", "B", fontBold)
	p.pdf.SetTitle(h.Title, true)
	p.pdf.SetCreator("Pike Gate", true)
	p.pdf.AliasNbPages("{pages}")
	return nil
}

func (p *pdfWriter) Row(row []any) error {
	if p.rows++; p.rows > MaxPDFRows {
		return diag.Problems{{
			Code: "too_long", Field: "format", Message: fmt.Sprintf("A PDF holds %d records at the most.", MaxPDFRows),
			Hint: "Ask for fewer, or take them as CSV or XLSX.",
		}}
	}
	cells := make([]string, len(p.cells.columns))
	for i := range cells {
		b, k := p.cells.append(nil, i, row)
		if k == text && p.cells.columns[i].Type == catalog.DateTime && len(b) > 10 && b[10] == 'T' {
			b[10] = ' '
		}
		cells[i] = printable(string(b))
	}
	return p.line(pdfLine{cells: cells})
}

func (p *pdfWriter) Subtotal(s Subtotal) error {
	return p.line(pdfLine{closing: printable(s.Label + " " + orBlank(s.Value) + ": " + totalsText(s.Totals, s.Count))})
}

// printable leaves out what the fonts cannot hold: characters beyond the first
// plane, and those that have no shape.
func printable(s string) string {
	out := make([]rune, 0, len(s))
	for _, r := range s {
		switch {
		case r == '\n' || r == '\r' || r == '\t':
			r = ' '
		case r < ' ' || r > 0xFFFF:
			r = utf8.RuneError
		}
		out = append(out, r)
	}
	return string(out)
}

func (p *pdfWriter) line(l pdfLine) error {
	if p.laidOut {
		p.draw(l)
		return p.pdf.Error()
	}
	p.waiting = append(p.waiting, l)
	if len(p.waiting) >= measured {
		p.layOut(nil)
	}
	return p.pdf.Error()
}

// layOut gives the columns their widths, by what the first lines need, and
// draws what waited. The summary is there where the result was that short.
func (p *pdfWriter) layOut(s *Summary) {
	p.laidOut = true
	columns := p.header.Columns
	p.widths = make([]float64, len(columns))
	p.pdf.SetFont("text", "B", textSize)
	for i, c := range columns {
		p.widths[i] = p.pdf.GetStringWidth(c.Label)
	}
	p.pdf.SetFont("text", "", textSize)
	whole := 0.0
	for i := range columns {
		for _, l := range p.waiting {
			if l.closing == "" {
				p.widths[i] = max(p.widths[i], p.pdf.GetStringWidth(l.cells[i]))
			}
		}
		p.widths[i] += cellGap
		whole += p.widths[i]
	}
	width, _ := p.pdf.GetPageSize()
	for i := range p.widths {
		p.widths[i] *= (width - 2*pageMargin) / whole
	}
	p.newPage(s)
	for _, l := range p.waiting {
		p.draw(l)
	}
	p.waiting = nil
}

// newPage begins a page: on the first one what the report is, on each the heads
// of the columns and the foot.
func (p *pdfWriter) newPage(s *Summary) {
	p.pdf.AddPage()
	width, height := p.pdf.GetPageSize()
	p.pdf.SetFont("text", "", footSize)
	third := (width - 2*pageMargin) / 3
	p.pdf.SetXY(pageMargin, height-pageMargin)
	p.pdf.CellFormat(third, lineHeight, p.fitted(printable(p.header.Page.Footer), third), "", 0, "L", false, 0, "")
	p.pdf.CellFormat(third, lineHeight, fmt.Sprintf("Run %d, %s", p.header.Run, p.header.Zone), "", 0, "C", false, 0, "")
	p.pdf.CellFormat(third, lineHeight, fmt.Sprintf("%d / {pages}", p.pdf.PageNo()), "", 0, "R", false, 0, "")
	p.pdf.SetXY(pageMargin, pageMargin)
	if p.pdf.PageNo() == 1 {
		p.pdf.SetFont("text", "B", titleSize)
		p.pdf.CellFormat(0, 8, printable(p.header.Title), "", 1, "L", false, 0, "")
		p.pdf.SetFont("text", "", textSize)
		p.pdf.MultiCell(0, 4, printable(p.header.ReadBack), "", "L", false)
		if s != nil {
			p.pdf.MultiCell(0, 4, printable(found(*s)), "", "L", false)
		}
		p.pdf.Ln(2)
	}
	p.pdf.SetFont("text", "B", textSize)
	p.pdf.SetLineWidth(0.3)
	p.pdf.SetDrawColor(0, 0, 0)
	for i, c := range p.header.Columns {
		p.pdf.CellFormat(p.widths[i], headHeight, p.fitted(printable(c.Label), p.widths[i]), "B", 0, align(c.Type), false, 0, "")
	}
	p.pdf.Ln(headHeight)
	p.pdf.SetFont("text", "", textSize)
	p.pdf.SetLineWidth(0.1)
	p.pdf.SetDrawColor(190, 190, 190)
}

func (p *pdfWriter) draw(l pdfLine) {
	if _, height := p.pdf.GetPageSize(); p.pdf.GetY()+lineHeight > height-pageMargin-footHeight/2 {
		p.newPage(nil)
	}
	p.pdf.SetX(pageMargin)
	if l.closing != "" {
		p.pdf.SetFont("text", "B", textSize)
		p.pdf.CellFormat(0, lineHeight, l.closing, "B", 1, "L", false, 0, "")
		p.pdf.SetFont("text", "", textSize)
		return
	}
	for i, c := range p.header.Columns {
		p.pdf.CellFormat(p.widths[i], lineHeight, p.fitted(l.cells[i], p.widths[i]), "B", 0, align(c.Type), false, 0, "")
	}
	p.pdf.Ln(lineHeight)
}

// fitted is a text cut to a width; that it was cut is shown.
func (p *pdfWriter) fitted(s string, width float64) string {
	room := width - cellGap/2
	if p.pdf.GetStringWidth(s) <= room {
		return s
	}
	runes := []rune(s)
	for len(runes) > 0 && p.pdf.GetStringWidth(string(runes)+"…") > room {
		runes = runes[:len(runes)-1]
	}
	return string(runes) + "…"
}

func align(t catalog.Type) string {
	if t.IsNumber() {
		return "R"
	}
	return "L"
}

// found says in a sentence what was found.
func found(s Summary) string {
	text := fmt.Sprintf("%d records", s.Count)
	if s.First != "" {
		text += ", first " + s.First + ", last " + s.Last
	}
	text += "."
	if len(s.Totals) > 0 {
		text += " " + totalsText(s.Totals, s.Count) + "."
	}
	return text
}

func (p *pdfWriter) End(s Summary) error {
	if s.Problem != "" {
		return nil // what is half is not written
	}
	if !p.laidOut {
		p.layOut(&s)
	} else {
		p.draw(pdfLine{closing: printable(found(s))})
	}
	return p.pdf.Output(p.out)
}
