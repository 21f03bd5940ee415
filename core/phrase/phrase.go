// Package phrase takes criteria apart into conditions that can be pointed at, and writes
// what was changed back into the text:
//
//	passed_at within :period          passed_at · is within · what is asked for: period
//	and (toll >= 5 or                 any of:
//	  vessel_id is blank)               toll · is at least · 5
//	                                    vessel_id · is blank
//
// Read makes a tree of phrases of the text, Write the text of a tree. What was not
// changed stays as it was written, byte for byte, with its comments; Write(text,
// Read(text)) is the text. What cannot be said as a phrase stays a piece of the text.
package phrase

import (
	"fmt"
	"strconv"
	"strings"
	"unicode/utf8"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
)

// Kind is what a phrase is.
type Kind string

// The kinds of phrases: groups of which all or any must hold; something said of the
// records of another table; something said of a value; how many records are left; a named
// condition; and a piece of text that is none of these.
const (
	All     Kind = "all"
	Any     Kind = "any"
	Related Kind = "related"
	Says    Kind = "says"
	First   Kind = "first"
	Meets   Kind = "meets"
	Free    Kind = "text"
)

// Phrase is one condition, or several that are joined.
type Phrase struct {
	ID   string `json:"id,omitempty" doc:"Which condition of the text it was read from, its places from the outside in: \"1.0\"; left out for a new one"`
	Kind Kind   `json:"kind" enum:"all,any,related,says,first,meets,text" doc:"all and any are groups; related says how many records of another table there are; says says something of a value; first says how many records are left; meets names a condition; text is a piece of the criteria as it is written"`
	// Not tells that a group must not hold.
	Not   bool     `json:"not,omitempty" doc:"Whether a group must not hold"`
	Parts []Phrase `json:"parts,omitempty" doc:"The conditions of a group, or those on the related records"`

	Subject    *Subject `json:"subject,omitempty" doc:"What something is said of, or of which the greatest or the least are left"`
	Comparison string   `json:"comparison,omitempty" doc:"What is said of it, one of those listed for its type; of first, whether the first, greatest or least are left" example:"within"`
	// By are the columns for each combination of which that many records are left.
	By         []Subject `json:"by,omitempty" doc:"Of first: for each of which that many are left"`
	IgnoreCase bool      `json:"ignore_case,omitempty" doc:"Whether upper and lower case are the same"`
	Values     []Value   `json:"values,omitempty" doc:"What it is compared with"`
	Text       string    `json:"text,omitempty" doc:"The name of a condition, how many of which records are there (\"any passages\"), or the piece of text"`
	Words      string    `json:"words,omitempty" doc:"What people read in place of the text"`
	Offset     int       `json:"offset,omitempty" doc:"Where it stands in the text, in characters from 0"`
	Length     int       `json:"length,omitempty" doc:"How many characters it takes"`
}

// Subject is what something is said of: mostly a column.
type Subject struct {
	Text  string       `json:"text" doc:"As it is written" example:"locks.region"`
	Label string       `json:"label,omitempty" doc:"What people read" example:"Region"`
	Type  catalog.Type `json:"type,omitempty" doc:"Its type; left out where it is not known"`
	// Column is TABLE.COLUMN where it is one.
	Column string `json:"column,omitempty" doc:"TABLE.COLUMN, where it is a column"`
}

// From is where a value comes from.
type From string

// A value is written there, is the answer to a question, or is worked out.
const (
	Fixed  From = "fixed"
	Asked  From = "asked"
	Worked From = "worked"
)

// Value is what something is compared with.
type Value struct {
	From From   `json:"from" enum:"fixed,asked,worked" doc:"fixed is written there, asked is the answer to a question, worked is an expression"`
	Text string `json:"text" doc:"The value without quotes, the name of the question, or the expression" example:"Upper Tarn"`
}

// Naming says what people read.
type Naming struct {
	// Label names what something is said of, and Words a condition that is no phrase;
	// each may be nil.
	Label func(e criteria.Expr) string
	Words func(e criteria.Expr) string
	// Column is TABLE.COLUMN of a column.
	Column func(c *criteria.Column) string
}

// Read takes criteria apart: a group of which all must hold, empty for none. The tree is
// that of the text; where it was resolved, phrases have types.
func Read(text string, e criteria.Expr, naming Naming) Phrase {
	r := newReader(text, naming)
	return r.phrases(r.whole(e))
}

// node is a phrase with the place it was read from.
type node struct {
	Phrase
	expr criteria.Expr
	at   criteria.Pos // with the parentheses around it
	// parts are those of the phrase, and join where the parts of a group stand.
	parts []*node
	or    bool
}

type reader struct {
	text   string
	places criteria.Places
	naming Naming
}

func newReader(text string, naming Naming) reader {
	return reader{text, criteria.NewPlaces(text), naming}
}

func (r *reader) phrases(n *node) Phrase {
	p := n.Phrase
	for _, part := range n.parts {
		p.Parts = append(p.Parts, r.phrases(part))
	}
	return p
}

// whole is the outermost group.
func (r *reader) whole(e criteria.Expr) *node {
	root := &node{Phrase: Phrase{Kind: All, Length: utf8.RuneCountInString(r.text)}, at: criteria.Pos{Start: 0, End: len(r.text)}}
	if e == nil {
		return root
	}
	r.join(root, criteria.Conditions(e))
	return root
}

func (r *reader) join(group *node, terms []criteria.Expr) {
	for i, term := range terms {
		id := strconv.Itoa(i)
		if group.ID != "" {
			id = group.ID + "." + id
		}
		group.parts = append(group.parts, r.read(term, id))
	}
}

func (r *reader) slice(at criteria.Pos) string { return r.text[at.Start:at.End] }

func (r *reader) read(e criteria.Expr, id string) *node {
	n := &node{expr: e, at: r.places.Extent(e.At())}
	n.ID = id
	n.Offset, n.Length = utf8.RuneCountInString(r.text[:n.at.Start]), utf8.RuneCountInString(r.slice(n.at))
	switch e := e.(type) {
	case *criteria.Logic:
		n.Kind, n.or = kindOf(e), e.Or
		r.join(n, criteria.Parts(e))
	case *criteria.Not:
		n.Kind, n.Not = All, true
		if inner, ok := e.X.(*criteria.Logic); ok {
			n.Kind, n.or = kindOf(inner), inner.Or
		}
		r.join(n, criteria.Parts(e))
	case *criteria.Related:
		n.Kind, n.Text = Related, r.slice(e.At())
		if e.Where != nil {
			head := r.text[e.Start:r.places.Extent(e.Where.At()).Start]
			n.Text = strings.TrimSpace(head[:strings.LastIndex(strings.ToLower(head), "where")])
			r.join(n, criteria.Conditions(e.Where))
		}
	case *criteria.Meets:
		n.Kind, n.Text, n.Words = Meets, r.slice(e.At())[len("meets "):], e.Title
	case *criteria.First:
		n.Kind, n.Comparison, n.Values = First, e.Which, []Value{r.value(e.N)}
		if e.Of != nil {
			n.Subject = r.subject(e.Of)
		}
		for _, by := range e.By {
			n.By = append(n.By, *r.subject(by))
		}
	default:
		r.says(n, e)
	}
	return n
}

func (r *reader) subject(e criteria.Expr) *Subject {
	s := &Subject{Text: r.slice(r.places.Extent(e.At())), Type: criteria.TypeOf(e)}
	if r.naming.Label != nil {
		s.Label = r.naming.Label(e)
	}
	if column, ok := e.(*criteria.Column); ok && r.naming.Column != nil {
		s.Column = r.naming.Column(column)
	}
	return s
}

func kindOf(e *criteria.Logic) Kind {
	if e.Or {
		return Any
	}
	return All
}

// says reads what is said of a value, or leaves it as a text.
func (r *reader) says(n *node, e criteria.Expr) {
	n.Kind = Says
	subject, values := criteria.Expr(nil), []criteria.Expr{}
	negated := func(op string, not bool) string {
		if not {
			return "not " + op
		}
		return op
	}
	switch e := e.(type) {
	case *criteria.Compare:
		if criteria.FirstColumn(e.Left) != nil || criteria.RecordsOf(e.Left) != nil || criteria.FirstColumn(e.Right) == nil {
			subject, values, n.Comparison, n.IgnoreCase = e.Left, append(values, e.Right), e.Op, e.Fold
		}
	case *criteria.Within:
		subject, values, n.Comparison = e.X, append(values, e.Period), negated("within", e.Not)
	case *criteria.Between:
		subject, values, n.Comparison = e.X, append(values, e.Low, e.High), negated("between", e.Not)
	case *criteria.In:
		subject, values, n.Comparison, n.IgnoreCase = e.X, e.Items, negated("in", e.Not), e.Fold
	case *criteria.Match:
		subject, values, n.Comparison, n.IgnoreCase = e.X, append(values, e.Y), negated(e.Op, e.Not), e.Fold
	case *criteria.IsBlank:
		subject, n.Comparison = e.X, "is "+negated("blank", e.Not)
	case *criteria.Spans:
		values, n.Comparison = append(values, e.Period), negated(e.Op, e.Not)
		from, until := r.places.Extent(e.From.At()), r.places.Extent(e.Until.At())
		n.Subject = &Subject{Text: "span(" + r.slice(from) + ", " + r.slice(until) + ")", Type: Span}
		if r.naming.Label != nil {
			n.Subject.Label = fmt.Sprintf("%s to %s", r.naming.Label(e.From), r.naming.Label(e.Until))
		}
	}
	if subject != nil {
		n.Subject = r.subject(subject)
	}
	if n.Subject == nil {
		n.Kind, n.Comparison, n.Text = Free, "", r.slice(e.At())
		if r.naming.Words != nil {
			n.Words = r.naming.Words(e)
		}
		return
	}
	for _, v := range values {
		n.Values = append(n.Values, r.value(v))
	}
}

// Span is the type of a stretch of time between two dates.
const Span catalog.Type = "span"

func (r *reader) value(e criteria.Expr) Value {
	text := r.slice(r.places.Extent(e.At()))
	switch e := e.(type) {
	case *criteria.Parameter:
		if _, personal := e.Attribute(); e.Part == "" && !personal {
			return Value{Asked, e.Name}
		}
	case *criteria.Text:
		return Value{Fixed, e.Value}
	case *criteria.Number, *criteria.Bool:
		return Value{Fixed, text}
	case *criteria.Negative:
		if _, ok := e.X.(*criteria.Number); ok {
			return Value{Fixed, text}
		}
	}
	return Value{Worked, text}
}
