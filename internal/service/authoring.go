package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/plan"
	"pikegate/core/sqltext"
	"pikegate/internal/engine"
	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// decoded reads a file of definitions; err holds every problem.
func decoded(content string) ([]definition.Document, error) {
	documents, problems := definition.Decode("", []byte(content))
	return documents, problems.Err()
}

// known is what a check may look up here for somebody: what was pushed last, or what
// is published; fresh reads the catalogues of sources again.
func (s *Service) known(ctx context.Context, who identity.Actor, drafts, fresh bool) definition.Environment {
	library := s.library(ctx, who, drafts)
	calendar, _ := s.usual(ctx, "")
	library.Calendar = &calendar
	return definition.Environment{
		Source: func(name string) (*catalog.Source, *diag.Problem) {
			err := s.mayOn(ctx, who, identity.Read, name)
			if err != nil {
				return nil, sourceProblem(err)
			}
			o, err := s.source(ctx, name, fresh)
			if err != nil {
				return nil, sourceProblem(err)
			}
			return o.known.Load(), nil
		},
		Zone:    time.LoadLocation,
		Stopped: func() bool { return ctx.Err() != nil },
		Library: library,
	}
}

// sourceProblem says why there is no catalogue of a source.
func sourceProblem(err error) *diag.Problem {
	var missing *NotFound
	var failure *engine.Failure
	switch {
	case errors.As(err, &missing):
		hint := missing.Hint
		if hint == "" {
			hint = "Add it with pikegate source add."
		}
		return &diag.Problem{Code: "unknown_source", Message: missing.Error(), Hint: hint}
	case errors.As(err, &failure):
		return &diag.Problem{Code: string(failure.Code), Message: failure.Message, Hint: failure.Hint}
	}
	return &diag.Problem{Code: string(engine.Broken), Message: err.Error()}
}

// library is what is kept and can be used by somebody: drafts where they may see them,
// or what is published.
func (s *Service) library(ctx context.Context, who identity.Actor, drafts bool) definition.Library {
	find := func(kind, name string) definition.Document {
		e, seen, err := s.seen(ctx, who, kind, name, drafts)
		draft := drafts && seen
		kept, _ := e.state(draft)
		if err != nil || kept.Content == "" || !e.seenBy(who, draft) {
			return nil
		}
		documents, err := decoded(kept.Content)
		if err != nil || len(documents) != 1 {
			return nil
		}
		return documents[0]
	}
	ask := s.result(ctx, true)
	return definition.Library{
		Result: func(q *definition.Query) (definition.Described, error) {
			// What is written by hand is asked of the database for who may write it.
			if _, kept, err := s.seen(ctx, who, "query", q.Name, false); err != nil || !kept && !who.MayOn(identity.SQL, q.Source) {
				return definition.Described{}, errors.Join(err, mayQuery(who, q, "query "+q.Name).Err())
			}
			return ask(q)
		},
		Query: func(name string) (*definition.Query, bool) {
			q, ok := find("query", name).(*definition.Query)
			return q, ok
		},
		Report: func(name string) (*definition.Report, bool) {
			r, ok := find("report", name).(*definition.Report)
			return r, ok
		},
		Overview: func(name string) (*definition.Overview, bool) {
			o, ok := find("overview", name).(*definition.Overview)
			return o, ok
		},
		Parameter: func(name string) (*definition.SharedParameter, bool) {
			p, ok := find("parameter", name).(*definition.SharedParameter)
			return p, ok
		},
		Criterion: func(name string) (*definition.Criterion, bool) {
			c, ok := find("criterion", name).(*definition.Criterion)
			return c, ok
		},
		CalendarOf: func(name string) (*definition.Calendar, bool) {
			c, ok := find("calendar", name).(*definition.Calendar)
			if !ok {
				return nil, false
			}
			return s.calendarFrom(c.Raw()) // worked out once
		},
	}
}

// result asks a query's source for the columns of its hand-written SQL, and what it
// reads; for an author, for some of its values as well. Where a source has row rules these
// are left alone, since what is said of them could tell of hidden rows.
func (s *Service) result(ctx context.Context, sampled bool) func(q *definition.Query) (definition.Described, error) {
	return func(q *definition.Query) (definition.Described, error) {
		o, err := s.source(ctx, q.Source, false)
		if err != nil {
			return definition.Described{}, err
		}
		pieces, _ := sqltext.Split(q.SQL.Value, o.known.Load().Traits.SQL)
		statement := plan.Described(q, pieces, o.known.Load().Table, false)
		described, err := o.Describe(ctx, o.Dialect().WriteRaw(statement))
		if err != nil {
			return definition.Described{}, err
		}
		found := definition.Described{Table: catalog.Table{Name: definition.Result, View: true, Columns: described.Columns}, Reads: described.Reads}
		if g, err := s.sight(ctx, itself, q.Source); sampled && err == nil && len(g.rules) == 0 {
			some := o.sample(ctx, q.SQL.Value, statement, described.Columns, s.Now())
			found.Values, found.Proposed = some.values, some.proposed
		}
		return found, nil
	}
}

// Schema is the JSON Schema of definitions.
func (s *Service) Schema(_ context.Context, who identity.Actor) (map[string]any, error) {
	if err := admitted(who); err != nil {
		return nil, err
	}
	text, err := definition.Schema()
	schema := map[string]any{}
	if err == nil {
		err = json.Unmarshal(text, &schema)
	}
	return schema, err
}

// Push checks definitions and keeps them as drafts, all or none. Where somebody else has
// changed a draft since the revision that it was changed from, nothing is kept, and both
// changes are told; they are merged where that is asked for and they do not touch.
func (s *Service) Push(ctx context.Context, who identity.Actor, content string, how wire.Keeping) (wire.Checked, error) {
	if err := authorChanges(who); err != nil {
		return wire.Checked{}, err
	}
	documents, err := decoded(content)
	if err != nil {
		return wire.Checked{}, err
	}
	merged := map[string]string{}
	if how.Merge {
		if documents, how.Revisions, merged, err = s.merged(ctx, who, documents, how.Revisions); err != nil {
			return wire.Checked{}, err
		}
	}
	warnings, err := s.keepable(ctx, who, documents)
	if err != nil {
		return wire.Checked{}, err
	}
	changes, err := s.draftChanges(ctx, documents, merged)
	if err != nil || how.Preview {
		return wire.Checked{Definitions: []wire.DefinitionInfo{}, Warnings: warnings, Changes: changes}, err
	}
	checked, err := s.keep(ctx, documents, how.Revisions, warnings)
	checked.Changes = changes
	return checked, err
}

// draftChanges tells what documents change in the drafts.
func (s *Service) draftChanges(ctx context.Context, documents []definition.Document, merged map[string]string) ([]wire.DraftChange, error) {
	var changes []wire.DraftChange
	for _, d := range documents {
		kind, name := d.Ident()
		before, err := s.Store.Draft(ctx, kind, name)
		if err := other(err); err != nil {
			return nil, err
		}
		change := wire.DraftChange{Kind: kind, Name: name, New: err != nil, Differences: []definition.Difference{}, Merged: merged[kind+" "+name]}
		if sameText(before.Content, d.Raw()) {
			continue
		}
		if read, problems := decoded(before.Content); err == nil && problems == nil {
			change.Differences = orNoDifference(definition.Differences(read[0], d))
		}
		changes = append(changes, change)
	}
	return changes, nil
}

// merged puts the changes that others made since into documents, by the revisions that
// these were changed from; the texts of those that became others are by "kind name".
func (s *Service) merged(ctx context.Context, who identity.Actor, documents []definition.Document, revisions map[string]int) ([]definition.Document, map[string]int, map[string]string, error) {
	documents, revisions = slices.Clone(documents), maps.Clone(revisions)
	texts := map[string]string{}
	for i, d := range documents {
		kind, name := d.Ident()
		id := kind + " " + name
		now, err := s.Store.Draft(ctx, kind, name)
		if err := other(err); err != nil {
			return nil, nil, nil, err
		}
		if _, seen, seenErr := s.seen(ctx, who, kind, name, true); err != nil || seenErr != nil || !seen || revisions[id] == 0 || revisions[id] == now.Revision {
			continue
		}
		base, err := s.Store.Revision(ctx, kind, name, revisions[id])
		if err := other(err); err != nil {
			return nil, nil, nil, err
		}
		text, touching := definition.Merge(base.Content, now.Content, d.Raw())
		if len(touching) > 0 {
			return nil, nil, nil, s.conflict(&store.Changed{Base: base, Now: now}, documents)
		}
		read, err := decoded(text)
		if err != nil {
			return nil, nil, nil, err
		}
		documents[i], revisions[id], texts[id] = read[0], now.Revision, text
	}
	return documents, revisions, texts, nil
}

// keepable says what stands in the way of keeping definitions as drafts, and what
// deserves a look.
func (s *Service) keepable(ctx context.Context, who identity.Actor, documents []definition.Document) (warnings diag.Problems, err error) {
	if err := s.mayKeep(ctx, who, documents); err != nil {
		return nil, err
	}
	known := s.known(ctx, who, true, true)
	_, problems := definition.Check(documents, known)
	if ctx.Err() != nil {
		return nil, context.Cause(ctx)
	}
	problems = append(problems, s.unknownGroups(ctx, documents)...)
	if err := problems.Err(); err != nil {
		return nil, err
	}
	return append(problems, s.dependents(ctx, who, documents, known)...), nil
}

// keep keeps definitions as drafts; those that are gone are removed with it.
func (s *Service) keep(ctx context.Context, documents []definition.Document, revisions map[string]int, warnings diag.Problems, gone ...store.Definition) (wire.Checked, error) {
	drafts := make([]store.Definition, len(documents))
	unchanged := make([]bool, len(documents))
	for i, d := range documents {
		kind, name := d.Ident()
		drafts[i] = store.Definition{Kind: kind, Name: name, Content: d.Raw(), Revision: revisions[kind+" "+name], At: s.Now().UTC()}
		if before, err := s.Store.Draft(ctx, kind, name); err == nil && sameText(before.Content, d.Raw()) {
			drafts[i], unchanged[i] = before, true // no new draft
		}
	}
	var changed *store.Changed
	if err := s.Store.SaveDrafts(ctx, drafts, gone...); errors.As(err, &changed) {
		return wire.Checked{}, s.conflict(changed, documents)
	} else if err != nil {
		return wire.Checked{}, err
	}
	infos, err := s.infos(ctx, drafts)
	for i := range infos {
		infos[i].Unchanged = unchanged[i]
	}
	return wire.Checked{Definitions: infos, Warnings: warnings}, err
}

// sameText tells whether two texts are the same but for blank lines at their ends.
func sameText(a, b string) bool { return strings.TrimSpace(a) == strings.TrimSpace(b) }

// conflict tells the second of two authors what each of them changed, and whether both
// changes can be kept.
func (s *Service) conflict(changed *store.Changed, documents []definition.Document) error {
	kind, name := changed.Now.Kind, changed.Now.Name
	message := fmt.Sprintf("The %s %s was changed by somebody else: its draft is at revision %d.", kind, name, changed.Now.Revision)
	base, baseErr := decoded(changed.Base.Content)
	now, nowErr := decoded(changed.Now.Content)
	at := slices.IndexFunc(documents, func(d definition.Document) bool {
		k, n := d.Ident()
		return k == kind && n == name
	})
	if nowErr == nil && baseErr == nil && at >= 0 {
		message += " Their change: " + inWords(definition.Differences(base[0], now[0])) + " Yours: " + inWords(definition.Differences(base[0], documents[at]))
		_, touching := definition.Merge(changed.Base.Content, changed.Now.Content, documents[at].Raw())
		if len(touching) == 0 {
			return diag.Problems{{
				Code: "draft_changed", Field: kind + " " + name, Message: message,
				Hint: "They touch different fields: merge them to keep both (pikegate push --merge).",
			}}
		}
		message += " Both changed " + strings.Join(touching, ", ") + "."
	}
	return diag.Problems{{Code: "both_changed", Field: kind + " " + name, Message: message, Hint: "Take both changes together and push with that revision."}}
}

func inWords(differences []definition.Difference) string {
	if len(differences) == 0 {
		return "comments or the order of fields."
	}
	words := make([]string, len(differences))
	for i, d := range differences {
		words[i] = d.Words
	}
	return strings.Join(words, " ")
}

// Remove removes a definition: its draft, and, if it was published, from what
// can be run and used. What was published stays with the runs made with it.
func (s *Service) Remove(ctx context.Context, who identity.Actor, kind, name string, anyway bool) error {
	if err := authorChanges(who); err != nil {
		return err
	}
	e, seen, err := s.seen(ctx, who, kind, name, true)
	if err == nil && !seen {
		err = &NotFound{What: kind, Name: name}
	}
	if err == nil && e.published.Number > 0 {
		for _, h := range []head{e.draftHead, e.publishedHead} {
			if !who.May(identity.Publish, h.folder) {
				return diag.Problems{notIn("name", identity.Publish, h.folder)}
			}
		}
	}
	if err == nil && kind == "rule" && e.published.Number > 0 && !who.Administers() {
		err = diag.Problems{onlyAdministrators("name")}
	}
	if err == nil && kind == "source" && !who.MayOn(identity.Manage, name) {
		err = diag.Problems{notOn("name", identity.Manage, name)}
	}
	if err != nil {
		return err
	}
	users, err := s.usersOf(ctx, who, kind, name)
	if err != nil {
		return err
	}
	if len(users) > 0 && !anyway {
		return diag.Problems{inUse(kind, name, users)}
	}
	entry := who.Entry("removed", kind+" "+name)
	if err := s.Store.Remove(ctx, kind, name, s.Now().UTC(), entry); err != nil {
		return err
	}
	if kind == "schedule" {
		return s.syncSchedules(ctx)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	for key := range s.prepared {
		if kind == "report" && key.report == name {
			delete(s.prepared, key)
		}
	}
	return nil
}

// other is an error that is not that there is nothing.
func other(err error) error {
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	return err
}

// CheckPublished holds every published report against its source as it is now,
// and runs its examples.
func (s *Service) CheckPublished(ctx context.Context, who identity.Actor) ([]wire.Published, error) {
	if err := authors(who); err != nil {
		return nil, err
	}
	d, err := s.directory(ctx)
	if err != nil {
		return nil, err
	}
	var versions []store.Definition
	for _, e := range d.entries {
		if e.draft.Kind == "report" && e.seenBy(who, true) && e.published.Number > 0 {
			versions = append(versions, e.published)
		}
	}
	broken := map[string]error{}
	for _, source := range d.sources {
		if _, err := s.source(ctx, source, true); err != nil {
			broken[source] = err
		}
	}
	out := make([]wire.Published, len(versions))
	for i, v := range versions {
		out[i] = wire.Published{Report: v.Name, Version: v.Number, Problems: diag.Problems{}, Examples: []wire.ExampleResult{}}
		made, set, err := s.makeReady(ctx, v)
		if err == nil {
			err = broken[made.compiled.Query.Source]
		}
		var problems diag.Problems
		switch {
		case errors.As(err, &problems):
			out[i].Problems = append(out[i].Problems, problems...)
			continue
		case err != nil:
			out[i].Problems = append(out[i].Problems, diag.Problem{Code: "not_ready", Message: err.Error()})
			continue
		}
		out[i].Examples = s.examples(ctx, who, made.report, set)
	}
	return out, ctx.Err()
}

// infos describes drafts.
func (s *Service) infos(ctx context.Context, drafts []store.Definition) ([]wire.DefinitionInfo, error) {
	out := make([]wire.DefinitionInfo, len(drafts))
	for i, d := range drafts {
		published, err := s.Store.Published(ctx, d.Kind, d.Name)
		if err := other(err); err != nil {
			return nil, err
		}
		out[i] = infoOf(d, readHead(d.Content), published)
	}
	return out, nil
}

// infoOf describes a draft beside the version that is published, of number 0 for
// none.
func infoOf(d store.Definition, h head, published store.Definition) wire.DefinitionInfo {
	return wire.DefinitionInfo{
		Kind: d.Kind, Name: d.Name, Title: h.title, Folder: h.folder, Version: published.Number, Revision: d.Revision,
		Draft: published.Number == 0 || !sameText(published.Content, d.Content),
	}
}

// Definitions lists everything that was pushed.
func (s *Service) Definitions(ctx context.Context, who identity.Actor) ([]wire.DefinitionInfo, error) {
	if err := authors(who); err != nil {
		return nil, err
	}
	d, err := s.directory(ctx)
	if err != nil {
		return nil, err
	}
	out := []wire.DefinitionInfo{}
	for _, e := range d.entries {
		switch {
		case e.seenBy(who, true):
			out = append(out, infoOf(e.draft, e.draftHead, e.published))
		case e.seenBy(who, false): // there is no draft of it for them
			out = append(out, infoOf(store.Definition{Kind: e.draft.Kind, Name: e.draft.Name, Content: e.published.Content}, e.publishedHead, e.published))
		}
	}
	return out, nil
}
