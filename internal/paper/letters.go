package paper

import (
	_ "embed" // the fonts
	"sort"
	"strings"
	"unicode/utf8"

	"codeberg.org/go-pdf/fpdf"
)

//go:embed fonts/DejaVuSansCondensed.ttf
var fontRegular []byte

//go:embed fonts/DejaVuSansCondensed-Bold.ttf
var fontBold []byte

// pointsPerMillimetre turns millimetres into points.
const pointsPerMillimetre = 72 / 25.4

// Letters measure texts as they are drawn.
type Letters struct {
	pdf    *fpdf.Fpdf
	font   string
	bold   bool
	size   float64
	loaded map[string]bool // fonts of the machine
}

// NewLetters loads the fonts.
func NewLetters() *Letters {
	l := &Letters{pdf: fpdf.New("P", "mm", "A4", ""), loaded: map[string]bool{}}
	withFonts(l.pdf)
	return l
}

func withFonts(pdf *fpdf.Fpdf) {
	pdf.AddUTF8FontFromBytes("text", "", fontRegular)
	pdf.AddUTF8FontFromBytes("text", "B", fontBold)
}

// Width is how wide a text is, in millimetres, its letters so many points high.
func (l *Letters) Width(text string, size float64, bold bool) float64 {
	if isLatin(text) {
		l.set(ownFont, size, bold)
		return l.pdf.GetStringWidth(text)
	}
	whole := 0.0
	for _, r := range visual(text) {
		l.set(r.font, size, bold)
		whole += l.pdf.GetStringWidth(r.text)
	}
	return whole
}

func (l *Letters) set(font string, size float64, bold bool) {
	if font == l.font && size == l.size && bold == l.bold {
		return
	}
	if font != ownFont && !l.loaded[font] {
		loadFont(l.pdf, font)
		l.loaded[font] = true
	}
	l.pdf.SetFont(font, style(bold), size)
	l.font, l.size, l.bold = font, size, bold
}

func style(bold bool) string {
	if bold {
		return "B"
	}
	return ""
}

// mostOnLine is how many characters are looked at for one line.
const mostOnLine = 400

// Wrapped is a text in lines that fit a width, broken at blanks where there are some.
func (l *Letters) Wrapped(text string, width, size float64, bold bool) (lines []string) {
	if l.Width(text, size, bold) <= width {
		return []string{text}
	}
	for runes := []rune(text); len(runes) > 0; {
		looked := min(len(runes), mostOnLine)
		most := sort.Search(looked, func(n int) bool { return l.Width(string(runes[:n+1]), size, bold) > width })
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

// longestText is how many characters are printed of one text at the most; no line of paper
// holds more.
const longestText = 4000

// Printable leaves out what the fonts cannot hold: characters beyond the first plane, and
// those that have no shape.
func Printable(s string) string {
	out := make([]rune, 0, min(len(s), longestText+1))
	for _, r := range s {
		if len(out) == longestText {
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

// Regular is the font of texts that are not bold, as a TrueType file.
func Regular() []byte { return fontRegular }
