package output

import (
	"io"

	"pikegate/core/diag"
	"pikegate/core/record"
	"pikegate/internal/chart"
	"pikegate/internal/paper"
)

// pictureWriter writes the chart of a report, and nothing else.
type pictureWriter struct {
	out    io.Writer
	draw   func(w io.Writer, page paper.Page) error
	header Header
}

func newSVG(w io.Writer) Writer { return &pictureWriter{out: w, draw: paper.WriteSVG} }

func newPNG(w io.Writer) Writer { return &pictureWriter{out: w, draw: chart.WritePNG} }

func (p *pictureWriter) Begin(h Header) error {
	p.header = h
	return nil
}

func (p *pictureWriter) Row(record.Record) error { return nil }

func (p *pictureWriter) Opening(Opening) error { return nil }

func (p *pictureWriter) Subtotal(Subtotal) error { return nil }

func (p *pictureWriter) Flush() error { return nil }

// The size of a chart that is a picture by itself, in millimetres.
const (
	pictureWidth  = 240.0
	pictureHeight = 110.0
)

func (p *pictureWriter) End(s Summary) error {
	switch {
	case s.Problem != "":
		return nil
	case s.Chart == nil:
		return diag.Problems{{Code: "no_chart", Field: "format", Message: "The report has no chart.", Hint: "Take its records as another format, or add a chart to it."}}
	}
	return p.draw(p.out, s.Chart.Draw(p.header.Place(), pictureWidth, pictureHeight))
}
