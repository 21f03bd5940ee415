// Package parameter is the questions a query asks and the reading of their
// answers: text in, typed values out, or every problem at once.
package parameter

import (
	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/period"
)

// Kind is what a question asks for.
type Kind string

// The kinds.
const (
	Period Kind = "period"
	Text   Kind = "text"
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
}

// Limits is what an answer must keep to; empty fields set no limit.
type Limits struct {
	// Earliest and Latest are period expressions: nothing before the start of
	// the one, nothing after the end of the other.
	Earliest string `json:"earliest,omitempty"`
	Latest   string `json:"latest,omitempty"`
	// Longest is the longest a period may be ("400 days"), or for text how
	// many characters it may have ("80").
	Longest string `json:"longest,omitempty"`
	Ends    Ends   `json:"ends,omitempty"`
}

// Choices is what an answer is chosen from; none means free text.
type Choices struct {
	Listed []Choice `json:"listed,omitempty"`
	// Column is TABLE.COLUMN: the values that occur in it.
	Column string `json:"column,omitempty"`
}

// Choice is one listed answer.
type Choice struct {
	Value string `json:"value"`
	Label string `json:"label,omitempty"`
}

// Any tells whether there is anything to choose from.
func (c Choices) Any() bool { return c.Column != "" || len(c.Listed) > 0 }

// Question is what the criteria need to know of the parameter.
func (p Parameter) Question() criteria.Question {
	q := criteria.Question{Name: p.Name, Many: p.Many, Required: p.Required, Type: catalog.Text}
	if p.Kind == Period {
		q.Type = criteria.Period
	}
	return q
}

// Input is what a person typed for one question: texts, or for a period also
// a start and an end of its own. Nil means not answered; a blank text too.
type Input struct {
	Texts      []string
	Start, End *string
}

// Value is the typed answer to one question.
type Value struct {
	// Given is false for a question left blank.
	Given bool
	// Default tells that the question was left to its default.
	Default bool
	// Typed is what was typed, or the default.
	Typed string
	// Span is the answer of a period question.
	Span period.Span
	// Texts are the answers of a text question.
	Texts []string
}

// Canonical is the answer in a form that reads back to the same value.
func (v Value) Canonical() []string {
	switch {
	case !v.Given:
		return nil
	case v.Texts != nil:
		return v.Texts
	}
	return []string{v.Span.Canonical()}
}

// Values are the answers by name.
type Values map[string]Value

// Context is what readings depend on.
type Context = civil.Context
