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
	places  map[[2]string]int // of entries, by kind and name
	sources []string
	rules   map[string][]rule // that are published, by source
	// users are those who use something, by its name in lower case.
	users map[string][]use
}

// entry is a definition in both of its states.
type entry struct {
	draft store.Definition
	// published is the newest version, of number 0 where there is none.
	published                store.Definition
	draftHead, publishedHead head
}

// head is what is looked at of a definition without taking it apart each time.
type head struct {
	title, about, folder string
	tags                 []string
	// uses is what it refers to, as "kind name".
	uses []string
}

// entry gives a definition of a kind and name.
func (d *directory) entry(kind, name string) (entry, bool) {
	at, ok := d.places[[2]string{kind, name}]
	if !ok {
		return entry{}, false
	}
	return d.entries[at], true
}

// state is an entry as it was pushed last, or as it is published.
func (e entry) state(draft bool) (store.Definition, head) {
	if draft {
		return e.draft, e.draftHead
	}
	return e.published, e.publishedHead
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
	if ctx.Err() != nil {
		return nil, context.Cause(ctx)
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
	known := map[string]head{}
	if s.listed != nil {
		for _, e := range s.listed.entries {
			known[e.draft.Content], known[e.published.Content] = e.draftHead, e.publishedHead
		}
	}
	read := func(content string) head {
		if before, ok := known[content]; ok {
			return before
		}
		known[content] = readHead(content)
		return known[content]
	}
	d := &directory{changes: changes, entries: make([]entry, len(drafts)), places: make(map[[2]string]int, len(drafts))}
	for i, draft := range drafts {
		key := [2]string{draft.Kind, draft.Name}
		e := entry{draft: draft, published: published[key], draftHead: read(draft.Content)}
		if e.published.Number > 0 {
			e.publishedHead = read(e.published.Content)
		}
		d.entries[i], d.places[key] = e, i
	}
	for _, source := range sources {
		d.sources = append(d.sources, source.Name)
	}
	d.rules = rulesIn(d.entries)
	d.users = usersIn(d.entries, func(e entry, draft bool) []string {
		_, head := e.state(draft)
		return head.uses
	})
	s.listed = d
	return d, nil
}

// readHead reads the head of a definition.
func readHead(content string) head {
	documents, err := decoded(content)
	if err != nil {
		return head{}
	}
	h := head{folder: documents[0].Place(), uses: definition.Uses(documents[0])}
	h.title, h.about = documents[0].Heading()
	switch d := documents[0].(type) {
	case *definition.Report:
		h.tags = d.Tags
	case *definition.Overview:
		h.tags = d.Tags
	}
	return h
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
