package service

import (
	"context"
	"maps"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/internal/identity"
	"pikegate/internal/wire"
)

func word(text, kind, about string) wire.Word {
	return wire.Word{Text: text, Kind: kind, About: about}
}

// words lists what can be written in the expressions of a definition: the
// columns of its tables, its questions, named criteria, functions and the
// words of the language.
func (s *Service) words(ctx context.Context, who identity.Actor, d definition.Document, set *definition.Set) []wire.Word {
	out := []wire.Word{}
	columns := func(alias string, t catalog.Table) {
		for _, c := range t.Columns {
			out = append(out, word(criteria.Print(&criteria.Column{Table: alias, Name: c.Name}), "column", string(c.Type)))
		}
	}
	switch d := d.(type) {
	case *definition.Query:
		var catalogue *catalog.Source
		if who.MayOn(identity.Read, d.Source) {
			if o, err := s.source(ctx, d.Source, false); err == nil {
				catalogue = o.known.Load()
			}
		}
		compiled, _ := set.Compile(d, catalogue) // its problems are told elsewhere
		for i, t := range compiled.Tables() {
			if i == 0 && compiled.SQL == nil {
				columns("", t.Table)
			}
			if len(d.Union) == 0 {
				columns(t.Alias, t.Table)
			}
		}
		if len(d.Union) > 0 {
			out = append(out, s.queriesOn(ctx, who, d)...)
		}
		for _, t := range related(catalogue, compiled.Tables()) {
			out = append(out, word(t.Name, "table", "records that belong to one"))
			columns(t.Own(), t)
		}
		for _, q := range compiled.Questions {
			out = append(out, word(":"+q.Name, "question", string(q.Kind)))
			if string(q.Kind) == "period" {
				out = append(out, word(":"+q.Name+".from", "question", "where it starts"), word(":"+q.Name+".until", "question", "where it ends"))
			}
		}
	case *definition.Criterion:
		if _, t, ok := s.tableNamed(ctx, who, d.On, ""); ok {
			columns("", t)
		}
		for _, q := range d.Parameters {
			out = append(out, word(":"+q.Name, "question", q.Kind))
		}
	case *definition.RowRule:
		if catalogue, t, ok := s.tableNamed(ctx, who, d.On, d.Source); ok {
			columns("", t)
			for _, other := range related(catalogue, []criteria.Table{{Alias: t.Name, Table: t}}) {
				columns(other.Own(), other)
			}
		}
		for _, name := range s.attributeNames(ctx, who) {
			out = append(out, word(":user."+name, "question", "an attribute of whoever asks"))
		}
	case *definition.Report:
		if query, ok := set.Query(d.Query); ok {
			compiled, _ := set.Compile(query, nil) // what is missing is told elsewhere
			for _, c := range compiled.Query.Columns {
				out = append(out, word(c.Name, "column", c.Heading()))
			}
			for _, q := range compiled.Query.Parameters {
				out = append(out, word(q.Name, "question", q.Kind))
			}
		}
	}
	if d, err := s.directory(ctx); err == nil {
		for _, e := range d.entries {
			if e.draft.Kind == "criterion" && (e.seenBy(who, true) || e.seenBy(who, false)) {
				out = append(out, word("meets "+e.draft.Name, "criterion", "a named condition"))
			}
		}
	}
	for _, f := range criteria.Functions() {
		out = append(out, word(f.Usage, "function", f.About))
	}
	for _, w := range criteria.Words {
		out = append(out, word(w, "word", ""))
	}
	return out
}

// queriesOn are the queries on the source of another one that somebody may see.
func (s *Service) queriesOn(ctx context.Context, who identity.Actor, q *definition.Query) (out []wire.Word) {
	d, err := s.directory(ctx)
	if err != nil {
		return nil
	}
	for _, e := range d.entries {
		if e.draft.Kind != "query" || e.draft.Name == q.Name || !e.seenBy(who, true) && !e.seenBy(who, false) {
			continue
		}
		if _, head := e.state(true); slices.Contains(head.uses, "source "+q.Source) {
			out = append(out, word(e.draft.Name, "query", head.title))
		}
	}
	return out
}

// related are the tables that a foreign key joins to those of a query.
func related(catalogue *catalog.Source, tables []criteria.Table) (out []catalog.Table) {
	if catalogue == nil {
		return nil
	}
	refers := func(t, to catalog.Table) bool {
		return slices.ContainsFunc(t.References, func(r catalog.Reference) bool { return strings.EqualFold(r.Table, to.Name) })
	}
	for _, t := range catalogue.Tables {
		isOf := func(other criteria.Table) bool { return strings.EqualFold(other.Table.Name, t.Name) }
		belongs := func(other criteria.Table) bool { return refers(t, other.Table) || refers(other.Table, t) }
		if !slices.ContainsFunc(tables, isOf) && slices.ContainsFunc(tables, belongs) {
			out = append(out, t)
		}
	}
	return out
}

// tableNamed finds a table of a source that somebody may read; of any that has it, where
// none is named: a criterion names no source.
func (s *Service) tableNamed(ctx context.Context, who identity.Actor, name, source string) (*catalog.Source, catalog.Table, bool) {
	d, err := s.directory(ctx)
	if err != nil {
		return nil, catalog.Table{}, false
	}
	for _, known := range d.sources {
		if source != "" && known != source || !who.MayOn(identity.Read, known) {
			continue
		}
		o, err := s.source(ctx, known, false)
		if err != nil {
			continue
		}
		catalogue := o.known.Load()
		if t, ok := catalogue.Table(name); ok {
			return catalogue, t, true
		}
	}
	return nil, catalog.Table{}, false
}

// attributeNames are those that users have, for who administers them.
func (s *Service) attributeNames(ctx context.Context, who identity.Actor) []string {
	names := map[string]bool{}
	if users, err := s.Store.Users(ctx); err == nil && who.Administers() {
		for _, u := range users {
			for name := range u.Attributes {
				names[name] = true
			}
		}
	}
	return slices.Sorted(maps.Keys(names))
}
