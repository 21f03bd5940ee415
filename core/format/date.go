package format

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"
)

// Date is a pattern of dates and date-times taken apart, as the Unicode CLDR has them
// (UTS 35, part 4), such as d MMM y, dd.MM.yyyy HH:mm and EEEE, d MMMM.
type Date struct {
	fields   []dateField
	language Language
	clock    bool // it shows a time of day
	offset   bool // it shows an offset from UTC
}

// dateField is a field, or text where it has no letter.
type dateField struct {
	letter byte
	width  int
	text   string
}

// Lengths are the names of the patterns that each language has of its own.
var Lengths = []string{"short", "medium", "long", "full"}

// IsLength tells whether a format is the name of a length.
func IsLength(format string) bool { return slices.Contains(Lengths, format) }

// widths are the fields that there are, and how wide each may be. Year, quarter, month,
// week and day; day of the week; hour, minute, second and its fraction; half of the day;
// offset.
var widths = map[byte][]int{
	'y': {1, 2, 4}, 'Q': {1, 2, 3}, 'M': {1, 2, 3, 4}, 'd': {1, 2}, 'E': {1, 2, 3, 4}, 'Y': {1, 4}, 'w': {1, 2},
	'H': {1, 2}, 'h': {1, 2}, 'm': {1, 2}, 's': {1, 2}, 'S': {1, 2, 3, 4, 5, 6}, 'a': {1}, 'x': {3}, 'X': {3},
}

// Pattern is the pattern of a length: of days, or of date-times.
func (l Language) Pattern(length string, withTime bool) string {
	pattern := l.lengths()[length]
	if withTime {
		pattern += " " + l.lengths()["time "+length]
	}
	return pattern
}

// ParseDate reads a pattern of dates, which is one of days alone, or one of a length. The error
// says what is wrong with it.
func ParseDate(text string, withTime bool, l Language) (Date, error) {
	if l.names == nil {
		l = English
	}
	if IsLength(text) {
		text = l.Pattern(text, withTime)
	}
	d := Date{language: l}
	literal := func(s string) {
		if n := len(d.fields); n > 0 && d.fields[n-1].letter == 0 {
			d.fields[n-1].text += s
		} else {
			d.fields = append(d.fields, dateField{text: s})
		}
	}
	if len(text) > 200 {
		return d, fmt.Errorf("it is longer than 200 bytes")
	}
	for rest := text; rest != ""; {
		switch c := rest[0]; {
		case c == '\'':
			quoted, after, closed := quoted(rest[1:])
			if !closed {
				return d, fmt.Errorf("a quote is not closed")
			}
			literal(quoted)
			rest = after
		case isLetter(c):
			n := len(rest) - len(strings.TrimLeft(rest, string(c)))
			allowed, ok := widths[c]
			if !ok {
				return d, fmt.Errorf("%q is not a field; put text between quotes", string(c))
			}
			if !slices.Contains(allowed, n) {
				return d, fmt.Errorf("%s is not a field; the letter is written %s times", rest[:n], counts(allowed))
			}
			if isClock := strings.IndexByte("HhmsSaxX", c) >= 0; isClock {
				d.clock = true
			}
			d.offset = d.offset || c == 'x' || c == 'X'
			d.fields = append(d.fields, dateField{letter: c, width: n})
			rest = rest[n:]
		default:
			r, size := utf8.DecodeRuneInString(rest)
			if r < ' ' || r == utf8.RuneError {
				return d, fmt.Errorf("it has a control character")
			}
			literal(rest[:size])
			rest = rest[size:]
		}
	}
	switch {
	case !slices.ContainsFunc(d.fields, func(f dateField) bool { return f.letter != 0 }):
		return d, fmt.Errorf("it has no fields such as d, MMM and y")
	case d.clock && !withTime:
		return d, fmt.Errorf("a day has no time")
	}
	return d, nil
}

func counts(allowed []int) string {
	words := make([]string, len(allowed))
	for i, n := range allowed {
		words[i] = strconv.Itoa(n)
	}
	if n := len(words); n > 1 {
		return strings.Join(words[:n-1], ", ") + " or " + words[n-1]
	}
	return words[0]
}

// Moment is a day, or a moment as a clock shows it.
type Moment struct {
	Time     time.Time // as the clock shows it, in UTC
	Fraction string    // of the second, as ".5"
	Offset   string    // from UTC, as "+01:00"; blank where that is not known
	IsDay    bool
}

// MomentOf reads what ISO 8601 has as 2026-03-31 or 2026-03-31T08:30:15.5+01:00, with a
// blank or a T; false for anything else.
func MomentOf(text string) (m Moment, ok bool) {
	if len(text) < len("2026-03-31") {
		return m, false
	}
	m.IsDay = len(text) == len("2026-03-31")
	number := func(from, to int) int {
		n := 0
		for _, c := range []byte(text[from:to]) {
			if c < '0' || c > '9' {
				ok = false
				return 0
			}
			n = n*10 + int(c-'0')
		}
		return n
	}
	ok = text[4] == '-' && text[7] == '-'
	year, month, day := number(0, 4), number(5, 7), number(8, 10)
	hour, minute, second := 0, 0, 0
	if !m.IsDay {
		if len(text) < len("2026-03-31T08:30:15") || text[10] != 'T' && text[10] != ' ' || text[13] != ':' || text[16] != ':' {
			return m, false
		}
		hour, minute, second = number(11, 13), number(14, 16), number(17, 19)
		rest := text[19:]
		if strings.HasPrefix(rest, ".") {
			end := 1
			for end < len(rest) && rest[end] >= '0' && rest[end] <= '9' {
				end++
			}
			m.Fraction, rest = rest[:end], rest[end:]
		}
		switch {
		case rest == "Z":
			rest = "+00:00"
		case rest != "" && (len(rest) != len("+01:00") || rest[0] != '+' && rest[0] != '-' || rest[3] != ':'):
			return m, false
		}
		m.Offset = rest
	}
	m.Time = time.Date(year, time.Month(month), day, hour, minute, second, 0, time.UTC)
	return m, ok && m.Time.Day() == day && m.Time.Hour() == hour && m.Time.Minute() == minute
}

// Format shows a moment. On a day on which clocks change, its offset is told whatever the
// pattern, since a time of day may be there twice.
func (d Date) Format(m Moment, clocksChange bool) string {
	var b strings.Builder
	for _, f := range d.fields {
		d.field(&b, f, m)
	}
	if clocksChange && d.clock && !d.offset && m.Offset != "" {
		b.WriteString(" " + m.Offset)
	}
	return b.String()
}

func (d Date) field(b *strings.Builder, f dateField, m Moment) {
	number := func(n int) {
		text := strconv.Itoa(n)
		b.WriteString(strings.Repeat("0", max(0, f.width-len(text))) + text)
	}
	switch year, week := m.Time.ISOWeek(); f.letter {
	case 0:
		b.WriteString(f.text)
	case 'y':
		d.year(b, f, m.Time.Year())
	case 'Y':
		d.year(b, f, year)
	case 'w':
		number(week)
	case 'Q':
		if f.width == 3 {
			b.WriteByte('Q')
			f.width = 1
		}
		number((int(m.Time.Month()) + 2) / 3)
	case 'M':
		switch f.width {
		case 3:
			b.WriteString(d.language.names.MonthAbbreviated(m.Time.Month()))
		case 4:
			b.WriteString(d.language.names.MonthWide(m.Time.Month()))
		default:
			number(int(m.Time.Month()))
		}
	case 'd':
		number(m.Time.Day())
	case 'E':
		if f.width == 4 {
			b.WriteString(d.language.names.WeekdayWide(m.Time.Weekday()))
		} else {
			b.WriteString(d.language.names.WeekdayAbbreviated(m.Time.Weekday()))
		}
	case 'H':
		number(m.Time.Hour())
	case 'h':
		number((m.Time.Hour()+11)%12 + 1)
	case 'm':
		number(m.Time.Minute())
	case 's':
		number(m.Time.Second())
	case 'S':
		digits := strings.TrimPrefix(m.Fraction, ".") + "000000"
		b.WriteString(digits[:f.width])
	case 'a':
		b.WriteString(map[bool]string{true: "AM", false: "PM"}[m.Time.Hour() < 12])
	case 'x':
		b.WriteString(m.Offset)
	case 'X':
		if m.Offset == "+00:00" {
			b.WriteByte('Z')
		} else {
			b.WriteString(m.Offset)
		}
	}
}

func (d Date) year(b *strings.Builder, f dateField, year int) {
	if f.width == 2 {
		fmt.Fprintf(b, "%02d", year%100)
		return
	}
	fmt.Fprintf(b, "%0*d", f.width, year)
}

// Workbook is the pattern as a number format of workbooks (ECMA-376); false where they have
// none like it.
func (d Date) Workbook() (code string, ok bool) {
	var b strings.Builder
	if slices.ContainsFunc(d.fields, func(f dateField) bool { return (f.letter == 'M' || f.letter == 'E') && f.width > 2 || f.letter == 'E' }) {
		b.WriteString("[$-" + d.language.lcid + "]")
	}
	for _, f := range d.fields {
		switch f.letter {
		case 0:
			b.WriteString(inWorkbook(f.text))
		case 'y':
			b.WriteString(map[bool]string{true: "yy", false: "yyyy"}[f.width == 2])
		case 'M':
			b.WriteString(strings.Repeat("m", f.width))
		case 'd':
			b.WriteString(strings.Repeat("d", f.width))
		case 'E':
			b.WriteString(strings.Repeat("d", max(f.width, 3)))
		case 'H', 'h':
			b.WriteString(strings.Repeat("h", f.width))
		case 'm':
			b.WriteString(strings.Repeat("m", f.width))
		case 's':
			b.WriteString(strings.Repeat("s", f.width))
		case 'S':
			b.WriteString(strings.Repeat("0", min(f.width, 3)))
		case 'a':
			b.WriteString("AM/PM")
		default: // quarters, weeks, offsets
			return "", false
		}
	}
	return b.String(), true
}
