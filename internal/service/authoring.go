package service

import (
	"context"
	"errors"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/plan"
	"pikegate/core/sqltext"
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

// known is what a check may look up here: what was pushed last, or what is
// published; fresh reads the catalogues of sources again.
func (s *Service) known(ctx context.Context, drafts, fresh bool) definition.Known {
	return definition.Known{
		Source: func(name string) (*catalog.Source, bool) {
			o, err := s.source(ctx, name, fresh)
			if err != nil {
				return nil, false
			}
			return &o.catalogue, true
		},
		Zone:    time.LoadLocation,
		Library: s.library(ctx, drafts),
	}
}

// library is what is kept: drafts, or what is published.
func (s *Service) library(ctx context.Context, drafts bool) definition.Library {
	get := s.Store.Published
	if drafts {
		get = s.Store.Draft
	}
	find := func(kind, name string) definition.Document {
		kept, err := get(kind, name)
		if err != nil {
			return nil
		}
		documents, err := decoded(kept.Content)
		if err != nil || len(documents) != 1 {
			return nil
		}
		return documents[0]
	}
	return definition.Library{
		Result: s.result(ctx),
		Query: func(name string) (*definition.Query, bool) {
			q, ok := find("query", name).(*definition.Query)
			return q, ok
		},
		Parameter: func(name string) (*definition.SharedParameter, bool) {
			p, ok := find("parameter", name).(*definition.SharedParameter)
			return p, ok
		},
		Criterion: func(name string) (*definition.Criterion, bool) {
			c, ok := find("criterion", name).(*definition.Criterion)
			return c, ok
		},
	}
}

// result asks a query's source for the columns of its hand-written SQL.
func (s *Service) result(ctx context.Context) func(q *definition.Query) (catalog.Table, error) {
	return func(q *definition.Query) (catalog.Table, error) {
		o, err := s.source(ctx, q.Source, false)
		if err != nil {
			return catalog.Table{}, err
		}
		pieces, _ := sqltext.Split(q.SQL.Value, o.catalogue.Engine)
		columns, err := o.Describe(ctx, o.Dialect().WriteRaw(plan.Described(q, pieces)))
		return catalog.Table{Name: definition.Result, View: true, Columns: columns}, err
	}
}

// Push checks definitions and keeps them as drafts, all or none.
func (s *Service) Push(ctx context.Context, content string) (Checked, error) {
	documents, err := decoded(content)
	if err != nil {
		return Checked{}, err
	}
	known := s.known(ctx, true, true)
	problems := definition.Check(documents, known)
	if err := problems.Err(); err != nil {
		return Checked{}, err
	}
	problems = append(problems, s.dependents(documents, known)...)
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
