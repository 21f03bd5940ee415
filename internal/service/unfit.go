package service

import (
	"context"
	"strings"

	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/internal/identity"
	"pikegate/internal/wire"
)

// UnfitDefinitions lists those that do not fit a source as it is now: a table or a column is
// gone, or is of another type.
func (s *Service) UnfitDefinitions(ctx context.Context, who identity.Actor, source string) ([]wire.Unfit, error) {
	if err := s.mayOn(ctx, who, identity.Read, source); err != nil {
		return nil, err
	}
	if err := authors(who); err != nil {
		return nil, err
	}
	if _, err := s.source(ctx, source, true); err != nil {
		return nil, err
	}
	d, err := s.directory(ctx)
	if err != nil {
		return nil, err
	}
	out := []wire.Unfit{}
	for _, e := range d.entries {
		for _, draft := range []bool{true, false} {
			kept, _ := e.state(draft)
			if !e.seenBy(who, draft) || kept.Content == "" || !draft && sameText(kept.Content, e.draft.Content) {
				continue
			}
			problems, err := s.unfit(ctx, who, kept.Content, source, draft)
			if err != nil {
				return nil, err
			}
			if len(problems) == 0 {
				continue
			}
			found := wire.Unfit{Kind: kept.Kind, Name: kept.Name, Draft: draft, Problems: problems}
			if !draft || sameText(kept.Content, e.published.Content) {
				found.Version = e.published.Number
			}
			out = append(out, found)
		}
	}
	return out, ctx.Err()
}

// unfit is what does not fit a source in a definition: of a query all of it, of a report
// what it makes of its query.
func (s *Service) unfit(ctx context.Context, who identity.Actor, content, source string, draft bool) (diag.Problems, error) {
	documents, err := decoded(content)
	if err != nil {
		return nil, nil // it is of an older form, and is told where it is opened
	}
	known := s.known(ctx, who, draft, false)
	about := source
	switch doc := documents[0].(type) {
	case *definition.Query:
		about = doc.Source
	case *definition.RowRule:
		about = doc.Source
	case *definition.Report:
		about = ""
		if q, ok := known.Query(doc.Query); ok {
			about = q.Source
		}
	default: // named conditions and shared questions are told where they are used
		return nil, nil
	}
	if !strings.EqualFold(about, source) {
		return nil, nil
	}
	_, problems := definition.Check(documents, known)
	if ctx.Err() != nil {
		return nil, context.Cause(ctx)
	}
	var failing diag.Problems
	for _, p := range problems {
		if p.Severity != diag.Warning {
			failing = append(failing, p)
		}
	}
	return failing, nil
}
