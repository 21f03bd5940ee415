// Package numeral is how numbers are shown: patterns as the Unicode CLDR has them (UTS 35,
// part 3), such as #,##0.00, 0.0%, '£'#,##0.00;('£'#,##0.00) and 0' m'.
//
// What has no meaning for one number by itself is left out: exponents, significant digits,
// padding, and the sign ¤, whose currency nobody says.
package format

import (
	"cmp"
	"fmt"
	"strings"
	"unicode/utf8"

	"github.com/shopspring/decimal"
)

// Number is a pattern of numbers taken apart, as the Unicode CLDR has them (UTS 35, part 3),
// such as #,##0.00, 0.0%, '£'#,##0.00;('£'#,##0.00) and 0' m'.
//
// What has no meaning for one number by itself is left out: exponents, significant digits,
// padding, and the sign ¤, whose currency nobody says.
type Number struct {
	// Positive and Negative are what stands around the digits. A negative number has those
	// of the positive ones and a sign before them, unless the pattern says its own.
	Positive, Negative Affixes
	own                bool
	// Whole is how many digits stand before the decimal mark at least, Least and Most how
	// many behind it.
	Whole, Least, Most int
	// Group is how many digits the group before the decimal mark has, 0 for no groups, and
	// Groups how many those before it.
	Group, Groups int
	// Shift is how many places the decimal mark moves: 2 for percent, 3 for per mille.
	Shift int32
}

// Affixes are what stands before and after the digits.
type Affixes struct{ Prefix, Suffix string }

// maxPlaces is how many digits of each kind a pattern may ask for.
const maxPlaces = 30

// ParseNumber reads a pattern of numbers. The error says what is wrong with it.
func ParseNumber(text string) (p Number, err error) {
	if len(text) > 200 {
		return p, fmt.Errorf("it is longer than 200 bytes")
	}
	positive, rest, err := p.affix(text)
	if err != nil {
		return p, err
	}
	digits := rest[:len(rest)-len(strings.TrimLeft(rest, "#0,."))]
	if err := p.digits(digits); err != nil {
		return p, err
	}
	suffix, rest, err := p.affix(rest[len(digits):])
	if err != nil {
		return p, err
	}
	p.Positive = Affixes{positive, suffix}
	p.Negative = Affixes{"-" + positive, suffix}
	switch {
	case rest == "":
		return p, nil
	case rest[0] != ';':
		return p, fmt.Errorf("%q does not fit behind its digits", first(rest))
	}
	var other Number // of the negative one, only what stands around the digits counts
	prefix, rest, err := other.affix(rest[1:])
	if err != nil {
		return p, err
	}
	rest = strings.TrimLeft(rest, "#0,.")
	suffix, rest, err = other.affix(rest)
	switch {
	case err != nil:
		return p, err
	case rest != "":
		return p, fmt.Errorf("%q does not fit at its end", first(rest))
	case prefix == positive && suffix == p.Positive.Suffix:
		return p, fmt.Errorf("negative numbers would look like positive ones")
	}
	p.Negative, p.own = Affixes{prefix, suffix}, true
	return p, nil
}

func first(text string) string {
	r, _ := utf8.DecodeRuneInString(text)
	return string(r)
}

// affix reads what stands before or after digits.
func (p *Number) affix(text string) (affix, rest string, err error) {
	var b strings.Builder
	for text != "" {
		r, size := utf8.DecodeRuneInString(text)
		switch r {
		case '#', '0', ',', '.', ';':
			return b.String(), text, nil
		case '\'':
			quoted, rest, closed := quoted(text[1:])
			if !closed {
				return "", "", fmt.Errorf("a quote is not closed")
			}
			b.WriteString(quoted)
			text = rest
			continue
		case '%', '‰':
			if p.Shift != 0 {
				return "", "", fmt.Errorf("it has two of %% and ‰")
			}
			p.Shift = map[rune]int32{'%': 2, '‰': 3}[r]
			b.WriteRune(r)
		case 'E', '@', '*', '¤', '1', '2', '3', '4', '5', '6', '7', '8', '9':
			return "", "", fmt.Errorf("%q is not taken; quote it if it is to be shown", string(r))
		default:
			if r < ' ' || r == utf8.RuneError {
				return "", "", fmt.Errorf("it has a control character")
			}
			b.WriteRune(r)
		}
		text = text[size:]
	}
	return b.String(), "", nil
}

// quoted reads what stands between quotes, after the first; two of them are one that is
// shown, by themselves as well.
func quoted(text string) (quoted, rest string, closed bool) {
	if strings.HasPrefix(text, "'") {
		return "'", text[1:], true
	}
	var b strings.Builder
	for {
		part, rest, closed := strings.Cut(text, "'")
		b.WriteString(part)
		if !closed || !strings.HasPrefix(rest, "'") {
			return b.String(), rest, closed
		}
		b.WriteByte('\'')
		text = rest[1:]
	}
}

// digits reads the digits of a pattern: #,##0.00##.
func (p *Number) digits(text string) error {
	whole, places, point := strings.Cut(text, ".")
	switch {
	case text == "":
		return fmt.Errorf("it has no digits")
	case strings.ContainsAny(places, ",."):
		return fmt.Errorf("%q does not fit behind the decimal mark", strings.TrimLeft(places, "#0")[:1])
	case strings.Contains(places, "#0") || strings.Contains(strings.ReplaceAll(whole, ",", ""), "0#"):
		return fmt.Errorf("0 stands next to the decimal mark, and # away from it")
	case strings.HasSuffix(whole, ",") || strings.Contains(whole, ",,"):
		return fmt.Errorf("there are no digits between two marks")
	case point && places == "":
		return fmt.Errorf("there are no digits behind the decimal mark")
	case strings.Count(text, "0") == 0 && !strings.Contains(text, "#"):
		return fmt.Errorf("it has no digits")
	}
	p.Whole, p.Least, p.Most = strings.Count(whole, "0"), strings.Count(places, "0"), len(places)
	if p.Whole > maxPlaces || p.Most > maxPlaces {
		return fmt.Errorf("it has more than %d digits", maxPlaces)
	}
	if at := strings.LastIndexByte(whole, ','); at >= 0 {
		p.Group = len(whole) - at - 1
		p.Groups = p.Group
		if before := strings.LastIndexByte(whole[:at], ','); before >= 0 {
			p.Groups = at - before - 1
		}
	}
	return nil
}

// Format shows a number with the marks of a language, halves rounded away from zero.
func (p Number) Format(d decimal.Decimal, l Language) string {
	d = d.Shift(p.Shift).Round(int32(p.Most))
	whole, places, _ := strings.Cut(d.Abs().StringFixed(int32(p.Most)), ".")
	for len(places) > p.Least && places[len(places)-1] == '0' {
		places = places[:len(places)-1]
	}
	if whole = strings.TrimLeft(whole, "0"); len(whole) < p.Whole {
		whole = strings.Repeat("0", p.Whole-len(whole)) + whole
	}
	if whole == "" && places == "" {
		whole = "0"
	}
	affixes := p.Positive
	if d.IsNegative() {
		affixes = p.Negative
	}
	var b strings.Builder
	b.WriteString(affixes.Prefix)
	b.WriteString(grouped(whole, p.Group, p.Groups, l))
	if places != "" {
		b.WriteString(l.decimal() + places)
	}
	b.WriteString(affixes.Suffix)
	return b.String()
}

// grouped parts the digits of a whole number: the last group has so many, and those before it
// as many as groups says.
func grouped(whole string, group, groups int, l Language) string {
	if group == 0 || len(whole) <= group {
		return whole
	}
	var b strings.Builder
	for i := range len(whole) {
		if left := len(whole) - i; i > 0 && left >= group && (left-group)%groups == 0 {
			b.WriteString(cmp.Or(l.Group, ","))
		}
		b.WriteByte(whole[i])
	}
	return b.String()
}

// Workbook is the pattern as a number format of workbooks (ECMA-376); false where they have
// none like it.
func (p Number) Workbook() (code string, ok bool) {
	if p.Shift == 3 {
		return "", false
	}
	digits := strings.Repeat("0", p.Whole)
	if p.Group > 0 { // of three digits, as workbooks know no others
		digits = strings.Repeat("#", max(0, 4-p.Whole)) + digits
		digits = digits[:len(digits)-3] + "," + digits[len(digits)-3:]
	}
	if digits == "" {
		digits = "#"
	}
	if p.Most > 0 {
		digits += "." + strings.Repeat("0", p.Least) + strings.Repeat("#", p.Most-p.Least)
	}
	code = inWorkbook(p.Positive.Prefix) + digits + inWorkbook(p.Positive.Suffix)
	if p.own {
		code += ";" + inWorkbook(p.Negative.Prefix) + digits + inWorkbook(p.Negative.Suffix)
	}
	return code, true
}

// inWorkbook quotes what is shown as it is; a percent sign keeps its meaning.
func inWorkbook(text string) string {
	var b strings.Builder
	for _, r := range text {
		if r == '%' {
			b.WriteRune(r)
			continue
		}
		b.WriteString(`\` + string(r))
	}
	return b.String()
}
