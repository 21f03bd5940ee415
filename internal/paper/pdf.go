package paper

import (
	"io"

	"codeberg.org/go-pdf/fpdf"
)

// PDF draws pages into one file.
type PDF struct {
	pdf    *fpdf.Fpdf
	font   string
	size   float64
	bold   bool
	loaded map[string]bool // fonts of the machine
	ink    Ink
}

// NewPDF begins a file whose pages have a size.
func NewPDF(title string, width, height float64) *PDF {
	// The library turns a size to the orientation it is given.
	orientation := "P"
	if width > height {
		orientation = "L"
	}
	pdf := fpdf.NewCustom(&fpdf.InitType{OrientationStr: orientation, UnitStr: "mm", Size: fpdf.SizeType{Wd: min(width, height), Ht: max(width, height)}})
	pdf.SetAutoPageBreak(false, 0)
	withFonts(pdf)
	pdf.SetTitle(title, true)
	pdf.SetCreator("Pike Gate", true)
	return &PDF{pdf: pdf, loaded: map[string]bool{}}
}

// Page draws a page.
func (p *PDF) Page(page Page) {
	p.pdf.AddPage()
	for _, s := range page.Shapes {
		p.shape(s)
	}
	for _, l := range page.Lines {
		p.pdf.SetLineWidth(l.Width)
		p.pdf.SetDrawColor(int(l.Ink.R), int(l.Ink.G), int(l.Ink.B))
		p.pdf.Line(l.X1, l.Y1, l.X2, l.Y2)
	}
	for _, t := range page.Texts {
		p.text(t)
	}
}

func (p *PDF) text(t Text) {
	if t.Text == "" {
		return
	}
	if t.Ink != p.ink {
		p.pdf.SetTextColor(int(t.Ink.R), int(t.Ink.G), int(t.Ink.B))
		p.ink = t.Ink
	}
	if t.Turned != 0 {
		p.pdf.TransformBegin()
		p.pdf.TransformRotate(t.Turned, t.X, t.Y)
		defer p.pdf.TransformEnd()
	}
	x := t.X
	for _, r := range visual(t.Text) {
		if r.font != ownFont && !p.loaded[r.font] {
			loadFont(p.pdf, r.font)
			p.loaded[r.font] = true
		}
		if r.font != p.font || t.Size != p.size || t.Bold != p.bold {
			p.pdf.SetFont(r.font, style(t.Bold), t.Size)
			p.font, p.size, p.bold = r.font, t.Size, t.Bold
		}
		p.pdf.Text(x, t.Y, r.text)
		x += p.pdf.GetStringWidth(r.text)
	}
	if t.Link != "" {
		high := t.Size / pointsPerMillimetre
		p.pdf.LinkString(t.X, t.Y-high*0.8, t.Width, high, t.Link)
	}
}

func (p *PDF) shape(s Shape) {
	for _, step := range s.Steps {
		switch step.Kind {
		case MoveTo:
			p.pdf.MoveTo(step.X, step.Y)
		case LineTo:
			p.pdf.LineTo(step.X, step.Y)
		case CurveTo:
			p.pdf.CurveBezierCubicTo(step.X1, step.Y1, step.X2, step.Y2, step.X, step.Y)
		case Close:
			p.pdf.ClosePath()
		}
	}
	how := ""
	if s.Stroke != nil {
		p.pdf.SetLineWidth(s.Width)
		p.pdf.SetDashPattern(s.Dashes, 0)
		p.pdf.SetDrawColor(int(s.Stroke.R), int(s.Stroke.G), int(s.Stroke.B))
		how = "D"
	}
	if s.Fill != nil {
		p.pdf.SetFillColor(int(s.Fill.R), int(s.Fill.G), int(s.Fill.B))
		how = "F" + how
	}
	if how == "" {
		return
	}
	p.pdf.DrawPath(how)
	if s.Link != "" {
		x1, y1, x2, y2 := s.bounds()
		p.pdf.LinkString(x1, y1, x2-x1, y2-y1, s.Link)
	}
	if len(s.Dashes) > 0 {
		p.pdf.SetDashPattern(nil, 0)
	}
}

// Finish ends the file and writes it.
func (p *PDF) Finish(w io.Writer) error {
	if err := p.pdf.Error(); err != nil {
		return err
	}
	return p.pdf.Output(w)
}
