package service

import (
	"context"
	"strings"

	"pikegate/core/definition"
	"pikegate/internal/store"
)

// directory is every definition that is kept, who uses what, and the sources. It is read once
// and again when something was pushed, published or removed: while somebody
// types, all that others wrote stays the same. Nothing in it is changed.
type directory struct {
	changes uint64
	entries []entry
	sources []string
	// users are those who use something, by its name in lower case.
	users map[string][]use
}

// entry is a definition in both of its states.
type entry struct {
	draft store.Definition
	title string
	// published is the newest version, of number 0 where there is none.
	published store.Definition
	// uses is what each refers to, as "kind name".
	draftUses, publishedUses []string
}

// state is an entry as it was pushed last, or as it is published, with what it
// uses.
func (e entry) state(draft bool) (store.Definition, []string) {
	if draft {
		return e.draft, e.draftUses
	}
	return e.published, e.publishedUses
}

// use tells that an entry uses something of a kind.
type use struct {
	by    int
	kind  string
	draft bool
}

// directory gives what is kept now.
func (s *Service) directory(ctx context.Context) (*directory, error) {
	s.listing.Lock() // one reads for all
	defer s.listing.Unlock()
	changes := s.Store.Changes()
	if s.listed != nil && s.listed.changes == changes {
		return s.listed, nil
	}
	drafts, err := s.Store.Drafts(ctx)
	if err != nil {
		return nil, err
	}
	newest, err := s.Store.AllPublished(ctx)
	if err != nil {
		return nil, err
	}
	sources, err := s.Store.Sources(ctx)
	if err != nil {
		return nil, err
	}
	published := make(map[[2]string]store.Definition, len(newest))
	for _, v := range newest {
		published[[2]string{v.Kind, v.Name}] = v
	}
	// What was read of a text before holds still.
	known := map[string]entry{}
	if s.listed != nil {
		for _, e := range s.listed.entries {
			known[e.draft.Content] = e
		}
	}
	d := &directory{changes: changes, entries: make([]entry, len(drafts))}
	for i, draft := range drafts {
		e := entry{draft: draft, published: published[[2]string{draft.Kind, draft.Name}]}
		if before, ok := known[draft.Content]; ok {
			e.title, e.draftUses = before.title, before.draftUses
		} else {
			e.title, e.draftUses = readUses(draft.Content)
		}
		switch {
		case e.published.Number == 0:
		case e.published.Content == draft.Content:
			e.publishedUses = e.draftUses
		default:
			_, e.publishedUses = readUses(e.published.Content)
		}
		d.entries[i] = e
	}
	for _, source := range sources {
		d.sources = append(d.sources, source.Name)
	}
	d.users = usersIn(d.entries, func(e entry, draft bool) []string {
		_, uses := e.state(draft)
		return uses
	})
	s.listed = d
	return d, nil
}

// readUses reads the title of a definition, and what it refers to as "kind name".
func readUses(content string) (title string, uses []string) {
	documents, err := decoded(content)
	if err != nil {
		return "", nil
	}
	title, _ = documents[0].Heading()
	return title, definition.Uses(documents[0])
}

// usersIn turns what entries refer to around.
func usersIn(entries []entry, uses func(e entry, draft bool) []string) map[string][]use {
	users := map[string][]use{}
	for i, e := range entries {
		for _, draft := range []bool{true, false} {
			for _, used := range uses(e, draft) {
				kind, name, _ := strings.Cut(used, " ")
				name = strings.ToLower(name)
				users[name] = append(users[name], use{i, kind, draft}) // some twice, which harms nobody
			}
		}
	}
	return users
}
