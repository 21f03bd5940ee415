package service

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/sqltext"
	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// Rename gives a definition, a question or a column another name in every draft that uses
// it. Unless it is to be kept, it only shows what would change.
func (s *Service) Rename(ctx context.Context, who identity.Actor, r wire.Renaming) (wire.Renamed, error) {
	if err := authorChanges(who); err != nil {
		return wire.Renamed{}, err
	}
	d, err := s.directory(ctx)
	if err != nil {
		return wire.Renamed{}, err
	}
	names, err := s.renaming(ctx, who, d, r)
	if err != nil {
		return wire.Renamed{}, err
	}
	out := wire.Renamed{Changes: []wire.RenamedIn{}}
	var documents []definition.Document
	revisions := map[string]int{}
	var gone []store.Definition
	for _, e := range d.entries {
		before, ok := draftOf(who, e)
		if !ok {
			continue
		}
		ofQuery(d, before)
		text, changed, err := definition.Rewritten(before, s.flavour(ctx, before), names.of)
		if err != nil {
			return wire.Renamed{}, diag.Problems{{
				Code: "not_renamed", Field: e.draft.Kind + " " + e.draft.Name, Message: "In the " + e.draft.Kind + " " + e.draft.Name + ": " + strings.TrimPrefix(err.Error(), "definition: ") + ".",
				Hint: "Change the name in its text first, or write the text without escapes.",
			}}
		}
		if len(changed) == 0 {
			continue
		}
		after, err := decoded(text)
		if err != nil {
			return wire.Renamed{}, err
		}
		kind, name := after[0].Ident()
		documents = append(documents, after[0])
		change := wire.RenamedIn{Kind: kind, Name: e.draft.Name, Lines: changedLines(before.Raw(), text, changed)}
		if name == e.draft.Name {
			revisions[kind+" "+name] = e.draft.Revision
		} else {
			change.Becomes = name
			if e.published.Number > 0 || s.usedElsewhere(who, d, kind, e.draft.Name) {
				out.Stays = append(out.Stays, wire.Dependent{Kind: kind, Name: e.draft.Name, Draft: true, Published: e.published.Number > 0})
			} else {
				gone = append(gone, e.draft)
			}
		}
		out.Changes = append(out.Changes, change)
		if asks := slices.ContainsFunc(changed, func(m definition.Mention) bool { return m.Kind == "question" }); asks && kind == "report" && e.published.Number > 0 {
			out.Warnings = append(out.Warnings, diag.Problem{
				Code: "old_answers", Severity: diag.Warning, Field: kind + " " + name,
				Message: "Links, saved answers and scripts of the report " + name + " may answer the question by its old name. They are refused from its next publication on.",
				Hint:    "Save such answers anew after it, and change the name in links and scripts.",
			})
		}
	}
	warnings, err := s.keepable(ctx, who, documents)
	if out.Warnings = append(out.Warnings, warnings...); err != nil || !r.Keep {
		return out, err
	}
	checked, err := s.keep(ctx, documents, revisions, nil, gone...)
	out.Kept = checked.Definitions
	return out, err
}

// draftOf is what was pushed last of an entry, where somebody may see it and it can be read.
func draftOf(who identity.Actor, e entry) (definition.Document, bool) {
	if e.draft.Content == "" || !e.seenBy(who, true) {
		return nil, false
	}
	documents, err := decoded(e.draft.Content)
	if err != nil || len(documents) != 1 {
		return nil, false
	}
	return documents[0], true
}

// flavour is that of the SQL of a query's source.
func (s *Service) flavour(ctx context.Context, d definition.Document) sqltext.Flavour {
	q, ok := d.(*definition.Query)
	if !ok || q.SQL.Value == "" {
		return sqltext.Flavour{}
	}
	o, err := s.source(ctx, q.Source, false)
	if err != nil {
		return sqltext.Flavour{} // told by the check
	}
	return o.known.Load().Traits.SQL
}

// usedElsewhere tells whether what somebody may not see uses a definition.
func (s *Service) usedElsewhere(who identity.Actor, d *directory, kind, name string) bool {
	return slices.ContainsFunc(d.users[strings.ToLower(name)], func(u use) bool {
		return u.kind == kind && !d.entries[u.by].seenBy(who, u.draft)
	})
}

// newName is a mention's name to be, by its kind, what it is of, and its name.
type newName map[definition.Mention]string

func (n newName) of(m definition.Mention) string {
	if to, ok := n[definition.Mention{Kind: m.Kind, Of: m.Of, Name: m.Name}]; ok {
		return to
	}
	return m.Name
}

// renaming says which mentions get another name.
func (s *Service) renaming(ctx context.Context, who identity.Actor, d *directory, r wire.Renaming) (newName, error) {
	e, there := d.entry(r.Kind, r.Name)
	document, ok := draftOf(who, e)
	if !there || !ok {
		return nil, &NotFound{What: r.Kind, Name: r.Name}
	}
	of, named := r.Kind+" "+r.Name, r.Kind
	if report, ok := document.(*definition.Report); ok {
		of = "query " + report.Query
	}
	switch {
	case r.Column != "":
		named = "column"
	case r.Question != "":
		named = "question"
	}
	if p, bad := definition.BadName(named, r.To); bad {
		p.Field = "to"
		return nil, diag.Problems{p}
	}
	switch {
	case r.Column != "" && r.Question != "":
		return nil, diag.Problems{{Code: "twice", Field: "column", Message: "A column and a question are both named.", Hint: "Rename one after the other."}}
	case r.Column != "":
		return s.renamingColumn(ctx, who, d, of, r)
	case r.Question != "":
		return s.renamingQuestion(ctx, who, d, of, r.Question, r.To)
	case r.Kind == "parameter":
		return s.renamingQuestion(ctx, who, d, of, r.Name, r.To)
	case r.Kind == "report" && e.published.Number > 0, r.Kind == "source", r.Kind == "rule":
		hint := "Copy it under the new name, and remove the old one."
		if r.Kind == "report" {
			hint = "Its runs, links and saved answers have its name. " + hint
		}
		return nil, diag.Problems{{Code: "not_renamed", Field: "name", Message: fmt.Sprintf("The %s %s cannot be renamed.", r.Kind, r.Name), Hint: hint}}
	}
	return newName{{Kind: r.Kind, Name: r.Name}: r.To}, taken(who, d, r.Kind, r.Name, r.To)
}

// taken refuses a name that something has, or that changes nothing. A name that is not to be
// seen is refused where definitions are kept, as reserved.
func taken(who identity.Actor, d *directory, kind, name, to string) error {
	if name == to {
		return sameName(to)
	}
	if e, there := d.entry(kind, to); there && (e.seenBy(who, true) || e.seenBy(who, false)) {
		return nameTaken("to", kind, to)
	}
	return nil
}

func sameName(name string) error {
	return diag.Problems{{Code: "same_name", Field: "to", Message: "It is called " + name + " already.", Hint: "Choose another name."}}
}

func nameTaken(field, kind, name string) error {
	return diag.Problems{{Code: "name_taken", Field: field, Message: fmt.Sprintf("There is a %s %s already.", kind, name), Hint: "Choose another name."}}
}

func (s *Service) renamingColumn(ctx context.Context, who identity.Actor, d *directory, of string, r wire.Renaming) (newName, error) {
	var known []string
	for _, m := range s.mentions(ctx, who, d, of) {
		if m.Kind == "column" && m.Of == of && (m.Own || m.Name == r.To) {
			known = append(known, m.Name)
		}
	}
	return newName{{Kind: "column", Of: of, Name: r.Column}: r.To}, among("column", of, known, r.Column, r.To)
}

// among refuses to rename what is not there, or to a name that is.
func among(kind, of string, known []string, name, to string) error {
	switch {
	case !slices.Contains(known, name):
		return &NotFound{kind, name + " of the " + of, diag.DidYouMean(name, known)}
	case name == to:
		return sameName(to)
	case slices.Contains(known, to):
		return nameTaken("to", kind, to)
	}
	return nil
}

// mentions are those of one draft, by "kind name".
func (s *Service) mentions(ctx context.Context, who identity.Actor, d *directory, id string) []definition.Mention {
	kind, name, _ := strings.Cut(id, " ")
	e, _ := d.entry(kind, name)
	document, ok := draftOf(who, e)
	if !ok {
		return nil
	}
	ofQuery(d, document)
	return definition.Mentions(document, s.flavour(ctx, document))
}

// ofQuery tells a schedule which query its report shows.
func ofQuery(d *directory, document definition.Document) {
	k, ok := document.(*definition.Schedule)
	if !ok {
		return
	}
	e, _ := d.entry("report", k.Report)
	for _, used := range e.draftHead.uses {
		if name, ok := strings.CutPrefix(used, "query "); ok {
			k.Of(name)
		}
	}
}

// renamingQuestion renames a question in all that ask it as one: a query, the criteria that
// it meets, the shared question that it uses, and others that use these.
func (s *Service) renamingQuestion(ctx context.Context, who identity.Actor, d *directory, of, name, to string) (newName, error) {
	names := newName{}
	var known []string
	shared := false
	for wave := []string{of}; len(wave) > 0; {
		id := wave[0]
		wave = wave[1:]
		if _, looked := names[definition.Mention{Kind: "question", Of: id, Name: name}]; looked {
			continue
		}
		kind, own, _ := strings.Cut(id, " ")
		e, _ := d.entry(kind, own)
		mentions := s.mentions(ctx, who, d, id)
		asks := kind == "parameter" && own == name
		for _, m := range mentions {
			asks = asks || m.Kind == "question" && m.Name == name || m.Kind == "parameter" && m.Name == name && !m.Own
			if m.Kind == "question" || m.Kind == "parameter" {
				known = append(known, m.Name)
			}
		}
		if !asks && id != of && !flows(e, names) {
			continue
		}
		names[definition.Mention{Kind: "question", Of: id, Name: name}] = to
		for _, used := range e.draftHead.uses { // what it meets and uses
			if used == "parameter "+name {
				names[definition.Mention{Kind: "parameter", Name: name}], shared = to, true
			}
			if strings.HasPrefix(used, "criterion ") || strings.HasPrefix(used, "parameter ") {
				wave = append(wave, used)
			}
		}
		if kind == "parameter" && own == name {
			names[definition.Mention{Kind: "parameter", Name: name}], shared = to, true
		}
		for _, u := range d.users[strings.ToLower(own)] {
			if by := d.entries[u.by].draft; u.draft && u.kind == kind && kind != "query" {
				wave = append(wave, by.Kind+" "+by.Name)
			}
		}
	}
	if shared {
		if err := taken(who, d, "parameter", name, to); err != nil {
			return nil, err
		}
	}
	slices.Sort(known)
	return names, among("question", of, slices.Compact(known), name, to)
}

// flows tells whether an entry uses something in which a question is renamed, which brings
// the question along.
func flows(e entry, renamed newName) bool {
	for m := range renamed {
		if slices.Contains(e.draftHead.uses, m.Of) {
			return true
		}
	}
	return false
}

// changedLines are the lines that changed, as they were and as they are.
func changedLines(was, is string, changed []definition.Mention) []wire.ChangedLine {
	before, after := strings.Split(was, "\n"), strings.Split(is, "\n")
	lines := []wire.ChangedLine{}
	for _, m := range changed {
		if at := m.Line - 1; at < len(before) && !slices.ContainsFunc(lines, func(l wire.ChangedLine) bool { return l.Line == m.Line }) {
			line := wire.ChangedLine{Line: m.Line, Was: before[at]}
			if len(before) == len(after) {
				line.Is = after[at]
			}
			lines = append(lines, line)
		}
	}
	return lines
}
