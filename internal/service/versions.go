package service

import (
	"context"
	"errors"
	"fmt"

	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// Versions lists what was published of a definition, the newest first.
func (s *Service) Versions(ctx context.Context, who identity.Actor, kind, name string) ([]wire.Version, error) {
	if err := authors(who); err != nil {
		return nil, err
	}
	e, seen, err := s.seen(ctx, who, kind, name, true)
	if err == nil && !seen {
		e, seen, err = s.seen(ctx, who, kind, name, false)
	}
	if err == nil && (!seen || e.draft.Name == "") {
		err = &NotFound{What: kind, Name: name}
	}
	if err != nil {
		return nil, err
	}
	kept, err := s.Store.Versions(ctx, kind, name)
	out := make([]wire.Version, len(kept))
	for i, v := range kept {
		out[i] = wire.Version{Number: v.Number, PublishedAt: v.At}
	}
	return out, err
}

// Definition gives a version of a definition, with 0 what was pushed last.
// The revision is that of what was pushed.
func (s *Service) Definition(ctx context.Context, who identity.Actor, kind, name string, version int) (content string, revision int, err error) {
	if err := authors(who); err != nil {
		return "", 0, err
	}
	var d store.Definition
	_, seen, err := s.seen(ctx, who, kind, name, version == 0)
	switch {
	case err != nil:
		return "", 0, err
	case !seen:
		err = store.ErrNotFound
	case version == 0:
		d, err = s.Store.Draft(ctx, kind, name)
	default:
		d, err = s.Store.Version(ctx, kind, name, version)
	}
	if errors.Is(err, store.ErrNotFound) {
		what := kind
		if version > 0 {
			what = fmt.Sprintf("version %d of the %s", version, kind)
		}
		return "", 0, &NotFound{What: what, Name: name}
	}
	return d.Content, d.Revision, err
}

// Differences tells how one version of a definition differs from another; 0 is
// what was pushed last.
func (s *Service) Differences(ctx context.Context, who identity.Actor, kind, name string, from, to int) ([]definition.Difference, error) {
	documents := make([]definition.Document, 2)
	for i, version := range []int{from, to} {
		content, _, err := s.Definition(ctx, who, kind, name, version)
		if err != nil {
			return nil, err
		}
		read, err := decoded(content)
		if err != nil {
			return nil, err
		}
		documents[i] = read[0]
	}
	return orNoDifference(definition.Differences(documents[0], documents[1])), nil
}

func orNoDifference(d []definition.Difference) []definition.Difference {
	if d == nil {
		return []definition.Difference{}
	}
	return d
}

// Review tells what publishing a name would do, and changes nothing.
func (s *Service) Review(ctx context.Context, who identity.Actor, name string) (wire.Review, error) {
	out := wire.Review{Changes: []wire.Change{}, Problems: diag.Problems{}, Users: []wire.Dependent{}}
	if err := authors(who); err != nil {
		return out, err
	}
	p, problems, err := s.publication(ctx, who, name)
	if err != nil {
		return out, err
	}
	out.Problems = append(out.Problems, problems...)
	for i, d := range p.documents {
		kind, name := d.Ident()
		change := wire.Change{Kind: kind, Name: name, Version: 1, Differences: []definition.Difference{}}
		published, err := s.Store.Published(ctx, kind, name)
		switch {
		case err == nil:
			change.Version = published.Number + 1
			before, err := decoded(published.Content)
			if err != nil {
				return out, err
			}
			change.Differences = orNoDifference(definition.Differences(before[0], p.documents[i]))
		case !errors.Is(err, store.ErrNotFound):
			return out, err
		}
		out.Changes = append(out.Changes, change)
	}
	out.Examples = p.examples(ctx, problems)
	users, err := s.usersOf(ctx, who, "", name)
	for _, u := range users {
		if _, itself := p.find(u.Kind, u.Name); u.Published && !itself {
			out.Users = append(out.Users, u)
		}
	}
	return out, err
}
