package service

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// Publish checks what was pushed under a name and freezes it as the next
// version. A report is frozen with everything it uses. What it uses and was
// never published is published with it. Examples that are not kept are told.
func (s *Service) Publish(ctx context.Context, who identity.Actor, name string) (wire.Checked, error) {
	if err := authorChanges(who); err != nil {
		return wire.Checked{}, err
	}
	p, problems, err := s.publication(ctx, who, name)
	if err == nil {
		err = errors.Join(p.mayPublish(ctx), problems.Err())
	}
	if err != nil {
		return wire.Checked{}, err
	}
	for _, e := range p.examples(ctx, problems) {
		if !e.Kept {
			problems = append(problems, diag.Problem{
				Code: "example_broken", Severity: diag.Warning, Field: fmt.Sprintf("report %s: examples[%d]", e.Report, e.Number-1), Message: e.Words,
				Hint: "Correct the report or the example, and publish again.",
			})
		}
	}
	if len(p.chosen) == 0 {
		problems = append(problems, diag.Problem{
			Code: "nothing_new", Severity: diag.Warning, Field: "name", Message: "What was pushed as " + name + " is published already, with what it uses.",
			Hint: "Change it and push it again.",
		})
	}
	entry := who.Entry("published", name)
	versions, err := s.Store.Publish(ctx, p.chosen, entry)
	if err != nil {
		return wire.Checked{}, err
	}
	for _, v := range versions {
		if v.Kind != "source" {
			continue
		}
		if o := s.opened(v.Name); o != nil && o.known.Load().Traits.Scanned { // its formats count when it is opened
			s.retire(v.Name)
		}
		if _, err := s.source(ctx, v.Name, true); err != nil { // read with its new encodings
			return wire.Checked{}, err
		}
	}
	if err := s.schedulesPublished(ctx, who, versions); err != nil {
		return wire.Checked{}, err
	}
	infos, err := s.infos(ctx, versions)
	return wire.Checked{Definitions: infos, Warnings: problems}, err
}

// publication takes up what was pushed under a name, and what it uses that was
// never published, and checks it.
func (s *Service) publication(ctx context.Context, who identity.Actor, name string) (publication, diag.Problems, error) {
	p := publication{service: s, who: who}
	d, err := s.directory(ctx)
	if err != nil {
		return p, nil, err
	}
	var names []string
	for _, e := range d.entries {
		if !e.seenBy(who, true) {
			continue
		}
		names = append(names, e.draft.Name)
		if e.draft.Name == name {
			if err := p.add(ctx, e.draft); err != nil {
				return p, nil, err
			}
		}
	}
	if len(p.chosen) == 0 {
		return p, nil, notFound("pushed definition", name, names)
	}
	_, found := definition.Check(p.documents, s.known(ctx, who, false, true))
	if ctx.Err() != nil {
		return p, nil, context.Cause(ctx)
	}
	problems := append(p.notes, found...)
	if problems.Failed() {
		return p, problems, nil
	}
	if err := p.freeze(ctx); err != nil {
		return p, problems, err
	}
	return p, problems, p.onlyNew(ctx)
}

// onlyNew leaves out what is published as it is, and with the same that it uses.
func (p *publication) onlyNew(ctx context.Context) error {
	chosen, documents := p.chosen, p.documents
	p.chosen, p.documents = nil, nil
	for i, d := range chosen {
		published, err := p.service.Store.Published(ctx, d.Kind, d.Name)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return err
		}
		if err == nil && sameText(published.Content, d.Content) && published.Uses == d.Uses {
			continue
		}
		p.chosen, p.documents = append(p.chosen, d), append(p.documents, documents[i])
	}
	return nil
}

// examples runs the examples of the reports that were taken up, unless they
// cannot be run.
func (p *publication) examples(ctx context.Context, problems diag.Problems) []wire.ExampleResult {
	out := []wire.ExampleResult{}
	if problems.Failed() {
		return out
	}
	set := definition.NewSet(p.documents, p.service.library(ctx, p.who, false))
	for _, d := range p.documents {
		if report, ok := d.(*definition.Report); ok {
			out = append(out, p.service.examples(ctx, p.who, report, set)...)
		}
	}
	return out
}

// publication is what is about to be published together: what is used comes
// before what uses it.
type publication struct {
	service   *Service
	who       identity.Actor
	chosen    []store.Definition
	documents []definition.Document
	notes     diag.Problems
}

// mayPublish says what stands in the way of publishing what was taken up: that needs
// the right in the folder of each, and in the one it leaves.
func (p *publication) mayPublish(ctx context.Context) error {
	d, err := p.service.directory(ctx)
	if err != nil {
		return err
	}
	var problems diag.Problems
	for i, doc := range p.documents {
		kind, name := doc.Ident()
		field := kind + " " + name
		e, _ := d.entry(kind, name)
		switch folder := doc.Place(); {
		case kind == "source":
			if !p.who.MayOn(identity.Manage, name) {
				problems = append(problems, notOn(field, identity.Manage, name))
			}
		case kind == "rule" && !p.who.Administers():
			problems = append(problems, onlyAdministrators(field))
		case !p.who.May(identity.Publish, folder):
			problems = append(problems, notIn(field, identity.Publish, folder))
		case e.published.Number > 0 && !p.who.May(identity.Publish, e.publishedHead.folder):
			problems = append(problems, notIn(field, identity.Publish, e.publishedHead.folder))
		default:
			switch of := p.documents[i].(type) {
			case *definition.Query:
				problems = append(problems, mayQuery(p.who, of, field)...)
			case *definition.Schedule:
				problems = append(problems, p.service.mayPublishSchedule(ctx, p.who, of, field)...)
			}
		}
	}
	return problems.Err()
}

// find gives what was chosen under a kind and name.
func (p *publication) find(kind, name string) (store.Definition, bool) {
	at := slices.IndexFunc(p.chosen, func(c store.Definition) bool { return c.Kind == kind && c.Name == name })
	if at < 0 {
		return store.Definition{}, false
	}
	return p.chosen[at], true
}

// add takes up a draft, and before it what it uses that was never published.
func (p *publication) add(ctx context.Context, d store.Definition) error {
	if _, chosen := p.find(d.Kind, d.Name); chosen {
		return nil
	}
	documents, err := decoded(d.Content)
	if err != nil {
		return err
	}
	for _, used := range definition.Uses(documents[0]) {
		if kind, name, _ := strings.Cut(used, " "); kind != "source" {
			if err := p.need(ctx, d, kind, name); err != nil {
				return err
			}
		}
	}
	p.chosen = append(p.chosen, d)
	p.documents = append(p.documents, documents...)
	return nil
}

// need takes up what a definition uses, if it is not published yet, and says
// when a newer draft of it is passed over.
func (p *publication) need(ctx context.Context, user store.Definition, kind, name string) error {
	draft, draftErr := p.service.Store.Draft(ctx, kind, name)
	published, err := p.service.Store.Published(ctx, kind, name)
	_, chosen := p.find(kind, name)
	switch {
	case chosen || kind == user.Kind && name == user.Name:
	case draftErr == nil && p.who.May(identity.Draft, folderOf(draft)) && (errors.Is(err, store.ErrNotFound) || kind == "query" && !sameText(draft.Content, published.Content)):
		return p.add(ctx, draft) // a report goes with its query
	case errors.Is(err, store.ErrNotFound): // the check tells
	case err != nil:
		return err
	case draftErr == nil && p.who.May(identity.Draft, folderOf(draft)) && !sameText(draft.Content, published.Content) && name != user.Name:
		p.notes = append(p.notes, diag.Problem{
			Code: "newer_draft", Severity: diag.Warning, Field: user.Kind + " " + user.Name,
			Message: fmt.Sprintf("The %s %s was pushed again after version %d; that version is used.", kind, name, published.Number),
			Hint:    "Publish it first to use what was pushed.",
		})
	}
	return nil
}

// freeze gives each definition its date, and each report the text of
// everything it uses, directly or not.
func (p *publication) freeze(ctx context.Context) error {
	now := p.service.Now().UTC().Truncate(time.Second)
	for i := range p.chosen {
		d := &p.chosen[i]
		d.At, d.By = now, p.who.Name()
		if d.Kind != "report" {
			continue
		}
		var parts []string
		if err := p.collect(ctx, *d, &parts, map[string]bool{}); err != nil {
			return err
		}
		d.Uses = strings.Join(parts, "\n---\n")
	}
	return nil
}

// collect gathers the texts of what a definition uses.
func (p *publication) collect(ctx context.Context, d store.Definition, parts *[]string, seen map[string]bool) error {
	documents, err := decoded(d.Content)
	if err != nil {
		return err
	}
	for _, used := range definition.Uses(documents[0]) {
		kind, name, _ := strings.Cut(used, " ")
		if kind == "source" || kind == "calendar" || seen[used] { // these are never frozen
			continue
		}
		seen[used] = true
		found, chosen := p.find(kind, name)
		if !chosen {
			if found, err = p.service.Store.Published(ctx, kind, name); err != nil {
				return err
			}
		}
		*parts = append(*parts, found.Content)
		if err := p.collect(ctx, found, parts, seen); err != nil {
			return err
		}
	}
	return nil
}
