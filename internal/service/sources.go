package service

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/internal/engine"
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

var sourceName = regexp.MustCompile(`^[a-z][a-z0-9]*([-_][a-z0-9]+)*$`)

// tableName is what a table made of files is called.
var tableName = regexp.MustCompile(`^[\pL_][\pL\pN_]*$`)

// AddSource connects a database and keeps it; nothing is kept if it cannot be
// read. Anyway keeps encodings that do not fit what is stored.
func (s *Service) AddSource(ctx context.Context, who identity.Actor, info wire.SourceInfo, anyway bool) (catalog.Source, error) {
	if err := authorChanges(who); err != nil {
		return catalog.Source{}, err
	}
	if !who.MayOn(identity.Manage, identity.EverySource) {
		return catalog.Source{}, forbidden("You have no right to add sources.", "Ask an administrator.")
	}
	kept, err := s.Store.Sources(ctx)
	if err != nil {
		return catalog.Source{}, err
	}
	if slices.ContainsFunc(kept, func(k store.Source) bool { return k.Name == info.Name }) {
		return catalog.Source{}, diag.Problems{{Code: "source_exists", Field: "name", Message: "There is a source " + info.Name + " already.", Hint: "pikegate source change " + info.Name + " changes its connection."}}
	}
	return s.saveSource(ctx, who, "source.added", info, anyway)
}

// ChangeSource changes the connection of a source: what is left out stays.
func (s *Service) ChangeSource(ctx context.Context, who identity.Actor, info wire.SourceInfo) (catalog.Source, error) {
	if err := s.mayOn(ctx, who, identity.Manage, info.Name); err != nil {
		return catalog.Source{}, err
	}
	now, err := s.sourceInfo(ctx, who, info.Name)
	if err != nil {
		return catalog.Source{}, err
	}
	for _, field := range []struct {
		to   *string
		from string
	}{
		{&now.Engine, info.Engine},
		{&now.Address, info.Address},
		{&now.Database, info.Database},
		{&now.User, info.User},
		{&now.Secret, info.Secret},
		{&now.TLS, info.TLS},
	} {
		if field.from != "" {
			*field.to = field.from
		}
	}
	now.PowerfulLogin, now.PassPerson = now.PowerfulLogin || info.PowerfulLogin, now.PassPerson || info.PassPerson
	now.Encodings = nil // they stay
	return s.saveSource(ctx, who, "source.changed", now, true)
}

// RemoveSource forgets a connection. One that is used is removed anyway only
// where that is said.
func (s *Service) RemoveSource(ctx context.Context, who identity.Actor, name string, anyway bool) error {
	if err := s.mayOn(ctx, who, identity.Manage, name); err != nil {
		return err
	}
	users, err := s.usersOf(ctx, who, "source", name)
	if err != nil {
		return err
	}
	if len(users) > 0 && !anyway {
		return diag.Problems{inUse("source", name, users)}
	}
	release, err := s.hold(ctx, name)
	if err != nil {
		return err
	}
	defer release()
	s.retire(name)
	entry := who.Entry("source.removed", name)
	if err := s.Store.RemoveSource(ctx, name, entry); err != nil || !sourceName.MatchString(name) || s.Uploads == "" {
		return err
	}
	return os.RemoveAll(s.uploads(name)) // what was uploaded to it goes with it
}

// inUse says what keeps something from being removed.
func inUse(kind, name string, users []wire.Dependent) diag.Problem {
	return diag.Problem{
		Code: "in_use", Field: "name", Message: fmt.Sprintf("The %s %s is used by %s.", kind, name, listed(users)),
		Hint: "Change or remove them first, or remove it --anyway.",
	}
}

// listed names what uses something.
func listed(users []wire.Dependent) string {
	words := make([]string, len(users))
	for i, u := range users {
		words[i] = "the " + u.Kind + " " + u.Name
	}
	return strings.Join(words, ", ")
}

// sourceInfo gives a source as it was added.
func (s *Service) sourceInfo(ctx context.Context, who identity.Actor, name string) (wire.SourceInfo, error) {
	all, err := s.Sources(ctx, who)
	if err != nil {
		return wire.SourceInfo{}, err
	}
	var names []string
	for _, info := range all {
		if info.Name == name {
			return info, nil
		}
		names = append(names, info.Name)
	}
	return wire.SourceInfo{}, notFound("source", name, names)
}

// saveSource checks a connection, and keeps it with its encodings if it can be
// read.
func (s *Service) saveSource(ctx context.Context, who identity.Actor, what string, info wire.SourceInfo, anyway bool) (catalog.Source, error) {
	var problems diag.Problems
	if info.Name == KeptSource {
		problems = append(problems, reservedSource("name"))
	}
	if !sourceName.MatchString(info.Name) {
		problems = append(problems, diag.Problem{Code: "bad_name", Field: "name", Message: fmt.Sprintf("%q is not a name.", info.Name), Hint: "Names are lower-case words joined by dashes."})
	}
	kind := s.engine(info.Engine)
	if kind.Open == nil {
		var known []string
		for _, e := range s.Engines {
			known = append(known, e.Name)
		}
		problems = append(problems, diag.Problem{Code: "unknown_engine", Field: "engine", Message: fmt.Sprintf("There is no engine %q.", info.Engine), Hint: "There are " + strings.Join(known, ", ") + "."})
	}
	if info.Address == "" && !s.hasUploads(kind, info.Name) {
		problems = append(problems, diag.Problem{Code: "missing", Field: "address", Message: "Where the database is was not said.", Hint: "For SQLite give the path of its file, for files that of their folder."})
	}
	for _, e := range slices.Sorted(maps.Values(info.Encodings)) {
		if catalog.Encoding(e).Check() != nil {
			problems = append(problems, definition.UnknownEncoding("encodings", e))
		}
	}
	if kind.File && info.Address != "" && !filepath.IsAbs(info.Address) {
		problems = append(problems, diag.Problem{Code: "not_absolute", Field: "address", Message: "The path must be absolute, since the service may run in another folder.", Hint: "Give the whole path from /."})
	}
	if err := problems.Err(); err != nil {
		return catalog.Source{}, err
	}
	release, err := s.hold(ctx, info.Name)
	if err != nil {
		return catalog.Source{}, err
	}
	defer release()
	kept := store.Source{Name: info.Name, Engine: info.Engine, Address: info.Address, Database: info.Database, User: info.User, Secret: info.Secret, TLS: info.TLS, PowerfulLogin: info.PowerfulLogin, PassPerson: info.PassPerson}
	address, err := s.address(ctx, kept)
	if err != nil {
		return catalog.Source{}, err
	}
	ctx, stop := s.runner.Limited(ctx)
	defer stop()
	raw, err := kind.Open(address) // tried before what there is is given up
	if err != nil {
		return catalog.Source{}, err
	}
	opened := s.share(raw, kind)
	found, err := opened.Catalogue(ctx)
	if err == nil && !info.PowerfulLogin {
		err = s.harmless(ctx, kept, opened)
	}
	if err == nil {
		err = s.fitting(ctx, who, opened, &found, info.Encodings, anyway)
	}
	if err = errors.Join(s.withSecret(ctx, kept, err), opened.Close()); err != nil {
		return catalog.Source{}, err
	}
	entry := who.Entry(what, kept.Name).With(nil, info)
	if err := errors.Join(s.bind(ctx, kept), s.Store.SaveSource(ctx, kept, entry)); err != nil {
		return catalog.Source{}, err
	}
	if len(info.Encodings) > 0 {
		if err := s.keepEncodings(ctx, who, info.Name, info.Encodings); err != nil {
			return catalog.Source{}, err
		}
	}
	s.retire(info.Name)
	o, err := s.connect(ctx, kept)
	if err != nil {
		return catalog.Source{}, err
	}
	return *o.known.Load(), nil
}

// harmless refuses a login that can do more than a transaction that only reads
// keeps it from.
func (s *Service) harmless(ctx context.Context, kept store.Source, opened engine.Source) error {
	report, err := opened.Check(ctx)
	if err != nil || len(report.Powers) == 0 {
		return err
	}
	return diag.Problems{{
		Code: "powerful_login", Field: "user",
		Message: fmt.Sprintf("The login %s can do more than read, even in a transaction that only reads: %s.", kept.User, strings.Join(report.Powers, "; ")),
		Hint:    "Use a login that may only select from its tables; to take this one all the same, say --powerful-login.",
	}}
}

// fitting sets encodings in a catalogue, and refuses those that do not fit what
// is stored, unless they are wanted anyway.
func (s *Service) fitting(ctx context.Context, who identity.Actor, source engine.Source, found *catalog.Source, encodings map[string]string, anyway bool) error {
	var problems diag.Problems
	for _, column := range slices.Sorted(maps.Keys(encodings)) {
		if err := found.SetEncoding(column, catalog.Encoding(encodings[column])); err != nil {
			table, name, _ := catalog.SplitColumn(column)
			if errors.Is(err, catalog.ErrNotText) {
				problems = append(problems, notText(column, encodings[column]))
				continue
			}
			hint := "Write TABLE.COLUMN."
			if t, ok := found.Table(table); ok {
				hint = diag.DidYouMean(name, columnNames(t))
			}
			problems = append(problems, diag.Problem{Code: "unknown_column", Field: "encodings", Message: "The source has no column " + column + ".", Hint: hint})
			continue
		}
		if anyway {
			continue
		}
		table, name, _ := catalog.SplitColumn(column)
		t, _ := found.Table(table)
		c, _ := t.Column(name)
		t.Columns = []catalog.Column{*c}
		if err := engine.Survey(ctx, source, &t); err != nil {
			return err
		}
		if c = &t.Columns[0]; c.Unfit > 0 {
			users, err := s.allDependents(ctx, who, column)
			var missing *NotFound
			if err != nil && !errors.As(err, &missing) {
				return err
			}
			message := fmt.Sprintf("%s does not fit %s: %s.", encodings[column], column, c.Evidence)
			published := slices.DeleteFunc(users, func(u wire.Dependent) bool { return !u.Published })
			if len(published) > 0 {
				message += " It is used by " + listed(published) + "."
			}
			problems = append(problems, diag.Problem{Code: "encoding_does_not_fit", Field: "encodings", Message: message, Hint: "Records with such values meet no condition on the column. To set it all the same, say --anyway."})
		}
	}
	return problems.Err()
}

// notText says that a layout is set for a column that holds no texts.
func notText(column, layout string) diag.Problem {
	return diag.Problem{Code: "layout_of_text", Field: "encodings", Message: fmt.Sprintf("%s is no text, and %s is a layout of texts.", column, layout), Hint: "Set an encoding of numbers, such as ymd, unix-s or serial-1900."}
}

func columnNames(t catalog.Table) []string {
	names := make([]string, len(t.Columns))
	for i, c := range t.Columns {
		names[i] = c.Name
	}
	return names
}

// sourceDocument is what is published of a source; one that says nothing where none is.
func (s *Service) sourceDocument(ctx context.Context, name string) (*definition.Source, error) {
	made := &definition.Source{Head: definition.Head{Kind: "source", Name: name}}
	kept, err := s.Store.Published(ctx, "source", name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	if err == nil {
		documents, err := decoded(kept.Content)
		if err != nil {
			return nil, err
		}
		if d, ok := documents[0].(*definition.Source); ok {
			made = d
		}
	}
	made.Encodings, made.Files = maps.Clone(made.Encodings), maps.Clone(made.Files) // what is decoded is shared
	if made.Encodings == nil {
		made.Encodings = map[string]string{}
	}
	return made, nil
}

// encodings are those of a source, as its published document has them.
func (s *Service) encodings(ctx context.Context, name string) (map[string]string, error) {
	d, err := s.sourceDocument(ctx, name)
	if err != nil {
		return nil, err
	}
	return d.Encodings, nil
}

// keepEncodings publishes the document of a source with these encodings.
func (s *Service) keepEncodings(ctx context.Context, who identity.Actor, name string, encodings map[string]string) error {
	d, err := s.sourceDocument(ctx, name)
	if err != nil {
		return err
	}
	d.Encodings = encodings
	return s.keepSource(ctx, who, d)
}

// keepSource publishes the document of a source.
func (s *Service) keepSource(ctx context.Context, who identity.Actor, d *definition.Source) error {
	draft := store.Definition{Kind: "source", Name: d.Name, Content: definition.WriteSource(d), At: s.Now().UTC()}
	if published, err := s.Store.Published(ctx, "source", d.Name); err == nil && published.Content == draft.Content {
		return nil
	}
	if err := s.Store.SaveDrafts(ctx, []store.Definition{draft}); err != nil {
		return err
	}
	entry := who.Entry("published", d.Name)
	_, err := s.Store.Publish(ctx, []store.Definition{draft}, entry)
	return err
}

// SetFile says how the text files of a table are written; a format that says nothing leaves it
// to be found. One with which they cannot be read is refused.
func (s *Service) SetFile(ctx context.Context, who identity.Actor, name, table string, format catalog.FileFormat) (catalog.Source, error) {
	if err := s.mayOn(ctx, who, identity.Manage, name); err != nil {
		return catalog.Source{}, err
	}
	if problems := definition.FileFormatProblems("", format); problems.Failed() {
		return catalog.Source{}, problems
	}
	o, err := s.source(ctx, name, true)
	if err != nil {
		return catalog.Source{}, err
	}
	found, ok := o.known.Load().Table(table)
	if format.Files != "" && tableName.MatchString(table) { // it is made by this
		found.Name, ok = table, true
	}
	if !ok {
		return catalog.Source{}, notFound("table", table, o.known.Load().TableNames())
	}
	sources, err := s.Store.Sources(ctx)
	if err != nil {
		return catalog.Source{}, err
	}
	kept := sources[slices.IndexFunc(sources, func(k store.Source) bool { return k.Name == name })] // it is open
	if s.engine(kept.Engine).Holds == nil {
		return catalog.Source{}, diag.Problems{{Code: "no_files", Field: "table", Message: fmt.Sprintf("%s is no folder of files, so its tables have no format.", name), Hint: "The encoding of dates is set with pikegate source set-encoding."}}
	}
	d, err := s.sourceDocument(ctx, name)
	if err != nil {
		return catalog.Source{}, err
	}
	if d.Files == nil {
		d.Files = map[string]catalog.FileFormat{}
	}
	if d.Files[found.Name] = format; format.IsZero() {
		delete(d.Files, found.Name)
	}
	address, err := s.address(ctx, kept)
	if err != nil {
		return catalog.Source{}, err
	}
	address.Files = d.Files
	if err := s.readsAs(ctx, kept, address, found.Name); err != nil {
		return catalog.Source{}, err
	}
	if err := s.keepSource(ctx, who, d); err != nil {
		return catalog.Source{}, err
	}
	s.retire(name)
	return s.Catalogue(ctx, who, name)
}

// readsAs opens a folder with what is to be said of its files, and refuses that where a table
// cannot be read with it.
func (s *Service) readsAs(ctx context.Context, kept store.Source, address engine.Address, table string) error {
	tried, err := s.engine(kept.Engine).Open(address)
	if err != nil {
		return err
	}
	catalogue, err := tried.Catalogue(ctx)
	if err = errors.Join(err, tried.Close()); err != nil {
		return err
	}
	if now, ok := catalogue.Table(table); ok && len(now.Columns) == 0 {
		return diag.Problems{{Code: "unreadable_file", Field: "table", Message: now.Evidence, Hint: "Say something else of it, or have the file put right."}}
	}
	return nil
}

// moveEncodings makes documents of encodings that were kept with connections,
// as they were once.
func (s *Service) moveEncodings(ctx context.Context) error {
	sources, err := s.Store.Sources(ctx)
	if err != nil {
		return err
	}
	for _, source := range sources {
		if _, err := s.Store.Draft(ctx, "source", source.Name); len(source.Encodings) == 0 || !errors.Is(err, store.ErrNotFound) {
			continue
		}
		if err := s.keepEncodings(ctx, identity.Actor{}, source.Name, source.Encodings); err != nil {
			return err
		}
	}
	return nil
}

// Sources lists the sources.
func (s *Service) Sources(ctx context.Context, who identity.Actor) ([]wire.SourceInfo, error) {
	if err := authors(who); err != nil {
		return nil, err
	}
	kept, err := s.Store.Sources(ctx)
	out := []wire.SourceInfo{}
	for _, k := range kept {
		info := wire.SourceInfo{Name: k.Name, Engine: k.Engine}
		switch {
		case who.MayOn(identity.Manage, k.Name):
			info = wire.SourceInfo{Name: k.Name, Engine: k.Engine, Address: k.Address, Database: k.Database, User: k.User, Secret: k.Secret, TLS: k.TLS, PowerfulLogin: k.PowerfulLogin, PassPerson: k.PassPerson, Encodings: k.Encodings}
		case !who.MayOn(identity.Read, k.Name):
			continue
		}
		if err == nil {
			info.Encodings, err = s.encodings(ctx, k.Name)
		}
		out = append(out, info)
	}
	return out, err
}

// surveyLimit is how long all tables of a source may be looked at together.
const surveyLimit = 10 * time.Second

// Catalogue reads a source's tables, views and columns afresh, and looks at how
// its dates are stored; where that takes too long, some tables are left as a few
// of their values have them.
func (s *Service) Catalogue(ctx context.Context, who identity.Actor, name string) (catalog.Source, error) {
	if err := s.mayOn(ctx, who, identity.Read, name); err != nil {
		return catalog.Source{}, err
	}
	o, err := s.source(ctx, name, true)
	if err != nil {
		return catalog.Source{}, err
	}
	limited, stop := context.WithTimeout(ctx, surveyLimit)
	defer stop()
	for _, t := range o.known.Load().TableNames() {
		if err := o.survey(limited, t); err != nil {
			s.Log.Debug("a table was not looked at", "source", name, "table", t, "problem", err)
		}
	}
	g, err := s.sight(ctx, viewerOf(who), name)
	if err != nil {
		return catalog.Source{}, err
	}
	return g.withoutEvidence(*o.known.Load()), ctx.Err()
}

// withoutEvidence takes what was found out from hidden rows out of a catalogue.
func (g sight) withoutEvidence(known catalog.Source) catalog.Source {
	if g.All || len(g.rules) == 0 {
		return known
	}
	shown := known.Clone()
	for i := range shown.Tables {
		t := &shown.Tables[i]
		if g.key(t.Name) == "" && (!t.View || len(g.view(&known, *t)) == 0) {
			continue
		}
		for j := range t.Columns {
			c := &t.Columns[j]
			c.Evidence, c.Unfit, c.Looked = "", 0, 0
		}
	}
	return shown
}

// CheckSource looks at the connection of a source: what it is, and whether it
// can only read.
func (s *Service) CheckSource(ctx context.Context, who identity.Actor, name string) (engine.Inspection, error) {
	if err := s.mayOn(ctx, who, identity.Manage, name); err != nil {
		return engine.Inspection{}, err
	}
	o, err := s.source(ctx, name, true)
	if err != nil {
		return engine.Inspection{}, err
	}
	return o.Check(ctx)
}

// Extents tells what each column of a table holds, in one statement.
func (s *Service) Extents(ctx context.Context, who identity.Actor, source, table string) ([]wire.ColumnExtent, error) {
	o, t, err := s.table(ctx, who, source, table)
	if err != nil {
		return nil, err
	}
	ctx, stop := s.runner.Limited(ctx)
	defer stop()
	guarded, rows, err := s.tableRows(ctx, who, source, o, t)
	if err != nil {
		return nil, err
	}
	return runner.Extents(ctx, guarded, rows, t, s.Calendar.Zone)
}

// FirstRows gives the first rows of a table of a source.
func (s *Service) FirstRows(ctx context.Context, who identity.Actor, source, table string, most int) (output.Result, error) {
	o, t, err := s.table(ctx, who, source, table)
	if err != nil {
		return output.Result{}, err
	}
	guarded, rows, err := s.tableRows(ctx, who, source, o, t)
	if err != nil {
		return output.Result{}, err
	}
	return runner.FirstRows(ctx, guarded, rows, t, most, s.Calendar.Zone)
}

// tableRows gives what may be seen of a table by itself, and whom to ask for it.
func (s *Service) tableRows(ctx context.Context, who identity.Actor, source string, o *openSource, t catalog.Table) (engine.Source, plan.Rows, error) {
	g, err := s.sight(ctx, viewerOf(who), source)
	if err == nil && t.View {
		err = g.view(o.known.Load(), t).Err()
	}
	return s.guard(g, o.shared, t.Name), s.rows(g, o.known.Load()), err
}

// table finds a table of a source.
func (s *Service) table(ctx context.Context, who identity.Actor, source, table string) (*openSource, catalog.Table, error) {
	if err := s.mayOn(ctx, who, identity.Read, source); err != nil {
		return nil, catalog.Table{}, err
	}
	o, err := s.source(ctx, source, false)
	if err != nil {
		return nil, catalog.Table{}, err
	}
	t, ok := o.known.Load().Table(table)
	if !ok {
		return nil, t, notFound("table", table, o.known.Load().TableNames())
	}
	return o, t, nil
}

// SetEncoding says how the dates of TABLE.COLUMN are stored. One that does not
// fit what is stored is refused, unless it is wanted anyway.
func (s *Service) SetEncoding(ctx context.Context, who identity.Actor, name, column, encoding string, anyway bool) (catalog.Source, error) {
	if err := s.mayOn(ctx, who, identity.Manage, name); err != nil {
		return catalog.Source{}, err
	}
	if catalog.Encoding(encoding).Check() != nil {
		return catalog.Source{}, diag.Problems{definition.UnknownEncoding("encodings", encoding)}
	}
	o, err := s.source(ctx, name, true) // a table may be new
	if err != nil {
		return catalog.Source{}, err
	}
	tried := o.known.Load().Clone()
	if err := s.fitting(ctx, who, o.shared, &tried, map[string]string{column: encoding}, anyway); err != nil {
		return catalog.Source{}, err
	}
	encodings, err := s.encodings(ctx, name)
	if err != nil {
		return catalog.Source{}, err
	}
	encodings = maps.Clone(encodings)
	encodings[column] = encoding
	if err := s.keepEncodings(ctx, who, name, encodings); err != nil {
		return catalog.Source{}, err
	}
	return s.Catalogue(ctx, who, name)
}

// Values lists a page of the values that occur in a column of a table.
func (s *Service) Values(ctx context.Context, who identity.Actor, source, table, column string, search plan.Search) ([]parameter.Choice, error) {
	guarded, rows, t, c, err := s.columnRows(ctx, who, source, table, column)
	if err != nil {
		return nil, err
	}
	if c.Type == catalog.Other || c.Bytes || c.Encoding != "" {
		return []parameter.Choice{}, nil // nobody chooses among these
	}
	return runner.Values(ctx, guarded, rows, t, c, search, s.Calendar.Zone)
}

// Readings lists some values of a column as they are stored, and how each would be read if
// it stored dates in an encoding.
func (s *Service) Readings(ctx context.Context, who identity.Actor, source, table, column, encoding string, most int) ([]wire.StoredValue, error) {
	guarded, rows, t, c, err := s.columnRows(ctx, who, source, table, column)
	switch {
	case err != nil:
		return nil, err
	case catalog.Encoding(encoding).Check() != nil:
		return nil, diag.Problems{definition.UnknownEncoding("encoding", encoding)}
	case c.Bytes || c.Encoding.IsNative() || c.Encoding == "" && c.Type != catalog.Text && c.Type != catalog.Integer:
		return nil, diag.Problems{{Code: "no_dates", Field: "column", Message: fmt.Sprintf("%s is %s, of which no encoding is set.", column, c.Declared), Hint: "Choose a column with texts or whole numbers."}}
	}
	return runner.Readings(ctx, guarded, rows, t, c, catalog.Encoding(encoding), most, s.Calendar.Zone)
}

// columnRows gives a column of a table, what may be seen of the table by itself, and whom
// to ask for it.
func (s *Service) columnRows(ctx context.Context, who identity.Actor, source, table, column string) (guarded engine.Source, rows plan.Rows, t catalog.Table, c *catalog.Column, err error) {
	o, t, err := s.table(ctx, who, source, table)
	if err != nil {
		return nil, rows, t, c, err
	}
	c, ok := t.Column(column)
	if !ok {
		return nil, rows, t, c, notFound("column", column, columnNames(t))
	}
	guarded, rows, err = s.tableRows(ctx, who, source, o, t)
	return guarded, rows, t, c, err
}

// UnfitRows lists records of a table in which something is stored in a column
// with dates that is none, with their keys.
func (s *Service) UnfitRows(ctx context.Context, who identity.Actor, source, table, column string, most int) (output.Result, error) {
	guarded, rows, t, c, err := s.columnRows(ctx, who, source, table, column)
	if err != nil {
		return output.Result{}, err
	}
	if c.Encoding == "" {
		return output.Result{}, diag.Problems{{Code: "no_dates", Field: "column", Message: fmt.Sprintf("%s is %s and holds no dates.", column, c.Type), Hint: "Set how they are stored with pikegate source set-encoding."}}
	}
	found, err := runner.UnfitRows(ctx, guarded, rows, t, c, most, s.Calendar.Zone)
	if placed, ok := guarded.(*shared); err == nil && ok { // every row may be seen
		places, err := placed.Places(ctx, t.Name, *c, most)
		if err != nil {
			return found, err
		}
		var files []string
		var lines []int
		for _, p := range places {
			files, lines = append(files, p.File), append(lines, p.Line)
		}
		found.Place(files, lines)
	}
	return found, err
}
