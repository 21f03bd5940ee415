package service

import (
	"context"
	"fmt"
	"maps"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/diag"
	"pikegate/internal/engine"
	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/store"
)

// SourceInfo is a source as it was added.
type SourceInfo struct {
	Name    string `json:"name" doc:"The name definitions use"`
	Engine  string `json:"engine" doc:"The kind of database: sqlite, postgresql or mysql (which is MariaDB too)" example:"sqlite"`
	Address string `json:"address" doc:"Where it is: for SQLite the path of the file, otherwise HOST:PORT"`
	// A password is never part of it: the service looks it up under the name
	// of the secret.
	Database string `json:"database,omitempty" doc:"The name of the database on the server"`
	User     string `json:"user,omitempty" doc:"The login; the password comes from the service's environment or file of secrets"`
	Secret   string `json:"secret,omitempty" doc:"The name of the password, the source's own when left out"`
	TLS      string `json:"tls,omitempty" enum:"off,on,verify" doc:"off, on or verify; where the server offers it when left out"`
	// Encodings are the date encodings set by hand.
	Encodings map[string]string `json:"encodings,omitempty" doc:"Date encodings set by hand, by TABLE.COLUMN"`
}

var sourceName = regexp.MustCompile(`^[a-z][a-z0-9]*([-_][a-z0-9]+)*$`)

// AddSource connects a database and keeps it; nothing is kept if it cannot be
// read.
func (s *Service) AddSource(ctx context.Context, info SourceInfo) (catalog.Source, error) {
	var problems diag.Problems
	if !sourceName.MatchString(info.Name) {
		problems = append(problems, diag.Problem{Code: "bad_name", Field: "name", Message: fmt.Sprintf("%q is not a name.", info.Name), Hint: "Names are lower-case words joined by dashes."})
	}
	opener := s.Engines[info.Engine]
	if opener == nil {
		known := slices.Sorted(maps.Keys(s.Engines))
		problems = append(problems, diag.Problem{Code: "unknown_engine", Field: "engine", Message: fmt.Sprintf("There is no engine %q.", info.Engine), Hint: "There is " + strings.Join(known, ", ") + "."})
	}
	if info.Address == "" {
		problems = append(problems, diag.Problem{Code: "missing", Field: "address", Message: "Where the database is was not said.", Hint: "For SQLite give the path of its file."})
	}
	for _, e := range info.Encodings {
		if !slices.Contains(catalog.Encodings, catalog.Encoding(e)) {
			problems = append(problems, unknownEncoding(e))
		}
	}
	if err := problems.Err(); err != nil {
		return catalog.Source{}, err
	}
	if info.Engine == "sqlite" && !filepath.IsAbs(info.Address) {
		return catalog.Source{}, diag.Problems{{Code: "not_absolute", Field: "address", Message: "The path must be absolute, since the service may run in another folder.", Hint: "Give the whole path from /."}}
	}
	defer s.hold(info.Name)()
	if old := s.forget(info.Name); old != nil {
		defer old.Close()
	}
	kept := store.Source(info)
	o, err := s.connect(ctx, kept)
	if err != nil {
		return catalog.Source{}, err
	}
	for column, e := range info.Encodings {
		if err := o.catalogue.SetEncoding(column, catalog.Encoding(e)); err != nil {
			return catalog.Source{}, diag.Problems{{Code: "unknown_column", Field: "encodings", Message: "The encoding cannot be set: " + err.Error() + "."}}
		}
	}
	return o.catalogue, s.Store.SaveSource(kept)
}

func unknownEncoding(e string) diag.Problem {
	names := make([]string, len(catalog.Encodings))
	for i, known := range catalog.Encodings {
		names[i] = string(known)
	}
	hint := diag.DidYouMean(e, names)
	if hint == "" {
		hint = "There are " + strings.Join(names, ", ") + "."
	}
	return diag.Problem{Code: "unknown_encoding", Field: "encodings", Message: fmt.Sprintf("There is no encoding %q.", e), Hint: hint}
}

// Sources lists the sources.
func (s *Service) Sources() ([]SourceInfo, error) {
	kept, err := s.Store.Sources()
	out := make([]SourceInfo, len(kept))
	for i, k := range kept {
		out[i] = SourceInfo(k)
	}
	return out, err
}

// Catalogue reads a source's tables, views and columns afresh.
func (s *Service) Catalogue(ctx context.Context, name string) (catalog.Source, error) {
	o, err := s.source(ctx, name, true)
	if err != nil {
		return catalog.Source{}, err
	}
	return o.catalogue, nil
}

// CheckSource looks at the connection of a source: what it is, and whether it
// can only read.
func (s *Service) CheckSource(ctx context.Context, name string) (engine.Report, error) {
	o, err := s.source(ctx, name, true)
	if err != nil {
		return engine.Report{}, err
	}
	return o.Check(ctx)
}

// Extents tells what each column of a table holds, in one statement.
func (s *Service) Extents(ctx context.Context, source, table string) ([]runner.Extent, error) {
	o, t, err := s.table(ctx, source, table)
	if err != nil {
		return nil, err
	}
	ctx, stop := s.runner.Limited(ctx)
	defer stop()
	return runner.Extents(ctx, o.Source, t, s.Calendar.Zone)
}

// FirstRows gives the first rows of a table of a source.
func (s *Service) FirstRows(ctx context.Context, source, table string, most int) (output.Result, error) {
	o, t, err := s.table(ctx, source, table)
	if err != nil {
		return output.Result{}, err
	}
	return runner.FirstRows(ctx, o.Source, t, most, s.Calendar.Zone)
}

// table finds a table of a source.
func (s *Service) table(ctx context.Context, source, table string) (*openSource, catalog.Table, error) {
	o, err := s.source(ctx, source, false)
	if err != nil {
		return nil, catalog.Table{}, err
	}
	t, ok := o.catalogue.Table(table)
	if !ok {
		return nil, t, notFound("table", table, o.catalogue.TableNames())
	}
	return o, t, nil
}

// SetEncoding says how the dates of TABLE.COLUMN are stored.
func (s *Service) SetEncoding(ctx context.Context, name, column, encoding string) (catalog.Source, error) {
	all, err := s.Sources()
	if err != nil {
		return catalog.Source{}, err
	}
	var names []string
	for _, info := range all {
		if info.Name == name {
			info.Encodings[column] = encoding
			return s.AddSource(ctx, info)
		}
		names = append(names, info.Name)
	}
	return catalog.Source{}, notFound("source", name, names)
}
