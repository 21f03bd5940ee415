package output

import (
	"io"

	"pikegate/core/diag"
	"pikegate/internal/chart"
	"pikegate/internal/paper"
)

// pictureWriter writes the chart of a report, and nothing else.
type pictureWriter struct {
	Found
	out  io.Writer
	draw func(w io.Writer, page paper.Page) error
}

func newSVG(w io.Writer) Writer { return &pictureWriter{out: w, draw: paper.WriteSVG} }

func newPNG(w io.Writer) Writer { return &pictureWriter{out: w, draw: chart.WritePNG} }

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
	return p.draw(p.out, s.Chart.Draw(p.Header.Place(), pictureWidth, pictureHeight))
}
