package parameter

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/diag"
	"pikegate/core/format"
)

// Marks are how a language writes numbers: the characters that may part
// thousands, and the decimal mark. The zero value is a point and no thousands.
type Marks struct {
	Thousands string
	Decimal   byte
}

// MarksOf gives the marks of a language tag such as de or de-CH; false when
// it is not known. Whatever blank or apostrophe parts thousands, any is read.
func MarksOf(language string) (Marks, bool) {
	l, ok := format.LanguageOf(language)
	if !ok {
		return Marks{}, false
	}
	m := Marks{l.Group, l.Decimal[0]}
	for _, alike := range []string{" \u00a0\u202f", "’'"} { // blank, no-break and narrow no-break
		if strings.Contains(alike, m.Thousands) {
			m.Thousands = alike
		}
	}
	return m, true
}

// wholeLimit reads a limit that is a whole number, where one is set.
func wholeLimit(text string) (n int, ok bool) {
	if text == "" {
		return 0, false
	}
	n, err := strconv.Atoi(text)
	return n, err == nil
}

// exactLimit reads a limit of numbers, where one is set.
func exactLimit(text string) (n decimal.Decimal, ok bool) {
	if text == "" {
		return n, false
	}
	n, err := decimal.NewFromString(text)
	return n, err == nil
}

// maxDigits bounds what is read as a number.
const maxDigits = 60

// readNumber reads a number in the marks of a language, exactly.
func (q Parameter) readNumber(text string, m Marks) (decimal.Decimal, diag.Problems) {
	if m.Decimal == 0 {
		m.Decimal = '.'
	}
	fail := func(code, message, hint string, fixes ...diag.Fix) (decimal.Decimal, diag.Problems) {
		p := diag.At(text, 0, len(text), code, message)
		p.Hint, p.Fixes = hint, fixes
		return decimal.Decimal{}, diag.Problems{p}
	}
	plain, ok := m.plain(text)
	n, err := decimal.NewFromString(plain)
	if !ok || err != nil {
		return fail("not_a_number", fmt.Sprintf("%q is not a number here.", text), "Write it as "+m.example(q.Kind)+".")
	}
	places := max(0, -int(n.Exponent()))
	allowed, limited := wholeLimit(q.Limits.Places)
	switch {
	case q.Kind == Integer && !n.IsInteger():
		nearest := n.Round(0).String()
		return fail("not_whole_number", fmt.Sprintf("%q is not a whole number.", text), "Leave the fraction out.", diag.Fix{Label: nearest, Text: nearest})
	case q.Kind == Decimal && limited && places > allowed && !n.Equal(n.Round(int32(allowed))):
		return fail("too_fine", fmt.Sprintf("%q has %d decimal places; at most %d are allowed.", text, places, allowed), "Round it.")
	}
	if least, ok := exactLimit(q.Limits.Least); ok && n.LessThan(least) {
		return fail("too_small", fmt.Sprintf("%s is below the minimum, %s.", text, least), fmt.Sprintf("Give %s or more.", least), diag.Fix{Label: least.String(), Text: m.write(least)})
	}
	if most, ok := exactLimit(q.Limits.Most); ok && n.GreaterThan(most) {
		return fail("too_large", fmt.Sprintf("%s is above the maximum, %s.", text, most), fmt.Sprintf("Give %s or less.", most), diag.Fix{Label: most.String(), Text: m.write(most)})
	}
	return n, nil
}

// plain rewrites a number with a point and no thousands. Thousands must stand
// in groups of three: 1.5 is no number where a point parts thousands.
func (m Marks) plain(text string) (string, bool) {
	var b strings.Builder
	rest := strings.Replace(text, "−", "-", 1)
	if len(rest) > 0 && (rest[0] == '-' || rest[0] == '+') {
		b.WriteByte(rest[0])
		rest = rest[1:]
	}
	whole, fraction, hasFraction := strings.Cut(rest, string(m.Decimal))
	groups := strings.FieldsFunc(whole, func(r rune) bool { return strings.ContainsRune(m.Thousands, r) })
	if len(whole) > maxDigits || len(fraction) > maxDigits || (hasFraction && fraction == "") || len(groups) == 0 {
		return "", false
	}
	parted := len(groups) > 1
	if parts := len(groups) - 1; parts > 0 && len([]rune(whole)) != len(strings.Join(groups, ""))+parts {
		return "", false // a mark at an end, or two together
	}
	for i, g := range groups {
		if !digitsOnly(g) || parted && (i == 0 && len(g) > 3 || i > 0 && len(g) != 3) {
			return "", false
		}
		b.WriteString(g)
	}
	if !parted && len(groups[0]) != len(whole) {
		return "", false
	}
	if hasFraction {
		if !digitsOnly(fraction) {
			return "", false
		}
		b.WriteString("." + fraction)
	}
	return b.String(), true
}

func digitsOnly(s string) bool {
	for i := range len(s) {
		if s[i] < '0' || s[i] > '9' {
			return false
		}
	}
	return s != ""
}

// write writes a number with the decimal mark and no thousands.
func (m Marks) write(n decimal.Decimal) string {
	return strings.Replace(n.String(), ".", string(m.Decimal), 1)
}

func (m Marks) example(k Kind) string {
	if k == Integer {
		return "1250"
	}
	return "1250" + string(m.Decimal) + "50"
}
