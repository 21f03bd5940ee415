package definition

import (
	"maps"
	"slices"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/sqltext"
)

// Set is documents that are looked at together, and behind them a library. What
// is found and what is compiled is kept: each is worked out once for whoever asks
// the set. It is used by one goroutine.
type Set struct {
	Documents []Document
	// Library finds definitions among the documents, and else behind them.
	Library
	queries  map[string]*Query
	compiled map[compilation]*compiler
}

// compilation is a query and the catalogue it is compiled against.
type compilation struct {
	query  *Query
	source *catalog.Source
}

// NewSet puts documents together.
func NewSet(documents []Document, behind Library) *Set {
	s := &Set{Documents: documents, queries: map[string]*Query{}, compiled: map[compilation]*compiler{}}
	s.Library = Library{
		Query: func(name string) (*Query, bool) {
			if q, ok := s.queries[name]; ok {
				return q, q != nil
			}
			q, ok := first(documents, func(q *Query) bool { return q.Name == name }, behind.query, name)
			s.queries[name] = q
			return q, ok
		},
		Report: func(name string) (*Report, bool) {
			return first(documents, func(r *Report) bool { return r.Name == name }, behind.Report, name)
		},
		Overview: func(name string) (*Overview, bool) {
			return first(documents, func(o *Overview) bool { return o.Name == name }, behind.Overview, name)
		},
		Parameter: func(name string) (*SharedParameter, bool) {
			return first(documents, func(p *SharedParameter) bool { return p.Name == name }, behind.Parameter, name)
		},
		Criterion: func(name string) (*Criterion, bool) {
			return first(documents, func(c *Criterion) bool { return c.Name == name }, behind.criterion, name)
		},
		CalendarOf: func(name string) (*Calendar, bool) {
			return first(documents, func(c *Calendar) bool { return c.Name == name }, behind.CalendarOf, name)
		},
		Result: behind.Result, Calendar: behind.Calendar,
	}
	return s
}

// Compile compiles a query with what the set has, see Compile.
func (s *Set) Compile(q *Query, source *catalog.Source) (*Compiled, diag.Problems) {
	key := compilation{q, source}
	c, ok := s.compiled[key]
	if !ok {
		c = compile(q, source, s.Library)
		s.compiled[key] = c
	}
	return c.out, slices.Clone(c.problems)
}

// first finds a document of a kind among some, or else behind them.
func first[D any](documents []Document, is func(D) bool, behind func(name string) (D, bool), name string) (D, bool) {
	for _, d := range documents {
		if of, ok := d.(D); ok && is(of) {
			return of, true
		}
	}
	if behind == nil {
		var none D
		return none, false
	}
	return behind(name)
}

// TablesOf are the tables that a query names, itself or in the criteria that it meets.
func (s *Set) TablesOf(q *Query) []string {
	tables := slices.AppendSeq([]string{q.From}, maps.Values(q.Tables))
	for _, name := range q.Union {
		if member, ok := s.Library.query(name); ok && len(member.Union) == 0 {
			tables = append(tables, s.TablesOf(member)...)
		}
	}
	for _, j := range q.Joins {
		tables = append(tables, j.Table)
	}
	for _, t := range sqltext.ReadingOf(q.SQL.Value, sqltext.Flavour{}).Tables {
		tables = append(tables, t.Name)
	}
	texts := q.expressions()
	looked := map[string]bool{}
	for i := 0; i < len(texts); i++ {
		e, _ := criteria.Parse(texts[i].Value) // what cannot be read is told by the check
		tables = append(tables, criteria.RelatedNames(e)...)
		for _, name := range named(texts[i]) {
			if criterion, ok := s.Library.criterion(name); ok && !looked[name] {
				looked[name] = true
				texts = append(texts, criterion.Criteria)
			}
		}
	}
	slices.Sort(tables)
	return slices.DeleteFunc(slices.Compact(tables), func(name string) bool { return name == "" })
}
