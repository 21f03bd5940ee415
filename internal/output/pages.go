package output

import (
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/diag"
	"pikegate/core/record"
	"pikegate/internal/paper"
)

// MaxPDFRows is how many records are laid out on paper at the most: the pages are
// kept until the end, and nobody turns more of them.
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

var (
	rulerInk = paper.Ink{R: 190, G: 190, B: 190}
	// inks are the colours of what stands out, beside its weight and its mark.
	inks = map[record.Emphasis]paper.Ink{record.Quiet: {R: 86, G: 96, B: 91}, record.Good: {R: 29, G: 107, B: 52}, record.Warning: {R: 138, G: 90}, record.Bad: {R: 168, G: 32, B: 26}}
)

// pagesWriter lays a result out on the paper that the report names, and has the pages
// drawn. It keeps the lines until the end: no cell is cut because a longer one came late,
// and what was found stands on the first page.
type pagesWriter struct {
	out  io.Writer
	draw func(w io.Writer, h Header, pages func(yield func(paper.Page) bool)) error
	// pictures tells that the pages are drawn as such.
	pictures bool
	header   Header
	cells    cells
	letters  *paper.Letters
	links    *links
	lines    []pageLine
	rows     int
	begins   bool // a page, with the next line
	// letterSize is that of the letters in the cells, in points.
	letterSize float64
}

// strip is the columns that stand beside each other on a sheet, by their place
// in the report, and their widths.
type strip struct {
	columns []int
	widths  []float64
}

// pageLine is a line of a record, or one of totals, each under its column, or the head of
// a group.
type pageLine struct {
	cells []string
	// label says what totals belong to, from the first column on; it is a line by itself
	// where there are no cells.
	label string
	total bool
	// address is where the label leads, blank for nowhere.
	address string
	// emphasis is how each cell stands out; nil where none does.
	emphasis []record.Emphasis
	// addresses are where each cell leads; nil where none does.
	addresses []string
	// goesOn tells that the record has more lines.
	goesOn bool
	// head tells that the line is what records of a group have in common, and level which.
	head  bool
	level int
	// begins tells that a page begins with it.
	begins bool
}

func newPDF(w io.Writer) Writer { return &pagesWriter{out: w, draw: drawPDF} }

func newPages(w io.Writer) Writer { return &pagesWriter{out: w, draw: drawPages, pictures: true} }

func drawPDF(w io.Writer, h Header, pages func(yield func(paper.Page) bool)) error {
	file := paper.NewPDF(h.Title, h.Page.Width, h.Page.Height)
	for page := range pages {
		file.Page(page)
	}
	return file.Finish(w)
}

// drawPages writes the pages as pictures, each on a line of its own.
func drawPages(w io.Writer, _ Header, pages func(yield func(paper.Page) bool)) (err error) {
	for page := range pages {
		if err = paper.WriteSVG(w, page); err != nil {
			return err
		}
	}
	return nil
}

func (p *pagesWriter) Begin(h Header) error {
	p.header, p.cells, p.letters, p.links = h, newCells(h), paper.NewLetters(), newLinks(h)
	return nil
}

func (p *pagesWriter) Row(r record.Record) error {
	if p.rows++; p.rows > MaxPDFRows {
		return diag.Problems{{
			Code: "too_long", Field: "format", Message: fmt.Sprintf("A PDF holds %d records at the most.", MaxPDFRows),
			Hint: "Ask for fewer, or take them as CSV or XLSX.",
		}}
	}
	line := pageLine{cells: make([]string, len(p.cells.columns))}
	for i := range line.cells {
		line.cells[i] = paper.Printable(string(p.cells.appendShown(nil, i, r)))
		if e := r[i].Emphasis; e != 0 {
			if line.emphasis == nil {
				line.emphasis = make([]record.Emphasis, len(line.cells))
			}
			line.emphasis[i] = e
		}
	}
	line.addresses = p.links.addresses(r)
	p.cells.passed()
	p.add(line)
	return nil
}

func (p *pagesWriter) add(line pageLine) {
	line.begins, p.begins = p.begins, false
	p.lines = append(p.lines, line)
}

func (p *pagesWriter) Opening(g Opening) error {
	p.cells.opened(g.Level)
	address := p.links.opens(g)
	p.begins = p.begins || p.header.Groups[g.Level].Page && len(p.lines) > 0
	if p.header.Groups[g.Level].Head {
		p.add(pageLine{label: paper.Printable(p.cells.shown.OpeningText(g)), head: true, level: g.Level, address: address})
	}
	return nil
}

func (p *pagesWriter) Subtotal(s Subtotal) error {
	address := ""
	if !s.All {
		address = p.links.group(s.Level)
	}
	p.totals(p.cells.shown.Heading(s), address, s.Totals, s.Count)
	return nil
}

func (p *pagesWriter) totals(label, address string, totals []Total, count int64) {
	for _, line := range p.cells.shown.Lines(label, totals, count) {
		for i := range line.Cells {
			line.Cells[i] = paper.Printable(line.Cells[i])
		}
		p.add(pageLine{cells: line.Cells, label: paper.Printable(line.Label), total: true, address: address})
	}
}

// Flush does nothing: how wide columns are is known at the end.
func (p *pagesWriter) Flush() error { return nil }

func (p *pagesWriter) End(s Summary) error {
	if s.Problem != "" {
		return nil // what is half is not written
	}
	if err := p.writable(); err != nil {
		return err
	}
	if len(s.Totals) > 0 && s.Count > 0 {
		p.totals("All records", "", s.Totals, s.Count)
	}
	return p.draw(p.out, p.header, p.layOut(s))
}

// writable tells which font is missing, where one is. Pictures are drawn with the fonts of
// whoever looks at them.
func (p *pagesWriter) writable() error {
	if p.pictures {
		return nil
	}
	for _, l := range p.lines {
		for _, text := range append(l.cells, l.label) {
			if missing := paper.Missing(text); missing != "" {
				return diag.Problems{{
					Code: "font_missing", Field: "format", Message: fmt.Sprintf("The letters of %q are not installed on the machine of the service.", shortened([]byte(text))),
					Hint: "Have whoever runs it install Debian's package " + missing + ", or take the records as XLSX or HTML.",
				}}
			}
		}
	}
	return nil
}

// isBold tells whether the i-th cell of a line has bold letters.
func (l pageLine) isBold(i int) bool {
	if l.emphasis != nil {
		return l.emphasis[i] != 0 && l.emphasis[i] != record.Quiet
	}
	return l.total || l.head
}

// strips shares the columns out. Each gets what its longest cell needs. Where
// that is more than the paper has, what does not fit goes on in another strip,
// which begins with the first columns again so that its lines can be told apart.
func (p *pagesWriter) strips() []strip {
	columns := p.header.Columns
	widths := make([]float64, len(columns))
	for i, c := range columns {
		widths[i] = p.letters.Width(paper.Printable(c.Label), textSize, true)
	}
	for _, l := range p.lines {
		for i, cell := range l.cells {
			widths[i] = max(widths[i], p.letters.Width(cell, textSize, l.isBold(i)))
		}
		if l.total && l.label != "" && (len(columns) == 1 || l.cells[1] != "") { // it has the first column alone
			widths[0] = max(widths[0], min(p.letters.Width(l.label, textSize, true), p.room()*widestLabel))
		}
	}
	room := p.room()
	whole := 0.0
	for i := range widths {
		widths[i] = min(widths[i]+cellGap, room*widest)
		whole += widths[i]
	}
	p.letterSize = textSize
	if room < whole && room >= whole*smallest {
		p.letterSize *= room / whole
	}
	var strips []strip
	var on *strip
	used, lead := 0.0, p.lead(widths)
	for i, width := range widths {
		switch {
		case i == 0:
			strips = []strip{{}}
		case whole*smallest > room && used+width > room && i >= lead:
			strips = append(strips, strip{})
			on, used = &strips[len(strips)-1], 0
			for at := range lead {
				on.columns, on.widths = append(on.columns, at), append(on.widths, widths[at])
				used += widths[at]
			}
		}
		on = &strips[len(strips)-1]
		on.columns, on.widths = append(on.columns, i), append(on.widths, width)
		used += width
	}
	for _, s := range strips {
		stretch(s.widths, room)
	}
	return strips
}

// lead is how many columns stand on every sheet: those that records are grouped by, where
// these are the first ones and leave room for others; else the first one.
func (p *pagesWriter) lead(widths []float64) int {
	n := p.header.Lead
	for n < len(p.header.Columns) && slices.ContainsFunc(p.header.Groups, func(g Grouping) bool { return g.Of == p.header.Columns[n].Name }) {
		n++
	}
	for wide := 0.0; n > 1; n-- {
		for _, w := range widths[:n] {
			wide += w
		}
		if wide <= p.room()/2 {
			break
		}
		wide = 0
	}
	return min(max(n, 1), len(widths))
}

// physical are the lines as they stand on the paper: a text that is wider than its column
// goes on beneath, and so does a label that totals leave no room for.
func (p *pagesWriter) physical(strips []strip) []pageLine {
	widths := make([]float64, len(p.header.Columns))
	for _, on := range strips {
		for i, c := range on.columns {
			widths[c] = on.widths[i]
		}
	}
	lines := make([]pageLine, 0, len(p.lines))
	for _, l := range p.lines {
		begins := l.begins
		put := func(l pageLine) {
			l.begins, begins = begins, false
			lines = append(lines, l)
		}
		if l.total || l.head {
			room := p.room()
			for _, on := range strips {
				if l.total {
					room = min(room, l.roomOfLabel(on))
				}
			}
			if l.label != "" && p.letters.Width(l.label, p.letterSize, true) > room-cellGap/2 {
				parts := p.letters.Wrapped(l.label, p.room()-cellGap/2, p.letterSize, true)
				for i, part := range parts {
					put(pageLine{label: part, total: l.total, head: l.head, level: l.level, address: l.address, goesOn: l.total || i < len(parts)-1})
				}
				if l.label = ""; l.head {
					continue
				}
			}
		}
		pieces, most := make([][]string, len(l.cells)), 1
		for i, cell := range l.cells {
			pieces[i] = p.letters.Wrapped(cell, widths[i]-cellGap/2, p.letterSize, l.isBold(i))
			most = max(most, len(pieces[i]))
		}
		if most == 1 {
			put(l)
			continue
		}
		for n := range most {
			part := pageLine{cells: make([]string, len(l.cells)), total: l.total, address: l.address, emphasis: l.emphasis, addresses: l.addresses, goesOn: n < most-1}
			if n == 0 {
				part.label = l.label
			}
			for i := range pieces {
				if n < len(pieces[i]) {
					part.cells[i] = pieces[i][n]
				}
			}
			put(part)
		}
	}
	return lines
}

// roomOfLabel is how much room totals leave before the first of them.
func (l pageLine) roomOfLabel(on strip) (room float64) {
	for i, c := range on.columns {
		if l.cells[c] != "" {
			break
		}
		room += on.widths[i]
	}
	return room
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
func (p *pagesWriter) room() float64 { return p.header.Page.Width - 2*pageMargin }

// bottom is how far down lines reach.
func (p *pagesWriter) bottom() float64 { return p.header.Page.Height - pageMargin - footHeight/2 }

// layOut shares everything out among pages, and draws them as they are asked for.
func (p *pagesWriter) layOut(s Summary) func(yield func(paper.Page) bool) {
	on := p.sheets()
	for _, b := range p.top(s) {
		on.put(b)
	}
	chart := p.chart(s)
	if p.header.Page.Chart != "after" {
		for _, b := range chart { // on a page of its own where it leaves no room for lines
			on.need(b.height + fewestLines)
			on.put(b)
		}
		chart = nil
	}
	p.table(on)
	for _, b := range append(chart, p.notes()...) {
		on.put(b)
	}
	return on.draw(p)
}

// sheets are the pages that are to be filled.
func (p *pagesWriter) sheets() *sheets { return &sheets{bottom: p.bottom()} }

// fewestLines is the room for the heads of a table and a few lines, which do not stand apart.
const fewestLines = headHeight + 3*lineHeight

// table lays the lines out on as many pages as they need: with the heads of the columns again
// on each, and on sheets beside each other where these are too wide.
func (p *pagesWriter) table(on *sheets) {
	strips := p.strips()
	on.need(fewestLines)
	var open []string // the heads of groups that are under way
	lines := p.physical(strips)
	for begun := false; !begun || len(lines) > 0; begun = true {
		if begun {
			on.turn()
		}
		drawn := p.fitting(lines, int((on.room()-headHeight)/lineHeight), open)
		page := append(continued(open, lines[:drawn]), lines[:drawn]...)
		for i, columns := range strips {
			if i > 0 {
				on.turn()
			}
			if len(strips) > 1 {
				on.last().beside = fmt.Sprintf("Columns, part %d of %d    ", i+1, len(strips))
			}
			on.put(p.linesOf(columns, page))
		}
		for _, l := range lines[:drawn] {
			if l.head {
				open = append(open[:min(l.level, len(open))], l.label)
			}
		}
		lines = lines[drawn:]
	}
	if len(strips) > 1 {
		on.close()
	}
}

// linesOf are lines beneath the heads of their columns.
func (p *pagesWriter) linesOf(on strip, lines []pageLine) block {
	return block{headHeight + float64(len(lines))*lineHeight, func(page *paper.Page, top float64) {
		y := p.heads(page, on, top)
		for _, l := range lines {
			p.line(page, l, on, y)
			y += lineHeight
		}
	}}
}

// continued are the heads of groups that are under way where a page begins.
func continued(open []string, page []pageLine) (heads []pageLine) {
	level := len(open)
	if len(page) > 0 && page[0].head {
		level = min(level, page[0].level)
	}
	for _, label := range open[:level] {
		heads = append(heads, pageLine{label: label + ", continued", head: true})
	}
	return heads
}

// fitting is how many lines go on a page that has room for some: a page of their own where
// they ask for it, the last line of a group never by itself at the top of the next page, nor
// a head at the foot of this one.
func (p *pagesWriter) fitting(lines []pageLine, room int, open []string) int {
	room = max(room-len(continued(open, lines)), 1)
	for i := 1; i < len(lines) && i <= room; i++ {
		if lines[i].begins {
			return i
		}
	}
	if len(lines) <= room {
		return len(lines)
	}
	n := room
	for n > 3 && (lines[n].total && !lines[n-1].total || lines[n-1].goesOn || lines[n-1].head) {
		n--
	}
	if n <= 3 {
		return room
	}
	return n
}

// put draws a text into a box, at its left, in its middle or at its right.
func (p *pagesWriter) put(page *paper.Page, text string, x, y, width, height, size float64, bold bool, where align, ink paper.Ink) {
	if text == "" {
		return
	}
	wide := p.letters.Width(text, size, bold)
	switch where {
	case right:
		x += width - wide - cellGap/2
	case centre:
		x += (width - wide) / 2
	default:
		x += cellGap / 2
	}
	// Letters stand on a line that lies by a part of their height below the middle.
	page.Texts = append(page.Texts, paper.Text{X: x, Y: y + height/2 + size*0.3528*0.32, Text: text, Size: size, Width: wide, Bold: bold, Ink: ink})
}

type align int

const (
	left align = iota
	centre
	right
)

func alignOf(t catalog.Type) align {
	if t.IsNumber() {
		return right
	}
	return left
}

// foot draws what stands at the foot of a page.
func (p *pagesWriter) foot(page *paper.Page, beside string, number, of int) {
	y, third := page.Height-pageMargin, p.room()/3
	counts := fmt.Sprintf("%s%d / %d", beside, number, of)
	footer := p.header.Page.Footer
	if strings.Contains(footer, "{page}") { // it says so itself
		counts = beside
	}
	p.put(page, p.fitted(p.header.Fill(footer, number, of), third-cellGap, footSize), pageMargin, y, third, lineHeight, footSize, false, left, paper.Ink{})
	about := strings.Join(slices.DeleteFunc([]string{p.header.runs(), p.header.Delivery, p.header.Zone}, func(s string) bool { return s == "" }), ", ")
	p.put(page, about, pageMargin+third, y, third, lineHeight, footSize, false, centre, paper.Ink{})
	p.put(page, strings.TrimRight(counts, " "), pageMargin+2*third, y, third, lineHeight, footSize, false, right, paper.Ink{})
}

// runs names the run, or the runs of a page with several.
func (h Header) runs() string {
	switch {
	case h.Run == 0:
		return ""
	case h.LastRun > h.Run:
		return fmt.Sprintf("Runs %d to %d", h.Run, h.LastRun)
	}
	return fmt.Sprintf("Run %d", h.Run)
}

// passage is a text, and how it is set.
type passage struct {
	is         string
	size, high float64
	bold       bool
	ink        paper.Ink
}

// texts are lines that are wrapped to a width, and how high they are together.
func (p *pagesWriter) texts(width float64, said ...passage) (height float64, draw func(page *paper.Page, x, top float64)) {
	lines := make([][]string, len(said))
	for i, t := range said {
		if t.is != "" {
			lines[i] = p.letters.Wrapped(paper.Printable(t.is), width-cellGap, t.size, t.bold)
			height += float64(len(lines[i])) * t.high
		}
	}
	return height, func(page *paper.Page, x, top float64) {
		for i, t := range said {
			for _, line := range lines[i] {
				p.put(page, line, x, top, width, t.high, t.size, t.bold, left, t.ink)
				top += t.high
			}
		}
	}
}

// across are texts over the whole width.
func (p *pagesWriter) across(said ...passage) block {
	height, draw := p.texts(p.room(), said...)
	return block{height, func(page *paper.Page, top float64) { draw(page, pageMargin, top) }}
}

// headings are the title of the first page, and what was selected.
func (p *pagesWriter) headings() []block {
	blocks := []block{
		p.across(passage{is: p.header.Fill(p.header.Page.TitleOr(p.header.Title), 1, 0), size: titleSize, high: 8, bold: true}),
		p.across(passage{is: p.header.Fill(p.header.Page.Subtitle, 1, 0), size: textSize + 1.5, high: 5.5}),
	}
	if p.header.Page.ReadBack != "hidden" {
		blocks = append(blocks, p.across(passage{is: p.header.ReadBack, size: textSize, high: 4}))
	}
	return blocks
}

// top is what stands above the records on the first page.
func (p *pagesWriter) top(s Summary) []block {
	blocks := p.headings()
	if p.header.Page.ReadBack != "hidden" {
		blocks = append(blocks, p.across(passage{is: p.cells.shown.found(s), size: textSize, high: 4}))
	}
	return append(blocks, space(2))
}

// space is nothing, so high.
func space(height float64) block { return block{height, func(*paper.Page, float64) {}} }

// heads draws the heads of columns, and gives what is beneath them.
func (p *pagesWriter) heads(page *paper.Page, on strip, y float64) float64 {
	x := pageMargin
	for i, c := range on.columns {
		column := p.header.Columns[c]
		p.put(page, p.fitted(paper.Printable(column.Label), on.widths[i]-cellGap/2, p.letterSize), x, y, on.widths[i], headHeight, p.letterSize, true, alignOf(column.Type), paper.Ink{})
		x += on.widths[i]
	}
	y += headHeight
	page.Lines = append(page.Lines, paper.Line{X1: pageMargin, Y1: y, X2: x, Y2: y, Width: 0.3})
	return y
}

// line draws a line of the table.
func (p *pagesWriter) line(page *paper.Page, l pageLine, on strip, y float64) {
	if !l.goesOn {
		rule := paper.Line{X1: pageMargin, Y1: y + lineHeight, X2: pageMargin + p.room(), Y2: y + lineHeight, Width: 0.1, Ink: rulerInk}
		if l.head {
			rule.Width = 0.2
		}
		page.Lines = append(page.Lines, rule)
	}
	if l.cells == nil {
		p.put(page, l.label, pageMargin, y, p.room(), lineHeight, p.letterSize, true, left, paper.Ink{})
		lead(page, l.address)
		return
	}
	labelled := 0.0 // how far the label reaches
	if l.label != "" {
		labelled = l.roomOfLabel(on)
		p.put(page, l.label, pageMargin, y, labelled, lineHeight, p.letterSize, true, left, paper.Ink{})
		lead(page, l.address)
	}
	at := 0.0
	for i, c := range on.columns {
		if at += on.widths[i]; at > labelled {
			ink := paper.Ink{}
			if l.emphasis != nil {
				ink = inks[l.emphasis[c]]
			}
			p.put(page, l.cells[c], pageMargin+at-on.widths[i], y, on.widths[i], lineHeight, p.letterSize, l.isBold(c), alignOf(p.header.Columns[c].Type), ink)
			if l.addresses != nil && l.cells[c] != "" {
				lead(page, l.addresses[c])
			}
		}
	}
}

// lead has the text that was put last lead somewhere, unless the address is blank.
func lead(page *paper.Page, address string) {
	if address != "" {
		page.Texts[len(page.Texts)-1].Link = address
	}
}

// fitted is a text cut to a width; that it was cut is shown.
func (p *pagesWriter) fitted(text string, width, size float64) string {
	if p.letters.Width(text, size, true) <= width {
		return text
	}
	runes := []rune(text)
	for len(runes) > 0 && p.letters.Width(string(runes)+"…", size, true) > width {
		runes = runes[:len(runes)-1]
	}
	return string(runes) + "…"
}

// Fill puts answers, and what is known of the run, into the braces of a text: {period},
// {as_of}, {page}, {pages}, {run}, {zone}, {title} and the names of questions.
func (h Header) Fill(text string, page, pages int) string {
	return paper.Printable(filled(text, func(name string) string { return h.filled(name, page, pages) }))
}

// filled puts values in the place of names in braces.
func filled(text string, value func(name string) string) string {
	var b strings.Builder
	for text != "" {
		before, rest, open := strings.Cut(text, "{")
		b.WriteString(before)
		name, after, closed := strings.Cut(rest, "}")
		if !open || !closed {
			break
		}
		b.WriteString(value(name))
		text = after
	}
	return b.String()
}

func (h Header) filled(name string, page, pages int) string {
	switch name {
	case "page":
		return strconv.Itoa(page)
	case "pages":
		return strconv.Itoa(pages)
	case "run":
		return strconv.FormatUint(uint64(h.Run), 10)
	case "zone":
		return h.Zone
	case "title":
		return h.Title
	}
	return h.Filled[name]
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

func (p *pagesWriter) size() (width, height float64) {
	return p.header.Page.Width, p.header.Page.Height
}
