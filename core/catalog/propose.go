package catalog

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"pikegate/core/civil"
)

// Survey looks at the values of a column one by one and tells how far they fit
// its encoding. It keeps no more than a few of them.
type Survey struct {
	column Column
	clock  *civil.Clock

	// Seen is how many values there were, blanks left out, and Unfit how many
	// of them did not fit; Examples are the first different ones of those.
	Seen, Unfit int64
	Examples    []string
	// first is the first value that fits, and shape how all that fit are
	// written; mixed tells that they are written in several ways.
	first string
	shape string
	mixed bool
}

// maxExamples is how many values that do not fit are kept.
const maxExamples = 3

// NewSurvey begins to look at a column.
func NewSurvey(c Column) *Survey { return &Survey{column: c, clock: civil.NewClock(time.UTC)} }

// See takes in a value.
func (s *Survey) See(value any) {
	if value == nil {
		return
	}
	s.Seen++
	if s.first == "" && s.column.Example == "" { // how months are written is told by the first
		s.column.Example = fmt.Sprint(value)
	}
	if _, ok := s.column.Decode(value, s.clock); !ok {
		if text := fmt.Sprint(value); len(s.Examples) < maxExamples && !slices.Contains(s.Examples, text) {
			s.Examples = append(s.Examples, text)
		}
		s.Unfit++
		if s.first == "" {
			s.column.Example = ""
		}
		return
	}
	if s.first == "" {
		s.first = fmt.Sprint(value)
		s.column.Example = s.first
		s.shape = ShapeOf(value)
	} else if !s.mixed && !HasShape(value, s.shape) {
		s.mixed = true
	}
}

// Apply puts what was found into the column. Of what it was found says how many
// values were looked at: all of them, or a sample.
func (s *Survey) Apply(c *Column, ofWhat string) {
	if s.first != "" {
		c.Example = s.first
	}
	c.Shape, c.Unfit, c.Looked = "", s.Unfit, s.Seen
	if s.Unfit == 0 && !s.mixed && !strings.HasPrefix(s.shape, "-") { // texts of negative numbers sort the other way round
		c.Shape = s.shape
	}
	kind := looks[c.Encoding]
	if kind == "" {
		kind = string(c.Encoding)
	}
	switch {
	case s.Seen == 0:
		c.Evidence = kind + ", no values yet"
	case s.Seen == 1 && s.Unfit == 0:
		c.Evidence = kind + ": the one value fits"
	case s.Unfit == 0:
		c.Evidence = fmt.Sprintf("%s: %s fit", kind, ofWhat)
	default:
		quoted := make([]string, len(s.Examples))
		for i, e := range s.Examples {
			quoted[i] = strconv.Quote(e)
		}
		c.Evidence = fmt.Sprintf("%s: of %s, %d %s fit, such as %s", kind, ofWhat, s.Unfit, map[bool]string{true: "does not", false: "do not"}[s.Unfit == 1], strings.Join(quoted, ", "))
	}
	if s.mixed {
		c.Evidence += "; written in several ways"
	}
}

// ShapeOf is how a value is written: its text with every digit as 0. Numbers
// are written alike.
func ShapeOf(value any) string {
	text, ok := value.(string)
	if !ok {
		return "number"
	}
	b := []byte(text)
	for i, c := range b {
		b[i] = undigited(c)
	}
	return string(b)
}

func undigited(c byte) byte {
	if c >= '0' && c <= '9' {
		return '0'
	}
	return c
}

// HasShape tells whether a value is written in a way.
func HasShape(value any, layout string) bool {
	text, ok := value.(string)
	if !ok {
		return layout == "number"
	}
	if len(text) != len(layout) {
		return false
	}
	for i := range len(text) {
		if undigited(text[i]) != layout[i] {
			return false
		}
	}
	return true
}

// mostlyFits is how large a share of the values looked at has to fit for a
// column to be taken for dates; the rest is told.
const mostlyFits = 0.9

// Propose guesses the encoding of a column from values stored in it, none of
// them blank. It is true only when nearly every value fits. Where two layouts are
// as good, as with days up to 12, nothing is guessed; Undecided names them.
func Propose(c Column, values []any) (Column, bool) {
	for _, e := range []Encoding{EncISODate, EncISOInstant, EncISOLocal, EncYMD} {
		c.Encoding, c.Example = e, ""
		if made, ok := c.proposed(values, c.plausible); ok {
			return made, true
		}
	}
	for _, mark := range layoutMarks {
		for _, time := range layoutTimes {
			var found []Column
			for _, layout := range mark {
				c.Encoding, c.Example = Encoding(layout+time), ""
				if made, ok := c.proposed(values, c.plausible); ok && made.Stored == Text {
					found = append(found, made)
				}
			}
			slices.SortStableFunc(found, func(x, y Column) int { return int(x.Unfit - y.Unfit) })
			switch {
			case len(found) == 1:
				made := found[0]
				if others := int64(len(values)) - fitting(values, otherOrder(made, mark, time).plausible); others > 0 {
					made.Evidence += notTheOther(others)
				}
				return made, true
			case len(found) > 1 && found[0].Unfit == 0 && found[1].Unfit > 0:
				found[0].Evidence += notTheOther(found[1].Unfit)
				return found[0], true
			}
		}
	}
	return Column{}, false
}

// ProposeAs takes a column for one in an encoding that somebody says its dates have; it is true
// only when nearly every value fits.
func ProposeAs(c Column, e Encoding, values []any) (Column, bool) {
	c.Encoding, c.Example = e, ""
	return c.proposed(values, c.decodes())
}

// Unfitting is how many values are no dates in an encoding that somebody says they have.
func Unfitting(c Column, e Encoding, values []any) int {
	c.Encoding = e
	return len(values) - int(fitting(values, c.decodes()))
}

// decodes tells whether a value is a date in the column's encoding.
func (c *Column) decodes() func(any) bool {
	clock := civil.NewClock(time.UTC)
	return func(v any) bool {
		_, ok := c.Decode(v, clock)
		return ok
	}
}

// layoutMarks are the layouts that are looked for, those beside each other whose days and
// months could be taken for one another; layoutTimes may stand behind them.
var (
	layoutMarks = [][]string{{"D.M.Y", "M.D.Y"}, {"D/M/Y", "M/D/Y"}, {"D-M-Y", "M-D-Y"}, {"Y/M/D"}, {"Y.M.D"}, {"D Mon Y"}, {"D-Mon-Y"}, {"Mon D, Y"}}
	layoutTimes = []string{"", " h:m", " h:m:s"}
)

// notTheOther tells how many values are no dates with day and month exchanged.
func notTheOther(n int64) string {
	if n == 1 {
		return "; 1 of them is no date the other way round"
	}
	return fmt.Sprintf("; %d of them are no dates the other way round", n)
}

// otherOrder is a column in the other of two layouts; in its own where there is no other.
func otherOrder(c Column, layouts []string, time string) *Column {
	for _, layout := range layouts {
		if other := Encoding(layout + time); other != c.Encoding {
			c.Encoding = other
			break
		}
	}
	return &c
}

// Undecided are two layouts that values fit alike, where nothing tells which is meant; none
// where that is not so.
func Undecided(c Column, values []any) (one, other Encoding) {
	for _, mark := range layoutMarks {
		for _, time := range layoutTimes {
			if len(mark) < 2 || len(values) == 0 {
				continue
			}
			x, y := c, c
			x.Encoding, y.Encoding = Encoding(mark[0]+time), Encoding(mark[1]+time)
			if fits(values, x.plausible, 1) && fits(values, y.plausible, 1) {
				return x.Encoding, y.Encoding
			}
		}
	}
	return "", ""
}

func fitting(values []any, fit func(any) bool) (n int64) {
	for _, v := range values {
		if fit(v) {
			n++
		}
	}
	return n
}

// fits tells whether at least that share of the values fit. It looks at no more of them than
// it takes to know: of the many encodings that are tried, most are none.
func fits(values []any, fit func(any) bool, share float64) bool {
	could := len(values)
	for _, v := range values {
		if !fit(v) {
			if could--; float64(could) < share*float64(len(values)) {
				return false
			}
		}
	}
	return true
}

// proposed is the column in its encoding, if nearly all values fit that.
func (c Column) proposed(values []any, fit func(any) bool) (Column, bool) {
	if len(values) == 0 || !fits(values, fit, mostlyFits) {
		return c, false
	}
	stored := Text
	if _, isNumber := values[slices.IndexFunc(values, fit)].(int64); isNumber {
		stored = Integer
	}
	c.Type, c.Stored = c.Encoding.Type(), stored
	survey := NewSurvey(c)
	for _, v := range values {
		survey.See(v)
	}
	survey.Apply(&c, fmt.Sprintf("%d values looked at", len(values)))
	return c, true
}

// looks say what values in an encoding look like.
var looks = map[Encoding]string{
	EncISODate: "text, YYYY-MM-DD, real days", EncISOInstant: "text, ISO 8601 in UTC", EncISOLocal: "text, ISO 8601 without a zone",
	EncYMD: "eight digits, real days",
}

// plausible tells whether a value is of the encoding rather than of another one
// that it would fit as well.
func (c *Column) plausible(v any) bool {
	stamp, ok := c.Decode(v, civil.NewClock(time.UTC))
	if !ok {
		return false
	}
	text, isText := v.(string)
	zoned := isText && len(text) > 10 && (text[len(text)-1] == 'Z' || text[len(text)-3] == '+' || text[len(text)-6] == '+')
	switch c.Encoding {
	case EncISOInstant:
		return zoned
	case EncISOLocal:
		return isText && !zoned
	case EncYMD:
		year := stamp.At.Date().Year()
		return year >= 1900 && year <= 2100
	}
	return true
}
