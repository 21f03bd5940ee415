// Package parameter is the questions a query asks and the reading of their
// answers: text in, typed values out, or every problem at once.
package parameter

import (
	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/period"
)

// Kind is what a question asks for.
type Kind string

// IsDated tells whether an answer is dates: a period, days or moments.
func (k Kind) IsDated() bool { return k == Period || k == Date || k == DateTime }

// The kinds.
const (
	Period   Kind = "period"
	Date     Kind = "date"
	DateTime Kind = "date-time"
	Text     Kind = "text"
	Integer  Kind = "integer"
	Decimal  Kind = "decimal"
	YesNo    Kind = "yes-no"
)

// Ends says which sides of a period may be left open.
type Ends string

// The ends. Closed is the default: both a start and an end are needed.
const (
	EndsClosed    Ends = "closed"
	EndsOpenStart Ends = "open-start"
	EndsOpenEnd   Ends = "open-end"
	EndsOpen      Ends = "open"
)

// Shown says what people see of a question.
type Shown string

// What people see. Asked is the default; a question that is stated is shown
// with its value and cannot be changed, a hidden one is not shown.
const (
	Asked  Shown = "asked"
	Stated Shown = "stated"
	Hidden Shown = "hidden"
)

// MatchBlank is the WhenBlank of a question that, left blank, asks for the
// records that are blank there; otherwise its condition drops out.
const MatchBlank = "match_blank"

// Parameter is one question.
type Parameter struct {
	Name  string `json:"name"`
	Label string `json:"label"`
	Help  string `json:"help,omitempty"`
	Kind  Kind   `json:"kind"`
	// Many allows several answers.
	Many     bool `json:"many,omitempty"`
	Required bool `json:"required,omitempty"`
	// Default is what an unanswered question means; expressions are read at the run.
	Default []string `json:"default,omitempty"`
	// Quick is answers offered for a click.
	Quick   []string `json:"quick,omitempty"`
	Limits  Limits   `json:"limits"`
	Choices Choices  `json:"choices"`
	// WhenBlank is skip (or empty) or match_blank.
	WhenBlank string `json:"when_blank,omitempty"`
	// IncludeBlanks lets records that are blank there match whatever the answer.
	IncludeBlanks bool  `json:"include_blanks,omitempty"`
	Shown         Shown `json:"shown,omitempty"`
	// Derive works the value out from other questions.
	Derive string `json:"derive,omitempty"`
}

// Limits is what an answer must keep to; empty fields set no limit.
type Limits struct {
	// Earliest and Latest are period expressions: nothing before the start of
	// the one, nothing after the end of the other.
	Earliest string `json:"earliest,omitempty"`
	Latest   string `json:"latest,omitempty"`
	// Longest and Shortest are lengths of a period ("400 days"); for text
	// Longest is how many characters it may have ("80").
	Longest  string `json:"longest,omitempty"`
	Shortest string `json:"shortest,omitempty"`
	// Whole allows whole units only: week, month, quarter, half, year.
	Whole string `json:"whole,omitempty"`
	Ends  Ends   `json:"ends,omitempty"`
	// Pattern is a regular expression a text must match as a whole.
	Pattern string `json:"pattern,omitempty"`
	// Least and Most bound a number, both included; Places is how many
	// decimal places it may have.
	Least  string `json:"least,omitempty"`
	Most   string `json:"most,omitempty"`
	Places string `json:"places,omitempty"`
	// Fewest and MostChosen bound how many answers are given.
	Fewest     string `json:"fewest,omitempty"`
	MostChosen string `json:"most_chosen,omitempty"`
}

// Choices is what an answer is chosen from; none means free text.
type Choices struct {
	Listed []Choice `json:"listed,omitempty"`
	// Column is TABLE.COLUMN: the values that occur in it.
	Column string `json:"column,omitempty"`
	// Query is a query whose Value column holds the answers, and Label what
	// people read instead.
	Query string `json:"query,omitempty"`
	Value string `json:"value,omitempty"`
	Label string `json:"label,omitempty"`
}

// Choice is one answer on offer.
type Choice struct {
	Value string `json:"value"`
	Label string `json:"label,omitempty"`
	// Count is how many records have it, where that is known.
	Count *int64 `json:"count,omitempty" doc:"How many records have it, the other answers applied"`
}

// FromData tells whether the choices are read from a database.
func (c Choices) FromData() bool { return c.Column != "" || c.Query != "" }

// Question is what the criteria need to know of the parameter.
func (p Parameter) Question() criteria.Question {
	types := map[Kind]catalog.Type{
		Period: criteria.Period, Date: catalog.Date, DateTime: catalog.DateTime, Text: catalog.Text,
		Integer: catalog.Integer, Decimal: catalog.Decimal, YesNo: catalog.Boolean,
	}
	return criteria.Question{Name: p.Name, Many: p.Many, Required: p.Required, Type: types[p.Kind]}
}

// Context is what readings depend on: the calendar, and the marks of numbers.
type Context struct {
	civil.Calendar
	Marks Marks
}

// Value is the typed answer to one question.
type Value struct {
	// Given is false for a question left blank.
	Given bool
	// Default tells that the question was left to its default.
	Default bool
	// Typed is what was typed, or the default.
	Typed string
	// Span is the answer of a period question; Spans are those of a date or
	// date-time question, one stretch for each answer.
	Span    period.Span
	Spans   []period.Span
	Texts   []string
	Numbers []decimal.Decimal
	Bool    bool
}

// Canonical is the answer in a form that reads back to the same value; numbers
// as definitions write them, with a point, whatever the language.
func (q Parameter) Canonical(v Value) []string {
	if !v.Given {
		return nil
	}
	var out []string
	switch q.Kind {
	case Period:
		out = append(out, v.Span.Canonical())
	case Date, DateTime:
		for _, s := range v.Spans {
			out = append(out, s.Canonical())
		}
	case Integer, Decimal:
		for _, n := range v.Numbers {
			out = append(out, n.String())
		}
	case YesNo:
		if v.Bool {
			return []string{"yes"}
		}
		return []string{"no"}
	default:
		out = v.Texts
	}
	return out
}

// Values are the answers by name.
type Values map[string]Value

// ReadBack says in words how the answer was understood, and dates in a language; the label
// says of what.
func (q Parameter) ReadBack(v Value, language string) string {
	switch {
	case !v.Given && q.WhenBlank == MatchBlank:
		return "blank"
	case !v.Given:
		return "any"
	}
	text := ""
	switch q.Kind {
	case Period:
		text = v.Span.ReadBackIn(language)
	case Date, DateTime:
		words := make([]string, len(v.Spans))
		for i, s := range v.Spans {
			words[i] = s.ReadBackIn(language)
		}
		text = OneOf(words)
	default:
		text = OneOf(q.labelled(q.Canonical(v)))
	}
	if q.IncludeBlanks {
		text += ", or blank"
	}
	return text
}

// labelled puts the labels of listed choices in the place of their values.
func (q Parameter) labelled(values []string) []string {
	out := make([]string, len(values))
	for i, v := range values {
		out[i] = v
		for _, c := range q.Choices.Listed {
			if c.Value == v && c.Label != "" {
				out[i] = c.Label
			}
		}
	}
	return out
}
