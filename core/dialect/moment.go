package dialect

import (
	"fmt"
	"strconv"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/plan"
)

// key is what the offset of an instant is looked up by: a number, or a text
// with T between day and time.
func key(c *catalog.Column, x string) string {
	if c.Encoding == catalog.EncISOInstant {
		return "replace(" + x + ", ' ', 'T')"
	}
	return x
}

// moment writes a date column as text, following the clocks of the zone.
func (w *writer) moment(m plan.Moment) string {
	c, x := m.Ref.Column, w.column(m.Ref)
	if l, ok := c.Encoding.Layout(); ok {
		if text := w.laidOut(m, l, x); text != "" {
			return text
		}
	}
	if w.dialect.clocked != nil {
		if text := w.dialect.clocked(m, x); text != "" {
			return text
		}
	}
	text := w.dialect.moment(m, w.dialect.stored(c, x), func(utc string) string { return w.offset(m, utc) })
	if m.Sure {
		return text
	}
	return "case when " + w.fits(c, x) + " then " + text + " end"
}

// fits writes that a value is a date as its column stores them.
func (w *writer) fits(c *catalog.Column, x string) string {
	if l, ok := c.Encoding.Layout(); ok {
		if text := w.isLaidOut(l, x); text != "" {
			return text
		}
	}
	return w.dialect.fits(c, x)
}

// offset writes the offset of an instant from UTC in seconds; utc is the
// instant as text in UTC. What it compares with is the zone's and nobody's
// input, and stands in the text, where it can be read.
func (w *writer) offset(m plan.Moment, utc string) string {
	n := len(m.Shifts)
	if n == 1 && m.Yearly == nil {
		return strconv.Itoa(m.Shifts[0].Offset)
	}
	stored := w.dialect.stored(m.Ref.Column, w.column(m.Ref))
	x := key(m.Ref.Column, stored)
	var b strings.Builder
	b.WriteString("case")
	if y := m.Yearly; y != nil {
		first, second := w.dialect.change(y.Changes[0], utc), w.dialect.change(y.Changes[1], utc)
		// Only in the months of the changes does it take more than the month.
		bare := utc
		if m.Ref.Column.Encoding == catalog.EncISOInstant { // its year and month stand where those of the text do
			bare = stored
		}
		month := "substr(" + bare + ", 6, 2)"
		last := func(c civil.YearlyChange) int {
			_, m, _ := (civil.DateOf(2001, c.Month, c.Day) + 6).YMD()
			return m
		}
		fmt.Fprintf(&b, " when %s >= '%d' then case when %s > '%02d' and %s < '%02d' then %d when %s < '%02d' or %s > '%02d' then %d when %s >= %s and %s < %s then %d else %d end",
			bare, y.From, month, last(y.Changes[0]), month, y.Changes[1].Month, y.Changes[0].Offset,
			month, y.Changes[0].Month, month, last(y.Changes[1]), y.Changes[1].Offset,
			utc, first, utc, second, y.Changes[0].Offset, y.Changes[1].Offset)
	}
	for _, s := range m.Shifts[:n-1] {
		from := fmt.Sprint(s.From)
		if text, ok := s.From.(string); ok {
			separator := "T"
			if m.Ref.Column.Encoding == catalog.EncInstant {
				separator = " "
			}
			from = literal(strings.NewReplacer("T", separator, " ", separator).Replace(text))
		}
		fmt.Fprintf(&b, " when %s >= %s then %d", x, from, s.Offset)
	}
	fmt.Fprintf(&b, " else %d end", m.Shifts[n-1].Offset)
	return b.String()
}

// The patterns are regular expressions of POSIX; anyYear is that of the years 1
// to 9999.
const anyYear = "([0-9]{3}[1-9]|[0-9]{2}[1-9]0|[0-9][1-9]00|[1-9]000)"

// realDay is the pattern of real days, with what stands between year, month and
// day.
func realDay(separator string) string {
	const leap = "([0-9]{2}(0[48]|[2468][048]|[13579][26])|(0[48]|[2468][048]|[13579][26])00)"
	return "(" + anyYear + separator + "((0[13578]|1[02])" + separator + "(0[1-9]|[12][0-9]|3[01])|(0[469]|11)" + separator +
		"(0[1-9]|[12][0-9]|30)|02" + separator + "(0[1-9]|1[0-9]|2[0-8]))|" + leap + separator + "02" + separator + "29)"
}

// patterns are what values of the encodings kept as text look like.
var patterns = map[catalog.Encoding]string{
	catalog.EncISODate: realDay("-"), catalog.EncYMD: realDay(""), catalog.EncYM: anyYear + "(0[1-9]|1[0-2])",
	catalog.EncISOLocal: timedText, catalog.EncISOInstant: timedText,
	catalog.EncUnixS: wholeText, catalog.EncUnixMS: wholeText, catalog.EncUnixUS: wholeText, catalog.EncSerial1900: "[0-9]+([.][0-9]+)?",
}

const wholeText = "-?[0-9]{1,18}"

var timedText = realDay("-") + "([T ]([01][0-9]|2[0-3]):[0-5][0-9](:[0-5][0-9]([.][0-9]{1,9})?)?(Z|[+]00(:00)?)?)?"

// pattern is what the values of a column look like.
func pattern(c *catalog.Column) string {
	p := patterns[c.Encoding]
	if c.Encoding == catalog.EncYM && c.Hyphened() {
		p = strings.Replace(p, "(0[1-9]", "-(0[1-9]", 1)
	}
	return p
}

// numbered tells whether a column with dates is kept as a number.
func numbered(c *catalog.Column) bool {
	return c.Stored != catalog.Text && c.Encoding.IsCount()
}

// within writes that a count means a moment that a stored value can.
func within(c *catalog.Column, x string) string {
	if c.Encoding == catalog.EncSerial1900 {
		return x + " >= 0 and " + x + " < 2958466"
	}
	scale := c.Encoding.PerSecond()
	return fmt.Sprintf("%s >= %d and %s < %d", x, int64(c.First())*scale, x, int64(catalog.Beyond)*scale)
}

// firstOf is the first day a column can mean, see catalog.Column.First.
func firstOf(c *catalog.Column) string { return c.First().Date().String() }
