package definition

import (
	"slices"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/diag"
)

// Library finds definitions that others use. A nil function finds nothing.
type Library struct {
	Query     func(name string) (*Query, bool)
	Report    func(name string) (*Report, bool)
	Overview  func(name string) (*Overview, bool)
	Parameter func(name string) (*SharedParameter, bool)
	Criterion func(name string) (*Criterion, bool)
	// CalendarOf finds the calendar of an organisation.
	CalendarOf func(name string) (*Calendar, bool)
	// Result tells the columns of a query's hand-written SQL, and what it reads; it asks
	// the database without running it.
	Result func(q *Query) (Described, error)
	// Calendar is in which definitions are checked, on today and the days of the
	// year after it; nil where what depends on the day is not checked.
	Calendar *civil.Calendar
}

// Described is the result of hand-written SQL, and what it reads; nil where the
// database does not tell that.
type Described struct {
	Table catalog.Table
	Reads *catalog.Reads
	// Values are some that it returns, by the name of the column, without blanks; none
	// where that would take long. Proposed are the encodings that these look like.
	Values   map[string][]any
	Proposed map[string]catalog.Encoding
}

func (l Library) criterion(name string) (*Criterion, bool) {
	if l.Criterion == nil {
		return nil, false
	}
	return l.Criterion(name)
}

func (l Library) report(name string) (*Report, bool) {
	if l.Report == nil {
		return nil, false
	}
	return l.Report(name)
}

func (l Library) overview(name string) (*Overview, bool) {
	if l.Overview == nil {
		return nil, false
	}
	return l.Overview(name)
}

func (l Library) query(name string) (*Query, bool) {
	if l.Query == nil {
		return nil, false
	}
	return l.Query(name)
}

// Linked is a query with the questions of the named criteria that it uses, with
// shared parameters in the place of the questions that use them, and with the other period
// that stands beside the one asked for.
func Linked(query *Query, library Library) (*Query, diag.Problems) {
	var problems diag.Problems
	own := *query
	q := &own
	q.Parameters = slices.Clone(q.Parameters)
	for _, name := range named(q.expressions()...) {
		criterion, _ := library.criterion(name) // one that is missing is told where it is used
		if criterion == nil {
			continue
		}
		for _, question := range criterion.Parameters {
			if !slices.ContainsFunc(q.Parameters, func(own Question) bool {
				return own.Name != "" && own.Name == question.Name || own.Use != "" && (own.Use == question.Use || own.Use == question.Name)
			}) {
				q.Parameters = append(q.Parameters, question)
			}
		}
	}
	for i := range q.Parameters {
		question := &q.Parameters[i]
		if question.Use == "" || question.Name != "" {
			continue
		}
		var shared *SharedParameter
		found := false
		if library.Parameter != nil {
			shared, found = library.Parameter(question.Use)
		}
		if !found {
			p := diag.Problem{
				Code: "unknown_parameter", Field: nth("parameters", i) + ".use",
				Message: "There is no shared parameter " + question.Use + " here.", Hint: "Push it first, or give its file as well.",
			}
			problems = append(problems, p)
			continue
		}
		use := question.Use
		*question = shared.Question()
		question.Use = use
	}
	q.Columns, q.Sort = slices.Clone(q.Columns), slices.Clone(q.Sort)
	return q, append(problems, q.beside()...)
}

// Question is the question under the document's name.
func (s SharedParameter) Question() Question {
	q := s.Parameter
	q.Name = s.Name
	if q.Label == "" && s.Title != "" {
		q.Label = s.Title
	}
	if q.Help == "" {
		q.Help = s.About
	}
	return q
}
