package service

import (
	"cmp"
	"context"
	"slices"
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
	for _, draft := range []bool{true, false} {
		unfit, err := s.unfit(ctx, who, d, source, draft)
		if err != nil {
			return nil, err
		}
		out = append(out, unfit...)
	}
	slices.SortStableFunc(out, func(a, b wire.Unfit) int {
		return cmp.Or(strings.Compare(a.Kind, b.Kind), strings.Compare(a.Name, b.Name))
	})
	return out, nil
}

// unfit lists the definitions of one state that do not fit a source. What is published as it
// was pushed last is one with that.
func (s *Service) unfit(ctx context.Context, who identity.Actor, d *directory, source string, draft bool) (out []wire.Unfit, err error) {
	known := s.known(ctx, who, draft, false)
	var documents []definition.Document
	for _, e := range d.entries {
		kept, _ := e.state(draft)
		if !e.seenBy(who, draft) || kept.Content == "" || !draft && sameText(kept.Content, e.draft.Content) {
			continue
		}
		read, err := decoded(kept.Content)
		if err == nil && strings.EqualFold(sourceOf(read[0], known), source) { // one of an older form is told where it is opened
			documents = append(documents, read[0])
		}
	}
	_, problems := definition.Check(documents, known)
	if ctx.Err() != nil {
		return nil, context.Cause(ctx)
	}
	for _, document := range documents {
		kind, name := document.Ident()
		var failing diag.Problems
		for _, p := range problems {
			if p.Severity != diag.Warning && strings.HasPrefix(p.Field, kind+" "+name+": ") {
				failing = append(failing, p)
			}
		}
		if len(failing) == 0 {
			continue
		}
		found := wire.Unfit{Kind: kind, Name: name, Draft: draft, Problems: failing}
		if e, _ := d.entry(kind, name); !draft || sameText(document.Raw(), e.published.Content) {
			found.Version = e.published.Number
		}
		out = append(out, found)
	}
	return out, nil
}

// sourceOf is the source that a definition is about, blank for what is told where it is used.
func sourceOf(d definition.Document, known definition.Environment) string {
	switch d := d.(type) {
	case *definition.Query:
		return d.Source
	case *definition.RowRule:
		return d.Source
	case *definition.Report:
		if q, ok := known.Query(d.Query); ok {
			return q.Source
		}
	}
	return ""
}
