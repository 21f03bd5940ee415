package chart

import (
	"image/color"
	"io"
	"math"

	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/vgimg"

	"pikegate/internal/paper"
)

// resolution is that of pictures, in points to the inch.
const resolution = 192

// WritePNG draws a page as a picture of points.
func WritePNG(w io.Writer, page paper.Page) error {
	canvas := vgimg.NewWith(vgimg.UseWH(vg.Length(page.Width/millimetre), vg.Length(page.Height/millimetre)), vgimg.UseDPI(resolution), vgimg.UseBackgroundColor(color.White))
	at := func(x, y float64) vg.Point {
		return vg.Point{X: vg.Length(x / millimetre), Y: vg.Length((page.Height - y) / millimetre)}
	}
	ink := func(i paper.Ink) color.Color { return color.NRGBA{i.R, i.G, i.B, 255} }
	for _, s := range page.Shapes {
		var p vg.Path
		for _, step := range s.Steps {
			switch step.Kind {
			case paper.MoveTo:
				p.Move(at(step.X, step.Y))
			case paper.LineTo:
				p.Line(at(step.X, step.Y))
			case paper.CurveTo:
				p.CubeTo(at(step.X1, step.Y1), at(step.X2, step.Y2), at(step.X, step.Y))
			case paper.Close:
				p.Close()
			}
		}
		if s.Fill != nil {
			canvas.SetColor(ink(*s.Fill))
			canvas.Fill(p)
		}
		if s.Stroke != nil {
			canvas.SetColor(ink(*s.Stroke))
			canvas.SetLineWidth(vg.Length(s.Width / millimetre))
			dashes := make([]vg.Length, len(s.Dashes))
			for i, d := range s.Dashes {
				dashes[i] = vg.Length(d / millimetre)
			}
			canvas.SetLineDash(dashes, 0)
			canvas.Stroke(p)
		}
	}
	for _, t := range page.Texts {
		f := ourFont
		f.Size = vg.Length(t.Size)
		face := handler().Cache().Lookup(f, f.Size)
		canvas.SetColor(ink(t.Ink))
		canvas.Push()
		canvas.Translate(at(t.X, t.Y))
		canvas.Rotate(t.Turned * math.Pi / 180)
		canvas.FillString(face, vg.Point{}, t.Text)
		canvas.Pop()
	}
	_, err := vgimg.PngCanvas{Canvas: canvas}.WriteTo(w)
	return err
}
