package service

import (
	"context"
	"errors"
	"fmt"
	"time"

	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/internal/store"
)

// Version is one published version of a definition.
type Version struct {
	Number      int       `json:"number"`
	PublishedAt time.Time `json:"published_at"`
}

// Versions lists what was published of a definition, the newest first.
func (s *Service) Versions(kind, name string) ([]Version, error) {
	if _, _, err := s.Definition(kind, name, 0); err != nil {
		return nil, err
	}
	kept, err := s.Store.Versions(kind, name)
	out := make([]Version, len(kept))
	for i, v := range kept {
		out[i] = Version{v.Number, v.At}
	}
	return out, err
}

// Definition gives a version of a definition, with 0 what was pushed last.
// The revision is that of what was pushed.
func (s *Service) Definition(kind, name string, version int) (content string, revision int, err error) {
	var d store.Definition
	if version == 0 {
		d, err = s.Store.Draft(kind, name)
	} else {
		d, err = s.Store.Version(kind, name, version)
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
func (s *Service) Differences(kind, name string, from, to int) ([]definition.Difference, error) {
	documents := make([]definition.Document, 2)
	for i, version := range []int{from, to} {
		content, _, err := s.Definition(kind, name, version)
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

// Review is what publishing a name would do.
type Review struct {
	Changes  []Change        `json:"changes" doc:"What would be published, what is used first"`
	Problems diag.Problems   `json:"problems" doc:"What stands in the way, and warnings"`
	Examples []ExampleResult `json:"examples" doc:"What becomes of the examples of the reports"`
	Users    []User          `json:"users" doc:"What uses it in its published version; a report goes on with the version it was published with"`
}

// Change is one definition that would be published.
type Change struct {
	Kind        string                  `json:"kind"`
	Name        string                  `json:"name"`
	Version     int                     `json:"version" doc:"The version it would become"`
	Differences []definition.Difference `json:"differences" doc:"How it differs from the version before, empty for the first"`
}

// Review tells what publishing a name would do, and changes nothing.
func (s *Service) Review(ctx context.Context, name string) (Review, error) {
	out := Review{Changes: []Change{}, Problems: diag.Problems{}, Users: []User{}}
	p, problems, err := s.publication(ctx, name)
	if err != nil {
		return out, err
	}
	out.Problems = append(out.Problems, problems...)
	for i, d := range p.documents {
		kind, name := d.Ident()
		change := Change{Kind: kind, Name: name, Version: 1, Differences: []definition.Difference{}}
		published, err := s.Store.Published(kind, name)
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
	users, err := s.usersOf("", name)
	for _, u := range users {
		if _, itself := p.find(u.Kind, u.Name); u.Published && !itself {
			out.Users = append(out.Users, u)
		}
	}
	return out, err
}
