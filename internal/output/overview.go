package output

import (
	"errors"
	"fmt"
	"io"

	"pikegate/core/record"
	"pikegate/internal/paper"
)

// Overview writes what several reports found as one document. Its parts are written one after
// the other.
type Overview interface {
	// Begin begins the document.
	Begin() error
	// Number writes one number.
	Number(p Frame, f Figure) error
	// Part gives the writer of what a report finds: of its records, or of its chart alone.
	Part(p Frame, chart bool) Writer
	// Missing says why nothing, or no more, is shown of a part.
	Missing(p Frame, why string) error
	// End ends the document.
	End() error
}

// Frame is where a part stands: under which title, and how wide.
type Frame struct{ Title, Width string }

// NewOverview makes an overview as PDF or HTML; false for another format. Of the header, what
// is not of one run counts.
func NewOverview(f Format, w io.Writer, h Header) (Overview, bool) {
	switch f.Name {
	case PDF.Name:
		p := &pagesWriter{header: h, cells: newCells(h), letters: paper.NewLetters()}
		return &overviewPages{pagesWriter: p, out: w, on: p.sheets()}, true
	case HTML.Name:
		return &overviewPage{newBuffered(w), h}, true
	}
	return nil, false
}

// parts are of the width of the page.
var parts = map[string]float64{"third": 1. / 3, "half": 1. / 2, "whole": 1}

// overviewPages lays an overview out on paper: what is narrow beside each other, records
// beneath.
type overviewPages struct {
	*pagesWriter
	out io.Writer
	on  *sheets
	row []tile
	// used is how much of the width the row takes.
	used float64
}

func (o *overviewPages) Begin() error {
	for _, b := range append(o.headings(), space(tileGap)) {
		o.on.put(b)
	}
	return nil
}

// tile is something that stands beside others.
type tile struct {
	width  float64 // a part of the page's
	height float64
	draw   func(page *paper.Page, x, top, width float64)
}

const (
	tileGap   = 4.0
	tileInset = 3.0

	numberSize = 20.0
	headSize   = 10.0
)

func (o *overviewPages) add(t tile) {
	if o.used+t.width > 1.001 {
		o.flushRow()
	}
	o.row, o.used = append(o.row, t), o.used+t.width
}

// flushRow puts the row on the page: all of it is as high as the highest.
func (o *overviewPages) flushRow() {
	row, height := o.row, 0.0
	if o.row, o.used = nil, 0; row == nil {
		return
	}
	for _, t := range row {
		height = max(height, t.height)
	}
	o.on.put(block{height + tileGap, func(page *paper.Page, top float64) {
		x := pageMargin
		for _, t := range row {
			t.draw(page, x, top, o.inner(t.width))
			x += o.inner(t.width) + tileGap
		}
	}})
}

// inner is how wide a tile of a part of the page's width is, in millimetres.
func (o *overviewPages) inner(part float64) float64 { return (o.room()+tileGap)*part - tileGap }

func heading(title string) passage {
	return passage{title, headSize, 5.5, true, inks[record.Quiet]}
}

// framed is a tile of texts with a line around it.
func (o *overviewPages) framed(part float64, said ...passage) {
	width := o.inner(part)
	height, draw := o.texts(width-2*tileInset, said...)
	o.add(tile{part, height + 2*tileInset, func(page *paper.Page, x, top, width float64) {
		bottom := top + height + 2*tileInset
		for _, l := range [][4]float64{{x, top, x + width, top}, {x, bottom, x + width, bottom}, {x, top, x, bottom}, {x + width, top, x + width, bottom}} {
			page.Lines = append(page.Lines, paper.Line{X1: l[0], Y1: l[1], X2: l[2], Y2: l[3], Width: 0.2, Ink: rulerInk})
		}
		draw(page, x+tileInset, top+tileInset)
	}})
}

func (o *overviewPages) ran(first, last uint) {
	if o.header.Run == 0 {
		o.header.Run = first
	}
	o.header.LastRun = max(o.header.LastRun, last)
}

func (o *overviewPages) Number(p Frame, f Figure) error {
	o.ran(f.Run, max(f.Run, f.BeforeRun))
	value, change, before := f.Texts()
	o.framed(parts[p.Width], heading(p.Title), passage{value, numberSize, 10, true, paper.Ink{}}, passage{change, textSize + 0.5, 5, true, paper.Ink{}}, passage{before, textSize, 4, false, inks[record.Quiet]}, passage{f.Restricted, textSize, 4, false, inks[record.Quiet]})
	return nil
}

func (o *overviewPages) Missing(p Frame, why string) error {
	o.framed(parts[p.Width], heading(p.Title), passage{"Not shown: " + why, textSize, 4.5, true, inks[record.Bad]})
	return nil
}

func (o *overviewPages) Part(p Frame, chart bool) Writer {
	if chart {
		return &chartTile{of: o, place: p}
	}
	return &pagesPart{pagesWriter: &pagesWriter{letters: o.letters}, of: o, place: p}
}

func (o *overviewPages) End() error {
	o.flushRow()
	for _, b := range o.notes() {
		o.on.put(b)
	}
	return drawPDF(o.out, o.header, o.on.draw(o))
}

// pagesPart lays what a report found out on the paper of an overview.
type pagesPart struct {
	*pagesWriter
	of    *overviewPages
	place Frame
}

func (p *pagesPart) Begin(h Header) error {
	h.Page.Width, h.Page.Height = p.of.header.Page.Width, p.of.header.Page.Height
	p.of.ran(h.Run, h.Run)
	return p.pagesWriter.Begin(h)
}

// End puts the part on the page. What is half is not shown; whoever runs it says why.
func (p *pagesPart) End(s Summary) error {
	if s.Problem != "" {
		return nil
	}
	if err := p.writable(); err != nil {
		return err
	}
	o := p.of
	o.flushRow()
	height, draw := o.texts(o.room(), heading(p.place.Title), passage{p.cells.shown.found(s), textSize, 4, false, paper.Ink{}}, passage{p.header.Restricted, textSize, 4, false, inks[record.Quiet]})
	o.on.need(height + fewestLines)
	o.on.put(block{height + 1, func(page *paper.Page, top float64) { draw(page, pageMargin, top) }})
	if s.Count > 0 {
		if len(s.Totals) > 0 {
			p.totals("All records", "", s.Totals, s.Count)
		}
		p.table(o.on)
	}
	if o.on.room() > tileGap {
		o.on.put(space(tileGap))
	}
	return nil
}

// chartTile puts the chart of what a report found on the paper of an overview.
type chartTile struct {
	Found
	of    *overviewPages
	place Frame
}

func (t *chartTile) End(s Summary) error {
	if s.Problem != "" {
		return nil
	}
	o, part := t.of, parts[t.place.Width]
	o.ran(t.Header.Run, t.Header.Run)
	width := o.inner(part)
	said := []passage{heading(t.place.Title), {t.Header.Restricted, textSize, 4, false, inks[record.Quiet]}}
	var drawing paper.Page
	if s.Chart == nil || len(s.Chart.Points) == 0 {
		said = append(said, passage{"No records.", textSize, 4.5, false, paper.Ink{}})
	} else {
		drawing = s.Chart.Draw(t.Header.Place(), width, min(chartHeight, width*0.7, o.header.Page.Height-2*pageMargin-footHeight-30))
	}
	head, draw := o.texts(width, said...)
	o.add(tile{part, head + drawing.Height, func(page *paper.Page, x, top, _ float64) {
		draw(page, x, top)
		page.Put(drawing, x, top+head)
	}})
	return nil
}

// overviewPage writes an overview as one page of the web, part by part.
type overviewPage struct {
	buffered
	header Header
}

func (o *overviewPage) Begin() error {
	return page.ExecuteTemplate(o.out, "overview", headed(o.header))
}

func (o *overviewPage) begin(p Frame) error {
	line := append([]byte("<section class=\"part "), p.Width...)
	line = append(line, "\">\n<h2>"...)
	_, err := o.out.Write(append(appendXML(line, p.Title), "</h2>\n"...))
	return err
}

// said writes a paragraph.
func (o *overviewPage) said(class, text string) error {
	line := append(append([]byte("<p class="), class...), '>')
	_, err := o.out.Write(append(appendXML(line, text), "</p>\n"...))
	return err
}

// restricted says which rows whoever asked may not see.
func (o *overviewPage) restricted(h Header) error {
	if h.Restricted == "" {
		return nil
	}
	return o.said("quiet", h.Restricted)
}

// end ends a part, and sends on what there is.
func (o *overviewPage) end() error {
	if _, err := o.out.WriteString("</section>\n"); err != nil {
		return err
	}
	return o.Flush()
}

func (o *overviewPage) Number(p Frame, f Figure) error {
	if err := o.begin(p); err != nil {
		return err
	}
	value, change, before := f.Texts()
	if err := page.ExecuteTemplate(o.out, "number", struct{ Value, Change, Before, Restricted string }{value, change, before, f.Restricted}); err != nil {
		return err
	}
	return o.end()
}

func (o *overviewPage) Missing(p Frame, why string) error {
	return errors.Join(o.begin(p), o.said("missing", "Not shown: "+why), o.end())
}

func (o *overviewPage) Part(p Frame, chart bool) Writer {
	if chart {
		return &pageChart{of: o, place: p}
	}
	return &pagePart{&htmlWriter{buffered: o.buffered}, o, p}
}

func (o *overviewPage) End() error {
	lines := append(o.header.answerLines(), [2]string{"Days and times in", o.header.Zone})
	if o.header.Delivery != "" {
		lines = append(lines, [2]string{"Delivery", o.header.Delivery})
	}
	if err := page.ExecuteTemplate(o.out, "end", lines); err != nil {
		return err
	}
	return o.out.Flush()
}

// pagePart writes the records of a report into the page of an overview.
type pagePart struct {
	*htmlWriter
	of    *overviewPage
	place Frame
}

func (p *pagePart) Begin(h Header) error {
	p.prepare(h)
	return errors.Join(p.of.begin(p.place), p.of.restricted(h), page.ExecuteTemplate(p.out, "table", h))
}

// End ends the table. What is half is followed by why.
func (p *pagePart) End(s Summary) error {
	if err := p.close(s); err != nil {
		return err
	}
	if s.Problem == "" {
		if err := p.of.said("quiet", fmt.Sprintf("%s Run %d.", p.cells.shown.found(s), p.header.Run)); err != nil {
			return err
		}
	}
	return p.of.end()
}

// pageChart writes the chart of what a report found into the page of an overview.
type pageChart struct {
	Found
	of    *overviewPage
	place Frame
}

func (p *pageChart) End(s Summary) error {
	if s.Problem != "" {
		return nil
	}
	if err := p.of.begin(p.place); err != nil {
		return err
	}
	if s.Chart == nil || len(s.Chart.Points) == 0 {
		return errors.Join(p.of.said("quiet", "No records."), p.of.end())
	}
	h := htmlWriter{buffered: p.of.buffered, header: p.Header}
	width := pictureWidth * parts[p.place.Width]
	return errors.Join(p.of.restricted(h.header), h.chart(s.Chart, width, min(pictureHeight, width*0.7)), p.of.end())
}
