package service

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/internal/store"
)

// DefinitionInfo is one definition in a list.
type DefinitionInfo struct {
	Kind  string `json:"kind"`
	Name  string `json:"name"`
	Title string `json:"title"`
	// Version is the newest published one, 0 if there is none.
	Version int `json:"version" doc:"The newest published version, 0 if there is none"`
	// Draft tells that what was pushed last differs from it.
	Draft bool `json:"draft" doc:"Whether what was pushed last is not published yet"`
}

// Checked is what a check found, and what it looked at.
type Checked struct {
	Definitions []DefinitionInfo `json:"definitions"`
	// Warnings deserve a look and stop nothing.
	Warnings diag.Problems `json:"warnings,omitempty"`
}

// decoded reads a file of definitions; err holds every problem.
func decoded(content string) ([]definition.Document, error) {
	documents, problems := definition.Decode("", []byte(content))
	return documents, problems.Err()
}

// known is what a check may look up here. The queries of definitions that are
// checked together come first, then drafts, then published ones.
func (s *Service) known(ctx context.Context, drafts bool) definition.Known {
	return definition.Known{
		Source: func(name string) (*catalog.Source, bool) {
			o, err := s.source(ctx, name, true)
			if err != nil {
				return nil, false
			}
			return &o.catalogue, true
		},
		Query: func(name string) (*definition.Query, bool) {
			get := s.Store.Published
			if drafts {
				get = s.Store.Draft
			}
			kept, err := get("query", name)
			if err != nil {
				return nil, false
			}
			return queryOf(kept.Content)
		},
	}
}

func queryOf(content string) (*definition.Query, bool) {
	documents, err := decoded(content)
	if err != nil || len(documents) != 1 {
		return nil, false
	}
	q, ok := documents[0].(*definition.Query)
	return q, ok
}

// Push checks definitions and keeps them as drafts, all or none.
func (s *Service) Push(ctx context.Context, content string) (Checked, error) {
	documents, err := decoded(content)
	if err != nil {
		return Checked{}, err
	}
	problems := definition.Check(documents, s.known(ctx, true))
	if err := problems.Err(); err != nil {
		return Checked{}, err
	}
	drafts := make([]store.Definition, len(documents))
	for i, d := range documents {
		kind, name := d.Ident()
		drafts[i] = store.Definition{Kind: kind, Name: name, Content: d.Raw(), At: s.Now().UTC()}
	}
	if err := s.Store.SaveDrafts(drafts); err != nil {
		return Checked{}, err
	}
	infos, err := s.infos(drafts)
	return Checked{infos, problems}, err
}

// infos describes drafts.
func (s *Service) infos(drafts []store.Definition) ([]DefinitionInfo, error) {
	out := make([]DefinitionInfo, len(drafts))
	for i, d := range drafts {
		info := DefinitionInfo{Kind: d.Kind, Name: d.Name, Draft: true}
		if documents, err := decoded(d.Content); err == nil && len(documents) == 1 {
			info.Title, _ = documents[0].Heading()
		}
		published, err := s.Store.Published(d.Kind, d.Name)
		switch {
		case err == nil:
			info.Version, info.Draft = published.Number, published.Content != d.Content
		case !errors.Is(err, store.ErrNotFound):
			return nil, err
		}
		out[i] = info
	}
	return out, nil
}

// Definitions lists everything that was pushed.
func (s *Service) Definitions() ([]DefinitionInfo, error) {
	drafts, err := s.Store.Drafts()
	if err != nil {
		return nil, err
	}
	return s.infos(drafts)
}

// Definition gives a definition as it was pushed last.
func (s *Service) Definition(kind, name string) (string, error) {
	d, err := s.Store.Draft(kind, name)
	if errors.Is(err, store.ErrNotFound) {
		return "", &NotFound{What: kind, Name: name}
	}
	return d.Content, err
}

// Publish checks what was pushed under a name and freezes it as the next
// version. A report is frozen with its query: the published one, or the
// pushed one, which is then published with it, if there is none yet.
func (s *Service) Publish(ctx context.Context, name string) (Checked, error) {
	drafts, err := s.Store.Drafts()
	if err != nil {
		return Checked{}, err
	}
	var chosen []store.Definition
	var names []string
	for _, d := range drafts {
		names = append(names, d.Name)
		if d.Name == name {
			chosen = append(chosen, d)
		}
	}
	if len(chosen) == 0 {
		return Checked{}, notFound("pushed definition", name, names)
	}
	var documents []definition.Document
	for _, d := range chosen {
		read, err := decoded(d.Content)
		if err != nil {
			return Checked{}, err
		}
		documents = append(documents, read...)
	}
	var notes diag.Problems
	for _, d := range documents {
		report, ok := d.(*definition.Report)
		if !ok {
			continue
		}
		query, more, found, err := s.queryFor(report, chosen)
		if err != nil {
			return Checked{}, err
		}
		if more {
			chosen = append(chosen, query)
			read, err := decoded(query.Content)
			if err != nil {
				return Checked{}, err
			}
			documents = append(documents, read...)
		}
		notes = append(notes, found...)
	}
	problems := append(notes, definition.Check(documents, s.known(ctx, false))...)
	if err := problems.Err(); err != nil {
		return Checked{}, err
	}
	return s.freeze(chosen, problems)
}

// queryFor finds the query a report is to be frozen with; more tells that it
// must be published as well.
func (s *Service) queryFor(r *definition.Report, chosen []store.Definition) (query store.Definition, more bool, notes diag.Problems, err error) {
	isQuery := func(d store.Definition) bool { return d.Kind == "query" && d.Name == r.Query }
	if slices.ContainsFunc(chosen, isQuery) {
		return query, false, nil, nil
	}
	draft, draftErr := s.Store.Draft("query", r.Query)
	published, err := s.Store.Published("query", r.Query)
	switch {
	case errors.Is(err, store.ErrNotFound) && draftErr == nil:
		return draft, true, nil, nil
	case err != nil && !errors.Is(err, store.ErrNotFound):
		return query, false, nil, err
	case draftErr == nil && draft.Content != published.Content:
		notes = diag.Problems{{
			Code: "newer_draft", Severity: diag.Warning, Field: "report " + r.Name + ": query",
			Message: fmt.Sprintf("The query %s was pushed again after version %d; the report is frozen with that version.", r.Query, published.Number),
			Hint:    "Publish the query first to use what was pushed.",
		}}
	}
	return query, false, notes, nil
}

// freeze keeps the definitions as new versions, queries first, so that
// reports are frozen with them.
func (s *Service) freeze(chosen []store.Definition, warnings diag.Problems) (Checked, error) {
	slices.SortStableFunc(chosen, func(a, b store.Definition) int {
		if a.Kind == b.Kind {
			return 0
		}
		if a.Kind == "query" {
			return -1
		}
		return 1
	})
	now := s.Now().UTC().Truncate(time.Second)
	for i := range chosen {
		d := &chosen[i]
		d.At = now
		if d.Kind != "report" {
			continue
		}
		documents, err := decoded(d.Content)
		if err != nil {
			return Checked{}, err
		}
		queryName := documents[0].(*definition.Report).Query
		published, err := s.Store.Published("query", queryName)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return Checked{}, err
		}
		d.Uses, d.UsesVersion = published.Content, published.Number
		for _, other := range chosen {
			if other.Kind == "query" && other.Name == queryName {
				d.Uses, d.UsesVersion = other.Content, published.Number+1
			}
		}
	}
	versions, err := s.Store.Publish(chosen)
	if err != nil {
		return Checked{}, err
	}
	infos, err := s.infos(versions)
	return Checked{infos, warnings}, err
}
