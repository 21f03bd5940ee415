package service

import (
	"context"
	"errors"
	"slices"
	"strings"

	"pikegate/core/definition"
	"pikegate/internal/store"
)

// User is a definition that uses another.
type User struct {
	Kind string `json:"kind"`
	Name string `json:"name"`
	// Draft and Published tell which of them uses it.
	Draft     bool `json:"draft" doc:"Whether what was pushed last uses it"`
	Published bool `json:"published" doc:"Whether the newest published version uses it"`
	// Through is what stands between, empty for a direct use.
	Through string `json:"through,omitempty" doc:"What stands between, empty for a direct use"`
}

// usage is what a definition uses by name, in both of its states.
type usage struct {
	store.Definition
	draft, published []string
}

// Users lists what depends on a definition, a source, a table or a column
// (TABLE.COLUMN), directly or through others.
func (s *Service) Users(ctx context.Context, name string) ([]User, error) {
	usages, err := s.usages(func(d store.Definition, draft bool) []string { return s.touched(ctx, d, draft) })
	if err != nil {
		return nil, err
	}
	return s.usersAmong(usages, "", name)
}

// usersOf lists what depends on a definition or a source of one kind, of any
// where the kind is empty. Unlike Users it looks at no database.
func (s *Service) usersOf(kind, name string) ([]User, error) {
	usages, err := s.usages(func(d store.Definition, _ bool) []string { return s.uses(d.Content) })
	if err != nil {
		return nil, err
	}
	return s.usersAmong(usages, kind, name)
}

func (s *Service) usersAmong(usages []usage, kind, name string) ([]User, error) {
	var names []string
	for _, u := range usages {
		names = append(names, u.Name)
		for _, used := range append(u.draft, u.published...) {
			names = append(names, nameOf(used))
		}
	}
	sources, err := s.Sources()
	if err != nil {
		return nil, err
	}
	for _, source := range sources {
		names = append(names, source.Name)
	}
	if !slices.ContainsFunc(names, func(n string) bool { return strings.EqualFold(n, name) }) {
		if s.inCatalogue(name) {
			return []User{}, nil
		}
		return nil, notFound("definition, source, table or column", name, names)
	}
	type wanted struct{ kind, name string }
	asked := wanted{kind, name}
	out := []User{}
	for wave := []wanted{asked}; len(wave) > 0; {
		target := wave[0]
		wave = wave[1:]
		is := func(used string) bool {
			kind, name, _ := strings.Cut(used, " ")
			return strings.EqualFold(name, target.name) && (target.kind == "" || kind == target.kind)
		}
		for _, u := range usages {
			user := User{Kind: u.Kind, Name: u.Name, Draft: slices.ContainsFunc(u.draft, is), Published: slices.ContainsFunc(u.published, is)}
			listed := slices.ContainsFunc(out, func(o User) bool { return o.Kind == u.Kind && o.Name == u.Name })
			if !user.Draft && !user.Published || listed {
				continue
			}
			if target != asked {
				user.Through = target.name
			}
			out = append(out, user)
			wave = append(wave, wanted{u.Kind, u.Name})
		}
	}
	return out, nil
}

// inCatalogue tells whether a name is that of a table, or of TABLE.COLUMN, of a
// source that is open.
func (s *Service) inCatalogue(name string) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	table, column, dotted := strings.Cut(name, ".")
	for _, o := range s.open {
		if t, ok := o.known.Load().Table(table); ok {
			if _, ok := t.Column(column); ok || !dotted {
				return true
			}
		}
	}
	return false
}

// nameOf is the name in "kind name".
func nameOf(used string) string {
	_, name, _ := strings.Cut(used, " ")
	return name
}

// usages are what was pushed, with what each refers to.
func (s *Service) usages(refers func(d store.Definition, draft bool) []string) ([]usage, error) {
	drafts, err := s.Store.Drafts()
	if err != nil {
		return nil, err
	}
	out := make([]usage, len(drafts))
	for i, d := range drafts {
		out[i] = usage{Definition: d, draft: refers(d, true)}
		published, err := s.Store.Published(d.Kind, d.Name)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return nil, err
		}
		if err == nil {
			out[i].published = refers(published, false)
		}
	}
	return out, nil
}

// touched is what a definition refers to, the tables and columns it reads among
// it, as "kind name".
func (s *Service) touched(ctx context.Context, d store.Definition, draft bool) []string {
	used := slices.Clone(s.uses(d.Content))
	documents, err := decoded(d.Content)
	if err != nil {
		return used
	}
	switch doc := documents[0].(type) {
	case *definition.Query:
		o, err := s.source(ctx, doc.Source, false)
		if err != nil {
			return used // it cannot be looked up now
		}
		compiled, _ := definition.Compile(doc, o.known.Load(), s.library(ctx, draft)) // its problems are told elsewhere
		for _, name := range compiled.Touches() {
			used = append(used, "table "+name)
		}
	case *definition.Criterion:
		used = append(used, "table "+doc.On)
	}
	return used
}

// maxUses is how many texts are remembered with what they use.
const maxUses = 2000

// uses is what a definition's text refers to, as "kind name". A text is read
// once: while somebody types, those of all other definitions stay the same.
func (s *Service) uses(content string) []string {
	s.mu.Lock()
	used, known := s.used[content]
	s.mu.Unlock()
	if known {
		return used
	}
	if documents, err := decoded(content); err == nil {
		used = definition.Uses(documents[0])
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.used) >= maxUses {
		clear(s.used)
	}
	s.used[content] = used
	return used
}
