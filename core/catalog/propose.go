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
	// first is the first value that fits, and layout how all that fit are
	// written; mixed tells that they are written in several ways.
	first  string
	layout string
	mixed  bool
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
		s.layout = LayoutOf(value)
	} else if !s.mixed && !HasLayout(value, s.layout) {
		s.mixed = true
	}
}

// Apply puts what was found into the column. Of what it was found says how many
// values were looked at: all of them, or a sample.
func (s *Survey) Apply(c *Column, ofWhat string) {
	if s.first != "" {
		c.Example = s.first
	}
	c.Layout, c.Unfit, c.Looked = "", s.Unfit, s.Seen
	if s.Unfit == 0 && !s.mixed && !strings.HasPrefix(s.layout, "-") { // texts of negative numbers sort the other way round
		c.Layout = s.layout
	}
	kind := shapes[c.Encoding]
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

// LayoutOf is how a value is written: its text with every digit as 0. Numbers
// are written alike.
func LayoutOf(value any) string {
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

// HasLayout tells whether a value is written in a way.
func HasLayout(value any, layout string) bool {
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
// them blank. It is true only when nearly every value fits.
func Propose(c Column, values []any) (Column, bool) {
	for _, e := range []Encoding{EncISODate, EncISOInstant, EncISOLocal, EncYMD} {
		c.Encoding, c.Example = e, ""
		fitting := 0
		for _, v := range values {
			if c.plausible(v) {
				fitting++
			}
		}
		if len(values) == 0 || float64(fitting) < mostlyFits*float64(len(values)) {
			continue
		}
		stored := Text
		if _, isNumber := values[slices.IndexFunc(values, c.plausible)].(int64); isNumber {
			stored = Integer
		}
		c.Type, c.Stored = e.Type(), stored
		survey := NewSurvey(c)
		for _, v := range values {
			survey.See(v)
		}
		survey.Apply(&c, fmt.Sprintf("%d values looked at", len(values)))
		return c, true
	}
	return Column{}, false
}

// shapes say what values in an encoding look like.
var shapes = map[Encoding]string{
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
