package service

import (
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

// Users lists what depends on a definition or a source of a name, directly or
// through others.
func (s *Service) Users(name string) ([]User, error) {
	usages, err := s.usages()
	if err != nil {
		return nil, err
	}
	sources, err := s.Sources()
	if err != nil {
		return nil, err
	}
	var names []string
	for _, u := range usages {
		names = append(names, u.Name)
	}
	for _, source := range sources {
		names = append(names, source.Name)
	}
	if !slices.Contains(names, name) {
		return nil, notFound("definition or source", name, names)
	}
	out := []User{}
	for wave := []string{name}; len(wave) > 0; {
		target := wave[0]
		wave = wave[1:]
		for _, u := range usages {
			user := User{Kind: u.Kind, Name: u.Name, Draft: slices.Contains(u.draft, target), Published: slices.Contains(u.published, target)}
			listed := slices.ContainsFunc(out, func(o User) bool { return o.Kind == u.Kind && o.Name == u.Name })
			if !user.Draft && !user.Published || listed {
				continue
			}
			if target != name {
				user.Through = target
			}
			out = append(out, user)
			wave = append(wave, u.Name)
		}
	}
	return out, nil
}

func (s *Service) usages() ([]usage, error) {
	drafts, err := s.Store.Drafts()
	if err != nil {
		return nil, err
	}
	out := make([]usage, len(drafts))
	for i, d := range drafts {
		out[i] = usage{Definition: d, draft: s.usedNames(d.Content)}
		published, err := s.Store.Published(d.Kind, d.Name)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return nil, err
		}
		out[i].published = s.usedNames(published.Content)
	}
	return out, nil
}

// usedNames are the names a definition's text refers to.
func (s *Service) usedNames(content string) []string {
	var names []string
	for _, used := range s.uses(content) {
		_, name, _ := strings.Cut(used, " ")
		names = append(names, name)
	}
	return names
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
