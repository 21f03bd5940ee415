package service

import (
	"context"
	"errors"
	"strings"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/phrase"
	"pikegate/internal/engine"
	"pikegate/internal/identity"
	"pikegate/internal/runner"
	"pikegate/internal/wire"
)

// ReadCriteria takes the criteria of a definition that is being written apart: those of
// the first among some that has any.
func (s *Service) ReadCriteria(ctx context.Context, who identity.Actor, content string) (wire.CriteriaTree, error) {
	if err := authors(who); err != nil {
		return wire.CriteriaTree{}, err
	}
	documents, at, err := withCriteria(content)
	if err != nil {
		return wire.CriteriaTree{}, err
	}
	return s.criteriaOf(ctx, who, documents, at)
}

// WriteCriteria writes the conditions of a changed tree into the criteria it was read
// from, and gives the text with its own tree.
func (s *Service) WriteCriteria(ctx context.Context, who identity.Actor, content string, changed phrase.Phrase) (wire.CriteriaTree, error) {
	if err := authors(who); err != nil {
		return wire.CriteriaTree{}, err
	}
	documents, at, err := withCriteria(content)
	if err != nil {
		return wire.CriteriaTree{}, err
	}
	text := criteriaIn(documents[at])
	written, problems := phrase.Write(text.Value, changed)
	if len(problems) > 0 {
		return wire.CriteriaTree{}, problems
	}
	text.Value = written
	return s.criteriaOf(ctx, who, documents, at)
}

// Comparisons are what can be said of values, by type.
func (s *Service) Comparisons(_ context.Context, who identity.Actor) (map[string][]phrase.Operator, error) {
	if err := authors(who); err != nil {
		return nil, err
	}
	out := map[string][]phrase.Operator{"unknown": phrase.Operators("")}
	for _, t := range []catalog.Type{catalog.Text, catalog.Integer, catalog.Decimal, catalog.Boolean, catalog.Date, catalog.DateTime, criteria.Period, phrase.Span} {
		out[string(t)] = phrase.Operators(t)
	}
	return out, nil
}

// withCriteria reads definitions, and finds the first that has criteria.
func withCriteria(content string) (documents []definition.Document, at int, err error) {
	documents, problems := definition.Decode("", []byte(content)) // afresh: they are changed
	for i, d := range documents {
		if criteriaIn(d) != nil {
			return documents, i, nil
		}
	}
	if problems.Failed() {
		return nil, 0, problems
	}
	return nil, 0, diag.Problems{{Code: "no_criteria", Message: "None of these definitions has criteria.", Hint: "Queries, named conditions and row rules have."}}
}

// criteriaIn are the criteria of a definition; nil for a kind that has none.
func criteriaIn(d definition.Document) *definition.Text {
	switch d := d.(type) {
	case *definition.Query:
		return &d.Criteria
	case *definition.Criterion:
		return &d.Criteria
	case *definition.RowRule:
		return &d.Criteria
	}
	return nil
}

// criteriaOf is the tree of a definition's criteria, with what is known of its tables.
func (s *Service) criteriaOf(ctx context.Context, who identity.Actor, documents []definition.Document, at int) (wire.CriteriaTree, error) {
	text := criteriaIn(documents[at]).Value
	out := wire.CriteriaTree{Criteria: text}
	out.Kind, out.Name = documents[at].Ident()
	known := s.known(ctx, who, true, false)
	set := definition.NewSet(documents, known.Library)
	e, problems := criteria.Parse(text)
	if strings.TrimSpace(text) == "" {
		e, problems = nil, nil
	}
	if problems.Failed() { // it stays a text until it can be read
		out.Problems, out.Condition = problems, phrase.Phrase{Kind: phrase.All, Parts: []phrase.Phrase{{Kind: phrase.Free, Text: text}}}
		return out, nil
	}
	var tables []criteria.Table
	var columns []definition.CompiledColumn
	switch d := documents[at].(type) {
	case *definition.Query:
		source, _ := known.Source(d.Source) // why there is none is told by the check
		compiled, _ := set.Compile(d, source)
		if tables, columns = compiled.Tables(), compiled.Columns; compiled.Criteria != nil {
			e = compiled.Criteria
		}
	case *definition.Criterion:
		tables = s.tableAlone(ctx, who, d.On, "", e, d.Parameters)
	case *definition.RowRule:
		tables = s.tableAlone(ctx, who, d.On, d.Source, e, nil)
	}
	out.Condition = phrase.Read(text, e, namingOf(append(tables, criteria.RelatedTables(e)...), columns))
	return out, ctx.Err()
}

// tableAlone is a table by itself, with the names of a condition on it resolved.
func (s *Service) tableAlone(ctx context.Context, who identity.Actor, name, source string, e criteria.Expr, questions []definition.Question) []criteria.Table {
	catalogue, t, ok := s.tableNamed(ctx, who, name, source)
	if !ok {
		return nil
	}
	scope := criteria.Scope{Tables: []criteria.Table{{Alias: t.Name, Table: t}}, Related: catalogue.Table, Unplaced: catalogue.Traits.Unplaced}
	for _, q := range questions {
		p := q.Parameter()
		scope.Questions = append(scope.Questions, criteria.Question{Name: p.Name, Type: catalog.Type(p.Kind), Many: p.Many})
	}
	if e != nil {
		_ = criteria.ResolveCondition("", e, scope) // what is wrong is told by the check
	}
	return scope.Tables
}

// namingOf says what people read for what conditions are about: what stands above a
// column of the result, or the column's name in words.
func namingOf(tables []criteria.Table, columns []definition.CompiledColumn) phrase.Naming {
	return phrase.Naming{
		Label: func(e criteria.Expr) string {
			written := criteria.Print(e)
			for _, c := range columns {
				if c.Expr != nil && (criteria.Print(c.Expr) == written || sameColumn(c.Expr, e)) {
					return c.Heading()
				}
			}
			switch e := e.(type) {
			case *criteria.Column:
				return definition.Labelled(e.Name)
			case *criteria.Parameter:
				return definition.Labelled(e.Name)
			}
			return ""
		},
		Column: func(c *criteria.Column) string {
			for _, t := range tables {
				if t.Alias == c.Ref.Alias && t.Table.Name != definition.Result {
					return t.Table.Name + "." + c.Ref.Column.Name
				}
			}
			return ""
		},
	}
}

func sameColumn(a, b criteria.Expr) bool {
	x, isColumn := a.(*criteria.Column)
	y, alsoColumn := b.(*criteria.Column)
	return isColumn && alsoColumn && x.Ref.Alias != "" && x.Same(y)
}

// CountConditions counts how many records each condition of a query that is being
// written lets through, in one statement. Of a source that says how many records a
// table has, one with more than maxCounted is counted only where anyway says so.
func (s *Service) CountConditions(ctx context.Context, who identity.Actor, content string, anyway bool) (wire.ConditionCounts, error) {
	if err := authors(who); err != nil {
		return wire.ConditionCounts{}, err
	}
	job, err := s.written(ctx, who, content, asWritten)
	if err != nil {
		return wire.ConditionCounts{}, err
	}
	if job.Compiled.SQL != nil {
		return wire.ConditionCounts{Conditions: []wire.ConditionCount{}}, nil
	}
	if anyway {
		return runner.CountConditions(ctx, job, askedCountLimit)
	}
	uncounted := wire.ConditionCounts{Many: true, Conditions: []wire.ConditionCount{}}
	if many, err := runner.MoreThan(ctx, job, maxCounted); err != nil || many {
		return uncounted, err
	}
	counts, err := runner.CountConditions(ctx, job, countLimit)
	if failure := (*engine.Failure)(nil); errors.As(err, &failure) && failure.Code == engine.TimedOut {
		return uncounted, nil
	}
	return counts, err
}

// asWritten leaves the conditions of a query as they are written: another period that stands
// beside would put others in their place.
func asWritten(d definition.Document) {
	if q, ok := d.(*definition.Query); ok {
		q.Beside = definition.Beside{}
	}
}

// How long conditions are counted while somebody types, and where they wait for it.
const (
	countLimit      = 4 * time.Second
	askedCountLimit = time.Minute
)

// maxCounted is how many records are counted while somebody types.
const maxCounted = 1_000_000
