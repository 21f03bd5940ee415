package service

import (
	"context"
	"fmt"

	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/internal/identity"
	"pikegate/internal/store"
)

// Every use case begins with one of these. What somebody may not see does not exist
// for them: they are told what they would be told of a name that was never there.

// admitted lets in whoever is known, unless a token narrows them to one report.
func admitted(who identity.Actor) error {
	if !who.Known() {
		return identity.Nobody()
	}
	if report, _, narrowed := who.Narrowed(); narrowed {
		return forbidden("The token is good for running the report "+report+" and nothing else.", "Use another one.")
	}
	return nil
}

// changes lets in who may change something at all.
func changes(who identity.Actor) error {
	if err := admitted(who); err != nil {
		return err
	}
	if !who.Writes() {
		return forbidden("The token can only read.", "Use one that can do what you can.")
	}
	return nil
}

// authors lets in who may write definitions.
func authors(who identity.Actor) error {
	if err := admitted(who); err != nil {
		return err
	}
	if !who.Authors() {
		return forbidden("Definitions are for authors.", "Ask an administrator for the role of an author.")
	}
	return nil
}

// authorChanges lets in who may change definitions.
func authorChanges(who identity.Actor) error {
	if err := changes(who); err != nil {
		return err
	}
	return authors(who)
}

// administrators lets in who administers the service.
func administrators(who identity.Actor) error {
	if err := admitted(who); err != nil {
		return err
	}
	if !who.Administers() {
		return forbidden("This is for administrators.", "Ask one of them.")
	}
	return nil
}

// administratorChanges lets in who may change the service.
func administratorChanges(who identity.Actor) error {
	if err := changes(who); err != nil {
		return err
	}
	return administrators(who)
}

func forbidden(message, hint string) error {
	return &identity.Refusal{Reason: identity.Forbidden, Problem: diag.Problem{Code: "not_allowed", Message: message, Hint: hint}}
}

// mayRun lets in who may run a report, or try the draft of it. A token for one report
// runs that, as it is published.
func (s *Service) mayRun(ctx context.Context, who identity.Actor, r Request) error {
	if !who.Known() {
		return identity.Nobody()
	}
	if report, _, narrowed := who.Narrowed(); narrowed && (report != r.Report || r.Draft || r.Version != 0) {
		return admitted(who)
	}
	d, err := s.directory(ctx)
	if err != nil {
		return err
	}
	e, there := d.entry("report", r.Report)
	may := false
	switch {
	case r.Draft:
		may = there && e.seenBy(who, true)
	case there && e.published.Number > 0:
		may = e.seenBy(who, false)
	case r.Version > 0: // one that is published no longer
		kept, err := s.Store.Version(ctx, "report", r.Report, r.Version)
		if err := other(err); err != nil {
			return err
		}
		may = err == nil && who.May(identity.Run, folderOf(kept))
	}
	if !may {
		return noReport(who, d, r)
	}
	return nil
}

// noReport says that there is no such report.
func noReport(who identity.Actor, d *directory, r Request) error {
	what := "published report"
	if r.Draft {
		what = "draft of a report"
	}
	return notFound(what, r.Report, d.seenBy(who, "report", r.Draft))
}

// seenBy are the names of the definitions of a kind that somebody may see.
func (d *directory) seenBy(who identity.Actor, kind string, draft bool) (names []string) {
	for _, e := range d.entries {
		if e.draft.Kind == kind && e.seenBy(who, draft) {
			names = append(names, e.draft.Name)
		}
	}
	return names
}

// seenBy tells whether somebody may see a definition: its draft, or what is published
// of it.
func (e entry) seenBy(who identity.Actor, draft bool) bool {
	switch {
	case e.draft.Kind == "source": // goes by the rights on the source
		return who.MayOn(identity.Read, e.draft.Name)
	case draft:
		return who.May(identity.Draft, e.draftHead.folder)
	}
	return e.published.Number > 0 && who.May(identity.Run, e.publishedHead.folder)
}

// seen gives a definition that somebody may see, in the state that is meant.
func (s *Service) seen(ctx context.Context, who identity.Actor, kind, name string, draft bool) (entry, bool, error) {
	d, err := s.directory(ctx)
	if err != nil {
		return entry{}, false, err
	}
	e, there := d.entry(kind, name)
	return e, there && e.seenBy(who, draft), nil
}

// mayKeep says what stands in the way of keeping documents as drafts.
func (s *Service) mayKeep(ctx context.Context, who identity.Actor, documents []definition.Document) error {
	d, err := s.directory(ctx)
	if err != nil {
		return err
	}
	var problems diag.Problems
	for _, doc := range documents {
		kind, name := doc.Ident()
		field := kind + " " + name
		e, there := d.entry(kind, name)
		if there && !e.seenBy(who, true) {
			problems = append(problems, diag.Problem{Code: "reserved_name", Field: field + ": name", Message: "The name " + name + " is reserved.", Hint: "Choose another."})
			continue
		}
		switch q, isQuery := doc.(*definition.Query); {
		case kind == "source":
			if !who.MayOn(identity.Manage, name) {
				problems = append(problems, notOn(field, identity.Manage, name))
			}
			continue
		case !who.May(identity.Draft, doc.Place()):
			problems = append(problems, notIn(field, identity.Draft, doc.Place()))
		case isQuery:
			problems = append(problems, mayQuery(who, q, field)...)
		}
		if there {
			problems = append(problems, moves(who, e, doc.Place(), field)...)
		}
	}
	return problems.Err()
}

// moves says what stands in the way of a definition that changes its folder: it leaves
// and enters with the right to publish.
func moves(who identity.Actor, e entry, to, field string) (problems diag.Problems) {
	left := []string{e.draftHead.folder}
	if e.published.Number > 0 {
		left = append(left, e.publishedHead.folder)
	}
	for _, from := range left {
		if from == to {
			continue
		}
		for _, folder := range []string{from, to} {
			if !who.May(identity.Publish, folder) {
				return diag.Problems{notIn(field, identity.Publish, folder)}
			}
		}
	}
	return nil
}

// mayWrite says what stands in the way of running queries that are being written.
func mayWrite(who identity.Actor, documents []definition.Document) error {
	var problems diag.Problems
	for _, doc := range documents {
		if q, ok := doc.(*definition.Query); ok {
			problems = append(problems, mayQuery(who, q, "query "+q.Name)...)
		}
	}
	return problems.Err()
}

// mayQuery says what stands in the way of writing a query.
func mayQuery(who identity.Actor, q *definition.Query, field string) diag.Problems {
	right := identity.Read
	if q.SQL.Value != "" {
		right = identity.SQL
	}
	if !who.MayOn(right, q.Source) {
		return diag.Problems{notOn(field, right, q.Source)}
	}
	return nil
}

func onlyAdministrators(field string) diag.Problem {
	return diag.Problem{Code: "no_right", Field: field, Message: "A row rule is published and taken back by administrators.", Hint: "Ask one of them."}
}

func notIn(field, right, folder string) diag.Problem {
	where := "the folder " + folder
	if folder == "" {
		where = "the topmost folder"
	}
	return diag.Problem{Code: "no_right", Field: field, Message: fmt.Sprintf("You have no right to %s in %s.", right, where), Hint: "Ask an administrator, or somebody who manages it."}
}

func notOn(field, right, source string) diag.Problem {
	words := map[string]string{identity.Read: "write queries on", identity.SQL: "write SQL by hand on", identity.Manage: "manage"}[right]
	return diag.Problem{Code: "no_right", Field: field, Message: fmt.Sprintf("You have no right to %s the source %s.", words, source), Hint: "Ask an administrator."}
}

// mayOn lets in who holds a right on a source; who may not write queries on it does
// not know that it is there.
func (s *Service) mayOn(ctx context.Context, who identity.Actor, right, name string) error {
	if err := authors(who); err != nil {
		return err
	}
	if right == identity.Manage && !who.Writes() {
		return changes(who)
	}
	d, err := s.directory(ctx)
	if err != nil {
		return err
	}
	there := false
	var names []string
	for _, source := range d.sources {
		if who.MayOn(identity.Read, source) {
			there = there || source == name
			names = append(names, source)
		}
	}
	if !there {
		return notFound("source", name, names)
	}
	if !who.MayOn(right, name) {
		p := notOn("", right, name)
		return forbidden(p.Message, p.Hint)
	}
	return nil
}

// whose bounds the runs somebody may see: their own, an author's also those of the
// reports they may draft, an administrator's all.
func (s *Service) whose(ctx context.Context, who identity.Actor) (*store.Whose, error) {
	if who.Administers() {
		return nil, nil
	}
	of := &store.Whose{User: who.Name(), Reports: []string{}}
	d, err := s.directory(ctx)
	if err != nil || !who.Authors() {
		return of, err
	}
	for _, e := range d.entries {
		if e.draft.Kind == "report" && e.seenBy(who, true) {
			of.Reports = append(of.Reports, e.draft.Name)
		}
	}
	return of, nil
}

// folderOf is the folder of a definition that is kept.
func folderOf(d store.Definition) string { return readHead(d.Content).folder }

// Refused has the audit log tell of what was refused to somebody who is known.
func (s *Service) Refused(ctx context.Context, who identity.Actor, operation, message string) {
	if !who.Known() || who.IsOpen() {
		return
	}
	if err := s.Store.Audit(context.WithoutCancel(ctx), who.Entry("refused", operation).With(nil, message)); err != nil {
		s.Log.Error("a refusal was not kept", "problem", err)
	}
}
