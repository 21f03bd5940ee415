package paper

import (
	"encoding/xml"
	"fmt"
	"io"
	"strconv"
	"strings"
)

// WriteSVG draws a page as a picture of its own (SVG 1.1). Texts are stretched to the width
// that they were laid out with, whatever font the reader has.
func WriteSVG(w io.Writer, page Page) error {
	b := make([]byte, 0, 64<<10)
	number := func(v float64) { b = strconv.AppendFloat(b, v, 'f', -1, 32) }
	attribute := func(name string, v float64) {
		b = append(append(append(b, ' '), name...), `="`...)
		b = append(strconv.AppendFloat(b, v, 'f', 2, 64), '"')
	}
	colour := func(name string, ink *Ink) {
		if ink == nil {
			b = fmt.Appendf(b, ` %s="none"`, name)
			return
		}
		b = fmt.Appendf(b, ` %s="#%02x%02x%02x"`, name, ink.R, ink.G, ink.B)
	}
	role := "group"
	if page.IsPicture {
		role = "img"
	}
	b = fmt.Appendf(b, `<svg xmlns="http://www.w3.org/2000/svg" role="%s"`, role)
	b = append(append(append(b, ` aria-label="`...), escaped(page.Label)...), '"')
	b = append(b, ` viewBox="0 0 `...)
	number(page.Width)
	b = append(b, ' ')
	number(page.Height)
	b = append(b, '"')
	b = fmt.Appendf(b, ` width="%gmm" height="%gmm" font-family="'DejaVu Sans Condensed','DejaVu Sans',sans-serif">`, page.Width, page.Height)
	for _, s := range page.Shapes {
		if s.Link != "" {
			b = append(append(append(b, `<a href="`...), escaped(s.Link)...), `">`...)
		}
		b = append(b, `<path d="`...)
		for _, step := range s.Steps {
			switch step.Kind {
			case MoveTo:
				b = fmt.Appendf(b, "M%.2f %.2f", step.X, step.Y)
			case LineTo:
				b = fmt.Appendf(b, "L%.2f %.2f", step.X, step.Y)
			case CurveTo:
				b = fmt.Appendf(b, "C%.2f %.2f %.2f %.2f %.2f %.2f", step.X1, step.Y1, step.X2, step.Y2, step.X, step.Y)
			case Close:
				b = append(b, 'Z')
			}
		}
		b = append(b, '"')
		colour("fill", s.Fill)
		if s.Stroke != nil {
			colour("stroke", s.Stroke)
			attribute("stroke-width", s.Width)
			if len(s.Dashes) > 0 {
				dashes := make([]string, len(s.Dashes))
				for i, d := range s.Dashes {
					dashes[i] = strconv.FormatFloat(d, 'f', 2, 64)
				}
				b = fmt.Appendf(b, ` stroke-dasharray="%s"`, strings.Join(dashes, " "))
			}
		}
		if s.Title != "" {
			b = append(append(append(b, "><title>"...), escaped(s.Title)...), "</title></path>"...)
		} else {
			b = append(b, "/>"...)
		}
		if s.Link != "" {
			b = append(b, "</a>"...)
		}
	}
	for _, l := range page.Lines {
		b = append(b, "<line"...)
		attribute("x1", l.X1)
		attribute("y1", l.Y1)
		attribute("x2", l.X2)
		attribute("y2", l.Y2)
		attribute("stroke-width", l.Width)
		colour("stroke", &l.Ink)
		b = append(b, "/>"...)
	}
	for _, t := range page.Texts {
		if t.Text == "" {
			continue
		}
		if t.Link != "" {
			b = append(append(append(b, `<a href="`...), escaped(t.Link)...), `">`...)
		}
		b = append(b, "<text"...)
		attribute("x", t.X)
		attribute("y", t.Y)
		attribute("font-size", t.Size/pointsPerMillimetre)
		if t.Width > 0 {
			attribute("textLength", t.Width)
			b = append(b, ` lengthAdjust="spacingAndGlyphs"`...)
		}
		if t.Bold {
			b = append(b, ` font-weight="700"`...)
		}
		if t.Ink != (Ink{}) {
			colour("fill", &t.Ink)
		}
		if t.Turned != 0 {
			b = fmt.Appendf(b, ` transform="rotate(%.2f %.2f %.2f)"`, -t.Turned, t.X, t.Y)
		}
		b = append(append(append(b, ` xml:space="preserve">`...), escaped(t.Text)...), "</text>"...)
		if t.Link != "" {
			b = append(b, "</a>"...)
		}
	}
	b = append(b, "</svg>\n"...)
	_, err := w.Write(b)
	return err
}

// escaped is a text as XML has it.
func escaped(text string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(text)) // a builder takes all
	return b.String()
}
