package output

import (
	_ "embed" // the fonts
	"fmt"
	"io"
	"slices"
	"sort"
	"strings"
	"unicode/utf8"

	"codeberg.org/go-pdf/fpdf"

	"pikegate/core/catalog"
	"pikegate/core/diag"
	"pikegate/core/record"
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

// Columns that are a little too wide for the paper get smaller letters, down to
// this part of their size; wider ones go on beside it, on sheets of their own.
const smallest = 0.8

// widest is the part of the paper's width that one column takes at the most; what is
// longer goes on beneath.
const widest = 0.45

// widestLabel is the part of it that the first column takes for what totals belong to.
const widestLabel = 0.25

//go:embed fonts/DejaVuSansCondensed.ttf
var fontRegular []byte

//go:embed fonts/DejaVuSansCondensed-Bold.ttf
var fontBold []byte

// pdfWriter writes pages of the paper that the report names. It keeps the lines
// until the end, as its library keeps the pages: no cell is cut because a longer
// one came late, and what was found stands on the first page.
type pdfWriter struct {
	out    io.Writer
	header Header
	cells  cells
	pdf    *fpdf.Fpdf
	lines  []pdfLine
	rows   int
	// size is that of the letters in the cells, in points.
	size float64
}

// strip is the columns that stand beside each other on a sheet, by their place
// in the report, and their widths.
type strip struct {
	columns []int
	widths  []float64
}

// pdfLine is a line of a record, or one of totals, each under its column.
type pdfLine struct {
	cells []string
	// label says what totals belong to, from the first column on; it is a line by itself
	// where there are no cells.
	label string
	total bool
	// emphasis is how each cell stands out; nil where none does.
	emphasis []record.Emphasis
	// goesOn tells that the record has more lines.
	goesOn bool
}

func newPDF(w io.Writer) Writer { return &pdfWriter{out: w} }

func (p *pdfWriter) Begin(h Header) error {
	p.header, p.cells = h, newCells(h)
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

func (p *pdfWriter) Row(r record.Record) error {
	if p.rows++; p.rows > MaxPDFRows {
		return diag.Problems{{
			Code: "too_long", Field: "format", Message: fmt.Sprintf("A PDF holds %d records at the most.", MaxPDFRows),
			Hint: "Ask for fewer, or take them as CSV or XLSX.",
		}}
	}
	line := pdfLine{cells: make([]string, len(p.cells.columns))}
	for i := range line.cells {
		line.cells[i] = printable(string(p.cells.appendShown(nil, i, r)))
		if e := r[i].Emphasis; e != 0 {
			if line.emphasis == nil {
				line.emphasis = make([]record.Emphasis, len(line.cells))
			}
			line.emphasis[i] = e
		}
	}
	p.lines = append(p.lines, line)
	return nil
}

func (p *pdfWriter) Subtotal(s Subtotal) error {
	p.totals(p.cells.shown.Heading(s), s.Totals, s.Count)
	return nil
}

func (p *pdfWriter) totals(label string, totals []Total, count int64) {
	for _, line := range p.cells.shown.linesOf(label, totals, count) {
		l := pdfLine{cells: make([]string, len(p.header.Columns)), label: printable(line.label), total: true}
		for at, t := range line.under {
			if l.cells[at] = printable(p.cells.shown.Total(t)); t.isCount() && at > 0 {
				l.cells[at] = printable(countText(t))
			}
		}
		p.lines = append(p.lines, l)
	}
}

// longestCell is how many characters are printed of one text at the most; no
// line of paper holds more.
const longestCell = 4000

// printable leaves out what the fonts cannot hold: characters beyond the first
// plane, and those that have no shape.
func printable(s string) string {
	out := make([]rune, 0, min(len(s), longestCell+1))
	for _, r := range s {
		if len(out) == longestCell {
			return string(append(out, '…'))
		}
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

// strips shares the columns out. Each gets what its longest cell needs. Where
// that is more than the paper has, what does not fit goes on in another strip,
// which begins with the first column again so that its lines can be told apart.
func (p *pdfWriter) strips() []strip {
	columns := p.header.Columns
	widths := make([]float64, len(columns))
	p.pdf.SetFont("text", "B", textSize)
	for i, c := range columns {
		widths[i] = p.pdf.GetStringWidth(printable(c.Label))
	}
	for _, l := range p.lines {
		p.pdf.SetFont("text", l.style(), textSize)
		for i, cell := range l.cells {
			p.emphasise(l, i, textSize)
			widths[i] = max(widths[i], p.pdf.GetStringWidth(cell))
		}
		if l.label != "" && (len(columns) == 1 || l.cells[1] != "") { // it has the first column alone
			widths[0] = max(widths[0], min(p.pdf.GetStringWidth(l.label), p.room()*widestLabel))
		}
	}
	room := p.room()
	whole := 0.0
	for i := range widths {
		widths[i] = min(widths[i]+cellGap, room*widest)
		whole += widths[i]
	}
	p.size = textSize
	if room < whole && room >= whole*smallest {
		p.size *= room / whole
	}
	var strips []strip
	used := 0.0
	for i, width := range widths {
		switch {
		case i == 0:
			strips = []strip{{}}
		case whole*smallest > room && used+width > room:
			strips = append(strips, strip{[]int{0}, []float64{widths[0]}})
			used = widths[0]
		}
		on := &strips[len(strips)-1]
		on.columns, on.widths = append(on.columns, i), append(on.widths, width)
		used += width
	}
	for _, s := range strips {
		stretch(s.widths, room)
	}
	return strips
}

// style is that of the letters of a line.
func (l pdfLine) style() string {
	if l.total {
		return "B"
	}
	return ""
}

// inks are the colours of what stands out, beside its weight and its mark.
var inks = map[record.Emphasis][3]int{record.Quiet: {86, 96, 91}, record.Good: {29, 107, 52}, record.Warning: {138, 90, 0}, record.Bad: {168, 32, 26}}

// emphasise takes the letters of a cell of a line in which some stand out.
func (p *pdfWriter) emphasise(l pdfLine, i int, size float64) {
	if l.emphasis == nil {
		return
	}
	style := "B"
	if e := l.emphasis[i]; e == 0 || e == record.Quiet {
		style = ""
	}
	p.pdf.SetFont("text", style, size)
}

// physical are the lines as they stand on the paper: a text that is wider than its column
// goes on beneath, and so does a label that totals leave no room for.
func (p *pdfWriter) physical(strips []strip) []pdfLine {
	widths := make([]float64, len(p.header.Columns))
	for _, on := range strips {
		for i, c := range on.columns {
			widths[c] = on.widths[i]
		}
	}
	lines := make([]pdfLine, 0, len(p.lines))
	style := "-"
	for _, l := range p.lines {
		if style != l.style() || l.emphasis != nil {
			style = l.style()
			p.pdf.SetFont("text", style, p.size)
		}
		if l.total {
			room := p.room()
			for _, on := range strips {
				room = min(room, l.roomOfLabel(on))
			}
			if l.label != "" && p.pdf.GetStringWidth(l.label) > room-cellGap/2 {
				for _, part := range p.wrapped(l.label, p.room()) {
					lines = append(lines, pdfLine{label: part, total: true, goesOn: true})
				}
				l.label = ""
			}
		}
		pieces, most := make([][]string, len(l.cells)), 1
		for i, cell := range l.cells {
			p.emphasise(l, i, p.size)
			pieces[i] = p.wrapped(cell, widths[i])
			most = max(most, len(pieces[i]))
		}
		if most == 1 {
			lines = append(lines, l)
			continue
		}
		for n := range most {
			part := pdfLine{cells: make([]string, len(l.cells)), total: l.total, emphasis: l.emphasis, goesOn: n < most-1}
			for i := range pieces {
				if n < len(pieces[i]) {
					part.cells[i] = pieces[i][n]
				}
			}
			lines = append(lines, part)
		}
	}
	return lines
}

// roomOfLabel is how much room totals leave before the first of them.
func (l pdfLine) roomOfLabel(on strip) (room float64) {
	for i, c := range on.columns {
		if l.cells[c] != "" {
			break
		}
		room += on.widths[i]
	}
	return room
}

// mostOnLine is how many characters are looked at for one line.
const mostOnLine = 400

// wrapped is a text in lines that fit a width, broken at blanks where there are some.
func (p *pdfWriter) wrapped(s string, width float64) (lines []string) {
	room := width - cellGap/2
	if p.pdf.GetStringWidth(s) <= room {
		return []string{s}
	}
	for runes := []rune(s); len(runes) > 0; {
		looked := min(len(runes), mostOnLine)
		most := sort.Search(looked, func(n int) bool { return p.pdf.GetStringWidth(string(runes[:n+1])) > room })
		most = max(most, 1) // a letter at least, however narrow the column
		if most < len(runes) {
			for at := most; at > 0; at-- {
				if runes[at] == ' ' {
					most = at
					break
				}
			}
		}
		lines = append(lines, strings.TrimRight(string(runes[:most]), " "))
		if runes = runes[most:]; len(runes) > 0 && runes[0] == ' ' {
			runes = runes[1:]
		}
	}
	return lines
}

// stretch makes widths fill the room, in proportion.
func stretch(widths []float64, room float64) {
	whole := 0.0
	for _, w := range widths {
		whole += w
	}
	for i := range widths {
		widths[i] *= room / whole
	}
}

// room is the width between the margins.
func (p *pdfWriter) room() float64 {
	width, _ := p.pdf.GetPageSize()
	return width - 2*pageMargin
}

// newPage begins a page: on the first one what the report is, on each the heads
// of its columns and the foot.
func (p *pdfWriter) newPage(s Summary, on strip, beside string) {
	p.pdf.AddPage()
	_, height := p.pdf.GetPageSize()
	p.pdf.SetFont("text", "", footSize)
	third := p.room() / 3
	p.pdf.SetXY(pageMargin, height-pageMargin)
	p.pdf.CellFormat(third, lineHeight, p.fitted(printable(p.header.Page.Footer), third), "", 0, "L", false, 0, "")
	p.pdf.CellFormat(third, lineHeight, strings.Join(slices.DeleteFunc([]string{fmt.Sprintf("Run %d", p.header.Run), p.header.Delivery, p.header.Zone}, func(s string) bool { return s == "" }), ", "), "", 0, "C", false, 0, "")
	p.pdf.CellFormat(third, lineHeight, fmt.Sprintf("%s%d / {pages}", beside, p.pdf.PageNo()), "", 0, "R", false, 0, "")
	p.pdf.SetXY(pageMargin, pageMargin)
	if p.pdf.PageNo() == 1 {
		p.pdf.SetFont("text", "B", titleSize)
		p.pdf.CellFormat(0, 8, printable(p.header.Title), "", 1, "L", false, 0, "")
		p.pdf.SetFont("text", "", textSize)
		p.pdf.MultiCell(0, 4, printable(p.header.ReadBack), "", "L", false)
		p.pdf.MultiCell(0, 4, printable(p.cells.shown.found(s)), "", "L", false)
		p.pdf.Ln(2)
	}
	p.pdf.SetFont("text", "B", p.size)
	p.pdf.SetLineWidth(0.3)
	p.pdf.SetDrawColor(0, 0, 0)
	for i, c := range on.columns {
		column := p.header.Columns[c]
		p.pdf.CellFormat(on.widths[i], headHeight, p.fitted(printable(column.Label), on.widths[i]), "B", 0, align(column.Type), false, 0, "")
	}
	p.pdf.Ln(headHeight)
	p.pdf.SetFont("text", "", p.size)
	p.pdf.SetLineWidth(0.1)
	p.pdf.SetDrawColor(190, 190, 190)
}

// full reports whether the page has no room for another line.
func (p *pdfWriter) full() bool {
	_, height := p.pdf.GetPageSize()
	return p.pdf.GetY()+lineHeight > height-pageMargin-footHeight/2
}

func (p *pdfWriter) draw(l pdfLine, on strip) {
	p.pdf.SetX(pageMargin)
	border := "B"
	if l.goesOn {
		border = ""
	}
	if l.total {
		p.pdf.SetFont("text", "B", p.size)
		defer p.pdf.SetFont("text", "", p.size)
	}
	if l.cells == nil {
		p.pdf.CellFormat(0, lineHeight, l.label, border, 1, "L", false, 0, "")
		return
	}
	labelled := 0.0 // how far the label reaches
	if l.label != "" {
		labelled = l.roomOfLabel(on)
		p.pdf.CellFormat(labelled, lineHeight, l.label, border, 0, "L", false, 0, "")
	}
	at := 0.0
	for i, c := range on.columns {
		if at += on.widths[i]; at > labelled {
			if p.emphasise(l, c, p.size); l.emphasis != nil {
				ink := inks[l.emphasis[c]]
				p.pdf.SetTextColor(ink[0], ink[1], ink[2])
			}
			p.pdf.CellFormat(on.widths[i], lineHeight, l.cells[c], border, 0, align(p.header.Columns[c].Type), false, 0, "")
		}
	}
	if l.emphasis != nil {
		p.pdf.SetFont("text", "", p.size)
		p.pdf.SetTextColor(0, 0, 0)
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
	most := sort.Search(len(runes), func(n int) bool { return p.pdf.GetStringWidth(string(runes[:n+1])+"…") > room })
	return string(runes[:most]) + "…"
}

func align(t catalog.Type) string {
	if t.IsNumber() {
		return "R"
	}
	return "L"
}

// found says in a sentence what was found.
func (shown *Shown) found(s Summary) string {
	text := Counted(s.Count, "record", "records")
	if s.First != "" {
		text += ", first " + shown.Moment(s.First) + ", last " + shown.Moment(s.Last)
	}
	text += "."
	if len(s.Totals) > 0 {
		text += " " + shown.totalsText(s.Totals, s.Count) + "."
	}
	return text
}

// Flush does nothing: how wide columns are is known at the end.
func (p *pdfWriter) Flush() error { return nil }

func (p *pdfWriter) End(s Summary) error {
	if s.Problem != "" {
		return nil // what is half is not written
	}
	if len(s.Totals) > 0 && s.Count > 0 {
		p.totals("All records", s.Totals, s.Count)
	}
	strips := p.strips()
	for lines := p.physical(strips); ; {
		drawn := 0
		for i, on := range strips {
			beside := ""
			if len(strips) > 1 {
				beside = fmt.Sprintf("Columns, part %d of %d    ", i+1, len(strips))
			}
			p.newPage(s, on, beside)
			// The other strips hold the lines that the first one holds.
			if i == 0 {
				for drawn < len(lines) && (drawn == 0 || !p.full()) {
					p.draw(lines[drawn], on)
					drawn++
				}
				continue
			}
			for _, l := range lines[:drawn] {
				p.draw(l, on)
			}
		}
		if lines = lines[drawn:]; len(lines) == 0 {
			break
		}
	}
	if err := p.pdf.Error(); err != nil {
		return err
	}
	return p.pdf.Output(p.out)
}
