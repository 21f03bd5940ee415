package catalog

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"

	"pikegate/core/civil"
)

// Layout is a way of their own in which dates are written as text: D.M.Y, or M/D/YY from 1970.
type Layout struct {
	// Parts stand one after the other; those from Optional[i] on may be left out.
	Parts    []Part
	Optional []int
	// From is the first of the hundred years that those of two digits are of.
	From int
	// Names are what the month of a number is called where it has names: in full and short, in
	// small letters. Capitals are taken for them.
	Names [13][]string
}

// Part is a field of a layout, or the text between two.
type Part struct {
	Field Field
	// Least and Most are how many digits a field has.
	Least, Most int
	Text        string
}

// Field is what a part of a layout tells.
type Field byte

// The fields; Between is text.
const (
	Between Field = iota
	YearField
	MonthField
	NameField
	DayField
	HourField
	MinuteField
	SecondField
	FractionField
	HalfDayField // am or pm
)

// fields are how fields are written in a layout, those first that begin as others do.
var fields = []struct {
	text string
	part Part
}{
	{"YY", Part{Field: YearField, Least: 2, Most: 2}},
	{"Y", Part{Field: YearField, Least: 4, Most: 4}},
	{"Mon", Part{Field: NameField}},
	{"MM", Part{Field: MonthField, Least: 2, Most: 2}},
	{"M", Part{Field: MonthField, Least: 1, Most: 2}},
	{"DD", Part{Field: DayField, Least: 2, Most: 2}},
	{"D", Part{Field: DayField, Least: 1, Most: 2}},
	{"hh", Part{Field: HourField, Least: 2, Most: 2}},
	{"h", Part{Field: HourField, Least: 1, Most: 2}},
	{"m", Part{Field: MinuteField, Least: 2, Most: 2}},
	{"s", Part{Field: SecondField, Least: 2, Most: 2}},
	{"f", Part{Field: FractionField, Least: 1, Most: maxFraction}},
	{"am", Part{Field: HalfDayField}},
}

// layoutLanguages are those whose names of months a layout can have.
var layoutLanguages = []string{"english", "german", "french", "spanish"}

var languageTags = map[string]string{"english": "en", "german": "de", "french": "fr", "spanish": "es"}

// maxLayout is how long a layout may be.
const maxLayout = 60

// layouts are those that were read, by their text; nil for a text that is none.
var layouts sync.Map

// Layout is the layout of dates in an encoding of that kind; false for the others.
func (e Encoding) Layout() (*Layout, bool) {
	if slices.Contains(Encodings, e) {
		return nil, false
	}
	if l, ok := layouts.Load(e); ok {
		return l.(*Layout), l.(*Layout) != nil
	}
	l, err := ParseLayout(string(e))
	if err != nil {
		l = nil
	}
	if len(e) <= 2*maxLayout { // what is longer is none, and not worth keeping
		layouts.Store(e, l)
	}
	return l, l != nil
}

// IsLayout tells whether dates in an encoding are texts in a layout of their own.
func (e Encoding) IsLayout() bool {
	_, ok := e.Layout()
	return ok
}

// Check tells what keeps a text from being an encoding.
func (e Encoding) Check() error {
	if slices.Contains(Encodings, e) {
		return nil
	}
	_, err := ParseLayout(string(e))
	return err
}

// ParseLayout reads a layout: fields (Y, YY, M, MM, Mon, D, DD, h, hh, m, s, f, am) with text
// between them, letters of it in quotes; what may be left out at the end in brackets; then
// perhaps "from" and a year, "in" and a language. The error says what is wrong.
func ParseLayout(text string) (*Layout, error) {
	l := &Layout{}
	rest := strings.TrimSpace(text)
	if len(rest) > maxLayout {
		return nil, fmt.Errorf("a layout has at most %d characters", maxLayout)
	}
	language := "english"
	for {
		at := strings.LastIndexByte(rest, ' ')
		if at < 0 {
			break
		}
		before, word := strings.TrimRight(rest[:at], " "), rest[at+1:]
		if head, ok := strings.CutSuffix(before, " from"); ok && l.From == 0 {
			n, err := strconv.Atoi(word)
			if err != nil || n < civil.MinYear || n > civil.MaxYear-99 {
				return nil, fmt.Errorf("after from stands the first year of a hundred, such as 1970, not %s", word)
			}
			l.From, rest = n, strings.TrimRight(head, " ")
			continue
		}
		if head, ok := strings.CutSuffix(before, " in"); ok && language == "english" {
			if languageTags[word] == "" {
				return nil, fmt.Errorf("months have names in %s, not in %s", strings.Join(layoutLanguages, ", "), word)
			}
			language, rest = word, strings.TrimRight(head, " ")
			continue
		}
		break
	}
	if err := l.parts(rest); err != nil {
		return nil, err
	}
	if l.has(NameField) {
		names, _ := civil.NamesIn(languageTags[language])
		for month := 1; month <= 12; month++ {
			full, short := strings.ToLower(names.Months[month]), strings.ToLower(names.ShortMonths[month])
			if l.Names[month] = []string{full}; short != full {
				l.Names[month] = append(l.Names[month], short)
			}
		}
		for i := range l.Parts { // which of them are capitals is of no matter in a text with names
			l.Parts[i].Text = strings.ToLower(l.Parts[i].Text)
		}
	} else if language != "english" {
		return nil, fmt.Errorf("in %s is for names of months, and there is no Mon", language)
	}
	return l, l.check()
}

// parts reads fields and what stands between them.
func (l *Layout) parts(text string) error {
	between := func(s string) {
		if n := len(l.Parts); n > 0 && l.Parts[n-1].Field == Between && !slices.Contains(l.Optional, n) {
			l.Parts[n-1].Text += s
			return
		}
		l.Parts = append(l.Parts, Part{Text: s})
	}
	depth := 0
	for text != "" {
		if at := slices.IndexFunc(fields, func(f struct {
			text string
			part Part
		},
		) bool {
			return strings.HasPrefix(text, f.text)
		}); at >= 0 {
			l.Parts, text = append(l.Parts, fields[at].part), text[len(fields[at].text):]
			continue
		}
		c := text[0]
		switch {
		case c == '[':
			l.Optional = append(l.Optional, len(l.Parts))
			depth++
		case c == ']':
			if depth--; depth < 0 || strings.Trim(text, "]") != "" {
				return fmt.Errorf("what may be left out stands in brackets at the end, such as D.M.Y[ h:m[:s]]")
			}
		case c == '\'':
			quoted, after, ok := strings.Cut(text[1:], "'")
			if !ok || quoted == "" || strings.ContainsAny(quoted, "0123456789") {
				return fmt.Errorf("letters stand between two quotes, such as D 'de' Mon 'de' Y, without digits")
			}
			between(quoted)
			text = after
			continue
		case c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z':
			return fmt.Errorf("%q is no field; there are Y, YY, M, MM, Mon, D, DD, h, hh, m, s, f and am, and other letters stand in quotes", text[:1])
		default:
			between(text[:1])
		}
		text = text[1:]
	}
	if depth != 0 {
		return fmt.Errorf("a bracket is not closed")
	}
	return nil
}

func (l *Layout) has(f Field) bool { return l.index(f) >= 0 }

func (l *Layout) index(f Field) int {
	return slices.IndexFunc(l.Parts, func(p Part) bool { return p.Field == f })
}

// check tells what a layout lacks, or what in it could not be told apart.
func (l *Layout) check() error {
	seen := map[Field]bool{}
	for i, p := range l.Parts {
		if p.Field == Between {
			if l.has(NameField) && strings.IndexFunc(p.Text, func(r rune) bool { return !isLetter(r) }) < 0 {
				return fmt.Errorf("beside names of months, letters need a blank or another mark with them")
			}
			continue
		}
		field := p.Field
		if field == NameField {
			field = MonthField
		}
		if seen[field] {
			return fmt.Errorf("a field stands in it twice")
		}
		seen[field] = true
		if next := i + 1; next < len(l.Parts) && l.Parts[next].Field != Between && (p.Least != p.Most || p.Field == NameField || l.Parts[next].Field == NameField) {
			return fmt.Errorf("between two fields stands a mark, unless both have a fixed number of digits: DD, MM, Y, YY, hh, m, s")
		}
	}
	year := l.index(YearField)
	switch {
	case !seen[YearField] || !seen[MonthField] || !seen[DayField]:
		return fmt.Errorf("a day has a year (Y or YY), a month (M, MM or Mon) and a day (D or DD)")
	case l.Parts[year].Most == 2 && l.From == 0:
		return fmt.Errorf("years of two digits need the first year of a hundred: %s", "YY from 1970")
	case l.Parts[year].Most == 4 && l.From != 0:
		return fmt.Errorf("from is for years of two digits (YY)")
	case seen[MinuteField] && !seen[HourField] || seen[SecondField] && !seen[MinuteField] || seen[FractionField] && !seen[SecondField] || seen[HalfDayField] && !seen[HourField]:
		return fmt.Errorf("minutes need hours, seconds need minutes, f needs seconds and am needs hours")
	}
	for _, at := range l.Optional {
		for i, p := range l.Parts {
			if i >= at && (p.Field == YearField || p.Field == MonthField || p.Field == NameField || p.Field == DayField) {
				return fmt.Errorf("only the time can be left out")
			}
		}
		if at == 0 || at >= len(l.Parts) || l.Parts[at-1].Field == Between || l.Parts[at].Field != Between {
			return fmt.Errorf("a bracket opens after a field, and what may be left out begins with a mark: D.M.Y[ h:m]")
		}
	}
	return nil
}

// isLetter tells whether a character of a mark may be one of a month's name.
func isLetter(r rune) bool { return r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= 0x80 }

// Timed tells whether a layout has a time of day.
func (l *Layout) Timed() bool { return l.has(HourField) }

// Sorts tells whether texts in a layout sort as the times they mean: the greater comes first,
// with as many digits in each.
func (l *Layout) Sorts() bool {
	last := Field(0)
	for _, p := range l.Parts {
		if p.Field == Between {
			continue
		}
		if p.Field < last || p.Field == NameField || p.Field == HalfDayField || p.Least != p.Most && p.Field != FractionField || p.Field == YearField && p.Most != 4 {
			return false
		}
		last = p.Field
	}
	return true
}

// Dotted tells whether a full stop may follow the name of a month, as one of an abbreviation:
// not where it could be taken for a mark.
func (l *Layout) Dotted() bool {
	after, marks := "", []string{}
	for i, p := range l.Parts {
		if p.Field == Between && strings.HasPrefix(p.Text, ".") {
			marks = append(marks, p.Text)
		}
		if i > 0 && l.Parts[i-1].Field == NameField {
			after = p.Text
		}
	}
	return len(marks) == 0 || !slices.ContainsFunc(marks, func(m string) bool { return m != "."+after })
}

// Place is where a field stands in a text, and how long it is.
type Place struct {
	Field     Field
	At, Bytes int
}

// Places finds the fields of a text; false where it is not written so.
func (l *Layout) Places(text string, into []Place) ([]Place, bool) {
	at := 0
	for i, p := range l.Parts {
		if at == len(text) && slices.Contains(l.Optional, i) {
			return into, true
		}
		switch p.Field {
		case Between:
			if end := at + len(p.Text); end > len(text) || text[at:end] != p.Text && !(l.Names[1] != nil && strings.EqualFold(text[at:end], p.Text)) {
				return into, false
			}
			at += len(p.Text)
			continue
		case NameField:
			_, n := l.month(text[at:])
			if n == 0 {
				return into, false
			}
			into = append(into, Place{p.Field, at, n})
			at += n
			if l.Dotted() && strings.HasPrefix(text[at:], ".") {
				at++
			}
			continue
		case HalfDayField:
			if len(text)-at < 2 || !isHalfDay(text[at:at+2]) {
				return into, false
			}
			into = append(into, Place{p.Field, at, 2})
			at += 2
			continue
		}
		n := 0
		for n < p.Most && at+n < len(text) && text[at+n] >= '0' && text[at+n] <= '9' {
			n++
		}
		if n < p.Least {
			return into, false
		}
		into = append(into, Place{p.Field, at, n})
		at += n
	}
	return into, at == len(text)
}

func isHalfDay(text string) bool {
	return strings.EqualFold(text, "am") || strings.EqualFold(text, "pm")
}

// month finds the longest name of a month that a text begins with.
func (l *Layout) month(text string) (month, bytes int) {
	for m, names := range l.Names {
		for _, name := range names { // small letters and capitals of the names have as many bytes
			if len(name) > bytes && len(name) <= len(text) && strings.EqualFold(text[:len(name)], name) {
				month, bytes = m, len(name)
			}
		}
	}
	return month, bytes
}

// Read reads a text in the layout; false for what is not written so, or is no day.
func (l *Layout) Read(text string) (Stamp, bool) {
	var buffer [8]Place
	places, ok := l.Places(text, buffer[:0])
	if !ok {
		return Stamp{}, false
	}
	var value [HalfDayField + 1]int
	s, half := Stamp{}, ""
	for _, p := range places {
		piece := text[p.At : p.At+p.Bytes]
		switch p.Field {
		case NameField:
			value[MonthField], _ = l.month(piece)
		case HalfDayField:
			half = piece
		case FractionField:
			s.Fraction = trimmed("." + piece)
		default:
			value[p.Field], _ = digits(piece)
		}
	}
	year, hour := value[YearField], value[HourField]
	if l.From != 0 {
		if year += l.From / 100 * 100; year < l.From {
			year += 100
		}
	}
	if half != "" {
		if hour < 1 || hour > 12 {
			return Stamp{}, false
		}
		if hour %= 12; half[0]|' ' == 'p' {
			hour += 12
		}
	}
	if !civil.Valid(year, value[MonthField], value[DayField]) || hour > 23 || value[MinuteField] > 59 || value[SecondField] > 59 {
		return Stamp{}, false
	}
	s.At = civil.DateOf(year, value[MonthField], value[DayField]).Midnight() + civil.DateTime(hour*3600+value[MinuteField]*60+value[SecondField])
	return s, true
}

// bound is the shortest text that parts what is before a time from what is at or after it, in
// a layout that sorts: what is zero at the end is left out, and what the layout does not have
// stands behind.
func (l *Layout) bound(at civil.DateTime) string {
	y, m, d := at.Date().YMD()
	seconds := at.Seconds()
	value := map[Field]int{YearField: y, MonthField: m, DayField: d, HourField: seconds / 3600, MinuteField: seconds / 60 % 60, SecondField: seconds % 60}
	least := map[bool]Field{true: DayField, false: SecondField}[at.IsMidnight()]
	if least == SecondField && seconds%60 == 0 {
		least = MinuteField
	}
	text, pending, last := "", "", Field(0)
	for _, p := range l.Parts {
		if p.Field == Between {
			pending += p.Text
			continue
		}
		if p.Field > least {
			return text
		}
		text += pending + fmt.Sprintf("%0*d", p.Least, value[p.Field])
		pending, last = "", p.Field
	}
	for f := last + 1; f <= least; f++ {
		text += fmt.Sprintf(":%02d", value[f])
	}
	return text
}
