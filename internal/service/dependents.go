package service

import (
	"context"
	"maps"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// anything is what SQL reads that cannot be followed: it may be any table.
const anything = "*"

// Dependents lists what depends on a definition, a source, a table or a column
// (TABLE.COLUMN), directly or through others.
func (s *Service) Dependents(ctx context.Context, who identity.Actor, name string) ([]wire.Dependent, error) {
	if err := authors(who); err != nil {
		return nil, err
	}
	return s.allDependents(ctx, who, name)
}

func (s *Service) allDependents(ctx context.Context, who identity.Actor, name string) ([]wire.Dependent, error) {
	d, err := s.directory(ctx)
	if err != nil {
		return nil, err
	}
	users := usersIn(d.entries, func(e entry, draft bool) []string {
		if !e.seenBy(who, draft) {
			return nil
		}
		d, h := e.state(draft)
		return s.touched(ctx, who, d, h.uses, draft)
	})
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	return s.usersAmong(ctx, who, d, users, "", name)
}

// usersOf lists what depends on a definition or a source of one kind, of any
// where the kind is empty. Unlike Dependents it looks at no database.
func (s *Service) usersOf(ctx context.Context, who identity.Actor, kind, name string) ([]wire.Dependent, error) {
	d, err := s.directory(ctx)
	if err != nil {
		return nil, err
	}
	return s.usersAmong(ctx, who, d, d.users, kind, name)
}

func (s *Service) usersAmong(ctx context.Context, who identity.Actor, d *directory, users map[string][]use, kind, name string) ([]wire.Dependent, error) {
	if err := s.hasName(who, d, users, name); err != nil {
		return nil, err
	}
	type wanted struct{ kind, name string }
	asked := wanted{kind, name}
	out, listed := []wire.Dependent{}, map[int]bool{}
	for wave := []wanted{asked}; len(wave) > 0; {
		target := wave[0]
		wave = wave[1:]
		found := map[int]*wire.Dependent{}
		direct := users[strings.ToLower(target.name)]
		if target == asked && kind == "" && s.inCatalogue(who, name) {
			direct = slices.Concat(direct, users[anything])
		}
		for _, u := range direct {
			if listed[u.by] || !d.entries[u.by].seenBy(who, u.draft) || target.kind != "" && u.kind != target.kind {
				continue
			}
			user := found[u.by]
			if user == nil {
				by := d.entries[u.by].draft
				user = &wire.Dependent{Kind: by.Kind, Name: by.Name}
				found[u.by] = user
			}
			user.Draft, user.Published = user.Draft || u.draft, user.Published || !u.draft
		}
		for _, by := range slices.Sorted(maps.Keys(found)) {
			user := found[by]
			switch named := func(u use) bool { return u.by == by }; {
			case target != asked:
				user.Through = target.name
			case !slices.ContainsFunc(users[strings.ToLower(name)], named):
				user.Through = "SQL that cannot be followed"
			}
			listed[by] = true
			out = append(out, *user)
			wave = append(wave, wanted{user.Kind, user.Name})
		}
	}
	return out, nil
}

// hasName says that there is nothing of a name, where that is so.
func (s *Service) hasName(who identity.Actor, d *directory, users map[string][]use, name string) error {
	sees := func(u use) bool { return d.entries[u.by].seenBy(who, u.draft) }
	if slices.ContainsFunc(users[strings.ToLower(name)], sees) || s.inCatalogue(who, name) {
		return nil
	}
	var names []string
	for used, by := range users {
		if slices.ContainsFunc(by, sees) {
			names = append(names, used)
		}
	}
	for _, e := range d.entries {
		if e.seenBy(who, true) || e.seenBy(who, false) {
			names = append(names, e.draft.Name)
		}
	}
	for _, source := range d.sources {
		if who.MayOn(identity.Read, source) {
			names = append(names, source)
		}
	}
	if slices.ContainsFunc(names, func(n string) bool { return strings.EqualFold(n, name) }) {
		return nil
	}
	return notFound("definition, source, table or column", name, names)
}

// inCatalogue tells whether a name is that of a table, or of TABLE.COLUMN, of a
// source that is open to somebody.
func (s *Service) inCatalogue(who identity.Actor, name string) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	table, column, dotted := catalog.SplitColumn(name)
	for source, o := range s.open {
		if !who.MayOn(identity.Read, source) {
			continue
		}
		known := o.known.Load()
		if _, ok := known.Table(name); ok {
			return true
		}
		if t, ok := known.Table(table); ok && dotted {
			if _, ok := t.Column(column); ok {
				return true
			}
		}
	}
	return false
}

// touched is what a definition refers to, the tables and columns it reads among
// it, as "kind name".
func (s *Service) touched(ctx context.Context, who identity.Actor, d store.Definition, uses []string, draft bool) []string {
	used := slices.Clone(uses)
	if d.Content == "" || ctx.Err() != nil {
		return used
	}
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
		compiled, _ := definition.Compile(doc, o.known.Load(), s.library(ctx, who, draft)) // its problems are told elsewhere
		for _, name := range compiled.Touches() {
			used = append(used, "table "+name)
		}
		if len(compiled.Unfollowed()) > 0 {
			used = append(used, "table "+anything)
		}
	case *definition.Criterion:
		used = append(used, "table "+doc.On)
	}
	return used
}
