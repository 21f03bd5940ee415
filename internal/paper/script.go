package paper

import (
	"os"
	"slices"
	"strings"
	"sync"
	"unicode"

	"codeberg.org/go-pdf/fpdf"
	"golang.org/x/text/unicode/bidi"
)

// ownFont is the font that is always there.
const ownFont = "text"

// system is a font of the machine, for letters that ours has not.
type system struct {
	name string
	// pkg is Debian's package that installs it, files are where it may lie.
	pkg    string
	files  []string
	tables []*unicode.RangeTable
	load   func() []byte // nil where it is not installed
}

// systems are the fonts of the machine. They are TrueType, as those that a PDF holds have to
// be.
var systems = func() []system {
	all := []system{
		{name: "korean", pkg: "fonts-nanum", tables: []*unicode.RangeTable{unicode.Hangul}, files: []string{"/usr/share/fonts/truetype/nanum/NanumGothic.ttf"}},
		{
			name: "wide", pkg: "fonts-droid-fallback", tables: []*unicode.RangeTable{unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Bopomofo, wideSigns},
			files: []string{"/usr/share/fonts/truetype/droid/DroidSansFallbackFull.ttf", "/usr/share/fonts-droid-fallback/truetype/DroidSansFallback.ttf"},
		},
	}
	for i := range all {
		files := all[i].files
		all[i].load = sync.OnceValue(func() []byte {
			for _, path := range files {
				if content, err := os.ReadFile(path); err == nil {
					return content
				}
			}
			return nil
		})
	}
	return all
}()

// wideSigns are punctuation and forms that stand among Chinese and Japanese letters.
var wideSigns = &unicode.RangeTable{R16: []unicode.Range16{{Lo: 0x3000, Hi: 0x303F, Stride: 1}, {Lo: 0xFF00, Hi: 0xFFEF, Stride: 1}}}

// systemOf is the font of the machine that a letter needs; nil where ours has it.
func systemOf(r rune) *system {
	if r < 0x1100 {
		return nil
	}
	for i := range systems {
		if unicode.In(r, systems[i].tables...) {
			return &systems[i]
		}
	}
	return nil
}

// fontOf is the font that a letter is drawn in.
func fontOf(r rune) string {
	if s := systemOf(r); s != nil && s.load() != nil {
		return s.name
	}
	return ownFont
}

// loadFont loads a font of the machine, which has no bold letters.
func loadFont(pdf *fpdf.Fpdf, name string) {
	for _, s := range systems {
		if s.name == name {
			pdf.AddUTF8FontFromBytes(name, "", s.load())
			pdf.AddUTF8FontFromBytes(name, "B", s.load())
		}
	}
}

// run is a stretch of a text in one font, as it is drawn from left to right.
type run struct {
	font, text string
}

// Missing is the package of Debian that has to be installed for a text to be drawn; blank
// where nothing is missing.
func Missing(text string) string {
	if isLatin(text) {
		return ""
	}
	for _, r := range text {
		if s := systemOf(r); s != nil && s.load() == nil {
			return s.pkg
		}
	}
	return ""
}

// isLatin tells whether a text stands as it is: it has neither letters from right to left nor
// wide ones.
func isLatin(text string) bool {
	for i := range len(text) {
		if text[i] >= 0xD6 { // from Hebrew on, in UTF-8
			return false
		}
	}
	return true
}

// visual is a text as it is drawn: what is written from right to left turned around, Arabic
// letters joined, and each stretch in a font that has it.
func visual(text string) []run {
	if isLatin(text) {
		return []run{{ownFont, text}}
	}
	text = ordered(text)
	var runs []run
	for _, r := range text {
		font := fontOf(r)
		if n := len(runs); n > 0 && runs[n-1].font == font {
			runs[n-1].text += string(r)
		} else {
			runs = append(runs, run{font, string(r)})
		}
	}
	return runs
}

// ordered is a text from left to right as it is seen (Unicode Standard Annex 9).
func ordered(text string) string {
	rightToLeft := func(r rune) bool {
		p, _ := bidi.LookupRune(r)
		return p.Class() == bidi.R || p.Class() == bidi.AL
	}
	if !strings.ContainsFunc(text, rightToLeft) {
		return text
	}
	var p bidi.Paragraph
	if _, err := p.SetString(joined(text)); err != nil {
		return text
	}
	order, err := p.Order()
	if err != nil {
		return text
	}
	parts := make([]string, order.NumRuns())
	for i := range parts {
		part := order.Run(i)
		if parts[i] = part.String(); part.Direction() == bidi.RightToLeft {
			parts[i] = bidi.ReverseString(parts[i])
		}
	}
	// The library gives stretches as they are read, and a text that begins from right to left
	// is seen from its end.
	if first := strings.IndexFunc(text, func(r rune) bool {
		p, _ := bidi.LookupRune(r)
		return p.Class() == bidi.L || p.Class() == bidi.R || p.Class() == bidi.AL
	}); first >= 0 && rightToLeft([]rune(text[first:])[0]) {
		slices.Reverse(parts)
	}
	return strings.Join(parts, "")
}

// forms are the first of the presentation forms of an Arabic letter, and how many it has: by
// itself and at an end, then at a beginning and in the middle. Source: Unicode Standard,
// Arabic Presentation Forms A and B.
var forms = map[rune]struct {
	first rune
	count int
}{
	0x621: {0xFE80, 1}, 0x622: {0xFE81, 2}, 0x623: {0xFE83, 2}, 0x624: {0xFE85, 2}, 0x625: {0xFE87, 2}, 0x626: {0xFE89, 4}, 0x627: {0xFE8D, 2}, 0x628: {0xFE8F, 4},
	0x629: {0xFE93, 2}, 0x62A: {0xFE95, 4}, 0x62B: {0xFE99, 4}, 0x62C: {0xFE9D, 4}, 0x62D: {0xFEA1, 4}, 0x62E: {0xFEA5, 4}, 0x62F: {0xFEA9, 2}, 0x630: {0xFEAB, 2},
	0x631: {0xFEAD, 2}, 0x632: {0xFEAF, 2}, 0x633: {0xFEB1, 4}, 0x634: {0xFEB5, 4}, 0x635: {0xFEB9, 4}, 0x636: {0xFEBD, 4}, 0x637: {0xFEC1, 4}, 0x638: {0xFEC5, 4},
	0x639: {0xFEC9, 4}, 0x63A: {0xFECD, 4}, 0x641: {0xFED1, 4}, 0x642: {0xFED5, 4}, 0x643: {0xFED9, 4}, 0x644: {0xFEDD, 4}, 0x645: {0xFEE1, 4}, 0x646: {0xFEE5, 4},
	0x647: {0xFEE9, 4}, 0x648: {0xFEED, 2}, 0x649: {0xFEEF, 2}, 0x64A: {0xFEF1, 4},
	0x67E: {0xFB56, 4}, 0x686: {0xFB7A, 4}, 0x698: {0xFB8A, 2}, 0x6A9: {0xFB8E, 4}, 0x6AF: {0xFB92, 4}, 0x6CC: {0xFBFC, 4},
}

// lamAlef are the forms of lam and an alef written together, by themselves; at an end they
// are one further.
var lamAlef = map[rune]rune{0x622: 0xFEF5, 0x623: 0xFEF7, 0x625: 0xFEF9, 0x627: 0xFEFB}

const (
	lam     = 0x644
	tatweel = 0x640 // joins on both sides
)

// joined is a text whose Arabic letters have the forms in which they stand beside each other.
func joined(text string) string {
	letters := []rune(text)
	// Marks above and below letters do not part them.
	beside := func(i, by int) rune {
		for i += by; i >= 0 && i < len(letters); i += by {
			if !unicode.Is(unicode.Mn, letters[i]) {
				return letters[i]
			}
		}
		return 0
	}
	joinsOn := func(r rune) bool { return forms[r].count == 4 || r == tatweel } // to what follows
	joins := func(r rune) bool { return forms[r].count >= 2 || r == tatweel }   // to what was before
	made := make([]rune, 0, len(letters))
	for i := 0; i < len(letters); i++ {
		r := letters[i]
		form, ok := forms[r]
		before := joinsOn(beside(i, -1)) && joins(r)
		if !ok {
			made = append(made, r)
			continue
		}
		if together, ok := lamAlef[beside(i, 1)]; ok && r == lam && i+1 < len(letters) && letters[i+1] == beside(i, 1) {
			if before {
				together++
			}
			made = append(made, together)
			i++
			continue
		}
		after := form.count == 4 && joins(beside(i, 1))
		switch {
		case before && after:
			made = append(made, form.first+3)
		case after:
			made = append(made, form.first+2)
		case before && form.count >= 2:
			made = append(made, form.first+1)
		default:
			made = append(made, form.first)
		}
	}
	return string(made)
}
